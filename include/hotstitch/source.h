// SPDX-License-Identifier: MIT
// Where bytes come from and go to. Implement these two interfaces to bring your own storage.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"

namespace hotstitch {

/// Random-access input with a fixed size.
class HOTSTITCH_EXPORT ByteSource {
public:
    virtual ~ByteSource();
    virtual std::uint64_t size() const noexcept = 0;

    /// Exactly `length` bytes from `offset`: a view of the source's own memory, or of `scratch` after
    /// copying there. REQUIRES offset + length <= size() and scratch.size() >= length.
    /// The view lives until the next read into the same scratch. May be called by another thread than the one that
    /// works on what was read before. Throws Error(io).
    virtual ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const = 0;

    /// The whole content, when it is addressable at once; lives as long as the source.
    virtual std::optional<ByteView> whole() const noexcept;

    /// Throws Error(io) when bytes given out so far may be wrong because the storage failed or shrank
    /// meanwhile. Operations on sources call it before they report success.
    virtual void check_intact() const;
};

/// Sequential output. It may give back what it was given, which formats with copies from the target need.
class HOTSTITCH_EXPORT ByteSink {
public:
    virtual ~ByteSink();

    /// Announces the final size in bytes, so that a lack of space is an error now. Called at most once, first.
    virtual void reserve(std::uint64_t size);

    /// Appends. Throws Error(io).
    virtual void write(ByteView bytes) = 0;

    /// Forgets everything written, so that writing begins anew. Throws Error(unsupported) where the sink cannot, which
    /// is the default.
    virtual void clear();

    /// Fills `into` with bytes written before, from `offset`. REQUIRES that they were written.
    /// Throws Error(unsupported) where the sink keeps nothing, which is the default.
    virtual void read_back(std::uint64_t offset, MutableByteView into) const;

    /// Everything written so far, addressable at once, where the sink can give that; lives until the next
    /// write. `create` reads the patch it has just written through it.
    virtual std::optional<ByteView> written();

