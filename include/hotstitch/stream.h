// SPDX-License-Identifier: MIT
// Where bytes come from and go to. Implement these two interfaces to bring your own storage.
#pragma once

#include <cstdint>
#include <optional>
#include <utility>

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
    /// The view lives until the next read into the same scratch. Throws Error(io).
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
    const Bytes& bytes() const noexcept { return bytes_; }
    Bytes take() noexcept { return std::move(bytes_); }

private:
    Bytes bytes_;
};

}  // namespace hotstitch
