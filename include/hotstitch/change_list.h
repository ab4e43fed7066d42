// SPDX-License-Identifier: MIT
// A change of one source that is known piece by piece: what a mend, a header taken off or a part put back come down to.
// It becomes a file, a patch, or the source of the next change without anything being matched.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/edit.h"
#include "hotstitch/export.h"
#include "hotstitch/source.h"

namespace hotstitch {

/// What comes in: bytes, a run of one byte, a stretch of the source itself, or of another source.
struct Piece {
    enum class Kind : std::uint8_t { bytes, run, source, other } kind = Kind::bytes;
    std::uint64_t length = 0;
    std::uint64_t offset = 0;              ///< in `bytes`, in the source, or in `from`
    std::shared_ptr<const Bytes> bytes{};  ///< shared, so that lists can be cut and joined without copying
    std::byte value{};
    SharedSource from{};
};

/// In place of `removed` bytes of the source from `offset` on, these pieces.
struct Splice {
    std::uint64_t offset = 0, removed = 0;
    std::vector<Piece> in;
    HOTSTITCH_EXPORT std::uint64_t added() const noexcept;
};

/// Splices of one source, sorted, not overlapping; side by side is fine. All offsets are of the source, never of an
/// intermediate state.
class HOTSTITCH_EXPORT ChangeList {
public:
    /// Of a source of this size in bytes: changes nothing.
    explicit ChangeList(std::uint64_t source_size = 0) noexcept : source_size_(source_size) {}

    /// Bytes, a run of one value, or a stretch of the source in place of `removed` bytes at `offset`. In any order.
    /// Throws Error(usage) when it reaches past the source's end or touches what is changed already.
    void put(std::uint64_t offset, std::uint64_t removed, Bytes bytes);
    void fill(std::uint64_t offset, std::uint64_t removed, std::byte value, std::uint64_t length);
    void copy(std::uint64_t offset, std::uint64_t removed, std::uint64_t from, std::uint64_t length);
    /// A stretch of another source, which the list then shares: what is large comes in without being copied.
    void put_from(std::uint64_t offset, std::uint64_t removed, SharedSource other, std::uint64_t from,
                  std::uint64_t length);

    /// One more splice as it is. Throws as the others do.
    void put(Splice splice) { insert(std::move(splice)); }

    /// Keeps alive what pieces read from besides the source, and what `other` keeps so: for as long as this list, any
    /// that it is joined into, and any ChangedSource made by one of them.
    void hold(std::shared_ptr<const void> read) { held_.push_back(std::move(read)); }
    void hold(const ChangeList& other) { held_.insert(held_.end(), other.held_.begin(), other.held_.end()); }

    bool empty() const noexcept { return splices_.empty(); }
    const std::vector<Splice>& splices() const noexcept { return splices_; }
    std::uint64_t source_size() const noexcept { return source_size_; }
    std::uint64_t result_size() const noexcept;

    /// What is replaced or taken out, in bytes of the source; an insertion has a length of 0.
    std::vector<ByteRange> ranges() const;

    /// Where the result differs from `source`, in offsets of the source: of splices that keep the length byte by byte,
    /// of others what they take out or, where that is more, bring in. REQUIRES source.size() == source_size(). Throws
    /// Error(io).
    std::vector<ByteRange> changed_ranges(const ByteSource& source) const;

    /// This change, then `next`, which was made on its result, as one change of the source.
    /// Throws Error(usage) when `next` is for a source of another size.
    ChangeList then(const ChangeList& next) const;

    /// As edits, in target order. Returns stop when the sink stopped it.
    Flow tell(EditSink& sink) const;

private:
    friend class ChangedSource;
    void insert(Splice splice);
    std::vector<Piece> pieces() const;  ///< of the whole result

    std::uint64_t source_size_;
    std::vector<Splice> splices_;
    std::vector<std::shared_ptr<const void>> held_;
};

/// Where two files differ at the same places; what only one of them has, counts as different and lies at the end.
HOTSTITCH_EXPORT std::vector<ByteRange> differing_ranges(const ByteSource& before, const ByteSource& after);
HOTSTITCH_EXPORT std::vector<ByteRange> differing_ranges(ByteView before, ByteView after);

/// Whether they hold the very same. Throws Error(io).
HOTSTITCH_EXPORT bool are_same(const ByteSource& a, const ByteSource& b);

/// The same run by run, in order, without holding them all.
HOTSTITCH_EXPORT void each_difference(const ByteSource& before, const ByteSource& after,
                                      const std::function<void(const ByteRange&)>& found);

/// What turns `before` into `after`, at the same places. A few equal bytes between two that differ come along.
HOTSTITCH_EXPORT ChangeList differences(const ByteSource& before, const ByteSource& after);
HOTSTITCH_EXPORT ChangeList differences(ByteView before, ByteView after);

/// A source as a change list makes it, without making it. The list may go.
class HOTSTITCH_EXPORT ChangedSource final : public ByteSource {
public:
    /// REQUIRES changes.source_size() == source.size().
    ChangedSource(SharedSource source, const ChangeList& changes);
    /// The same; the source has to outlive it.
    ChangedSource(const ByteSource& source, const ChangeList& changes) : ChangedSource(borrowed(source), changes) {}
    std::uint64_t size() const noexcept override { return size_; }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override;
    void check_intact() const override { source_->check_intact(); }

private:
    SharedSource source_;
    std::vector<std::shared_ptr<const void>> held_;
    std::vector<Piece> pieces_;
    std::vector<std::uint64_t> ends_;  ///< of each piece, in bytes of the result
    std::uint64_t size_ = 0;
};

/// The result in memory. REQUIRES changes.source_size() == source.size().
HOTSTITCH_EXPORT Bytes changed(ByteView source, const ChangeList& changes);

}  // namespace hotstitch