    /// Bytes written so far. Throws Error(unsupported) where the sink keeps nothing, which is the default.
    virtual std::uint64_t written_size() const;
};

/// Bytes that somebody else keeps alive.
class HOTSTITCH_EXPORT MemorySource final : public ByteSource {
public:
    explicit MemorySource(ByteView bytes) noexcept : bytes_(bytes) {}
    std::uint64_t size() const noexcept override { return bytes_.size(); }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override;
    std::optional<ByteView> whole() const noexcept override { return bytes_; }

private:
    ByteView bytes_;
};

/// Collects everything in memory.
class HOTSTITCH_EXPORT MemorySink final : public ByteSink {
public:
    void reserve(std::uint64_t size) override;
    void write(ByteView bytes) override;
    void clear() override { bytes_.clear(); }
    void read_back(std::uint64_t offset, MutableByteView into) const override;
    std::optional<ByteView> written() override { return ByteView(bytes_); }
    std::uint64_t written_size() const override { return bytes_.size(); }
    const Bytes& bytes() const noexcept { return bytes_; }
    Bytes take() noexcept { return std::move(bytes_); }

private:
    Bytes bytes_;
};

/// What a sink was given so far: a view of it where the sink can give that, else read back piece by piece. Good until
/// the next write.
class HOTSTITCH_EXPORT WrittenSource final : public ByteSource {
public:
    /// Throws Error(unsupported) where the sink keeps nothing.
    explicit WrittenSource(ByteSink& sink);
    explicit WrittenSource(std::shared_ptr<ByteSink> sink);
    std::uint64_t size() const noexcept override { return size_; }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override;
    std::optional<ByteView> whole() const noexcept override { return whole_; }

private:
    std::shared_ptr<ByteSink> kept_;
    ByteSink& sink_;
    std::optional<ByteView> whole_;
    std::uint64_t size_;
};

// Sources made of sources.

/// Shared where it is made for the purpose, borrowed where somebody else keeps it alive.
using SharedSource = std::shared_ptr<const ByteSource>;
/// Does not keep it alive: `source` has to outlive what is made of it.
HOTSTITCH_EXPORT SharedSource borrowed(const ByteSource& source) noexcept;

/// A stretch of another source.
class HOTSTITCH_EXPORT SliceSource final : public ByteSource {
public:
    /// REQUIRES offset + length <= source->size().
    SliceSource(SharedSource source, std::uint64_t offset, std::uint64_t length) noexcept;
    std::uint64_t size() const noexcept override { return length_; }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override;
    std::optional<ByteView> whole() const noexcept override;
    void check_intact() const override { source_->check_intact(); }

private:
    SharedSource source_;
    std::uint64_t offset_, length_;
};

/// So many times the same byte.
class HOTSTITCH_EXPORT FilledSource final : public ByteSource {
public:
    FilledSource(std::byte value, std::uint64_t length) noexcept : value_(value), length_(length) {}
    std::uint64_t size() const noexcept override { return length_; }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override;

private:
    std::byte value_;
    std::uint64_t length_;
};

/// One source after the other.
class HOTSTITCH_EXPORT JoinedSource final : public ByteSource {
public:
    explicit JoinedSource(std::vector<SharedSource> sources);
    std::uint64_t size() const noexcept override { return ends_.empty() ? 0 : ends_.back(); }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override;
    void check_intact() const override;

private:
    std::vector<SharedSource> sources_;
    std::vector<std::uint64_t> ends_;
};

/// Writes a whole source, asking it in the end whether what it gave out was right. Throws Error(io).
HOTSTITCH_EXPORT void write_source(const ByteSource& source, ByteSink& sink);

/// Whether all bytes of [offset, offset + length) have this value. REQUIRES that they are in the source. Throws
/// Error(io).
HOTSTITCH_EXPORT bool is_filled(const ByteSource& source, std::uint64_t offset, std::uint64_t length, std::byte value);

/// A file's first bytes, at most so many. Throws Error(io).
HOTSTITCH_EXPORT Bytes head_of(const ByteSource& source, std::size_t most = 512);

// The same content in another representation: with a front header before it, in another byte order, interleaved,
// padded.

/// The harmless kinds lose nothing and may be used unasked.
enum class RepresentationKind {
    without_front_header,  ///< its first `bytes` bytes taken off; harmless
    with_front_header,     ///< `bytes` bytes of 00 put in front; harmless
    pairs_swapped,         ///< each two bytes exchanged; harmless
    words_reversed,        ///< each four bytes reversed; harmless
    halves_swapped,        ///< each four bytes' halves exchanged; harmless
    de_interleaved,        ///< its first `bytes` bytes taken off, blocks of 16 KiB put back in order; harmless
    user_data,             ///< of a disc image in whole sectors, the 2048 bytes of user data of each; harmless
    data_track,            ///< of a disc image with other tracks behind its data track, that track alone; harmless
    in_whole_sectors,      ///< of a plain disc image, sectors of 2352 bytes around the data, of mode `bytes`; harmless
    interleaved,           ///< each 16 KiB as 8 KiB of odd and 8 KiB of even addresses; harmless
    without_padding,       ///< its last `bytes` bytes, all `fill`, taken off: untrimmed, read as trimmed; harmless
    with_padding,          ///< `bytes` bytes of `fill` put behind: trimmed, read as untrimmed; harmless
    line_ends_restored,    ///< 0D 0A turned back into 0A, as a transfer in text mode had changed it
};

struct Representation {
    RepresentationKind kind{};
    std::uint64_t bytes = 0;
    std::byte fill{};
    bool harmless() const noexcept { return kind != RepresentationKind::line_ends_restored; }
};

/// Bytes of a data track's pregap of two seconds, in plain and in whole sectors: in front of an image, that is no
/// header.
inline constexpr std::uint64_t plain_pregap = std::uint64_t{150} * 2048, whole_pregap = std::uint64_t{150} * 2352;
inline bool is_pregap(const Representation& reading) noexcept {
    return reading.kind <= RepresentationKind::with_front_header &&
           (reading.bytes == plain_pregap || reading.bytes == whole_pregap);
}

/// For programs and files: "without-front-header 512", "with-padding 1024 ff"; and back, nothing for what is none.
HOTSTITCH_EXPORT std::string code_of(const Representation& reading);
HOTSTITCH_EXPORT std::optional<Representation> representation_from(std::string_view code);

/// For people: "without its front header of 512 bytes".
HOTSTITCH_EXPORT std::string words_for(const Representation& reading);

/// The file so read; `file` has to outlive it. Line ends are restored in memory, all others as they are read.
/// REQUIRES file.size() >= reading.bytes where bytes are taken off. Throws Error(io), Error(limit).
HOTSTITCH_EXPORT std::unique_ptr<ByteSource> read_as(const ByteSource& file, const Representation& reading);
HOTSTITCH_EXPORT std::unique_ptr<ByteSource> read_as(ByteView file, const Representation& reading);

}  // namespace hotstitch
