// SPDX-License-Identifier: MIT
// Reading an open file by position, where it is not mapped.
#pragma once

#include <filesystem>

#include "hotstitch/source.h"
#include "io/descriptor.h"

namespace hotstitch {

/// Fills `into` from `offset`, going on after interruptions. `name` is for messages. Throws Error(io), also when the
/// file ends before.
void read_at(int descriptor, MutableByteView into, std::uint64_t offset, const std::filesystem::path& name);

/// What a descriptor has now. Threads may read at once.
class PositionedSource final : public ByteSource {
public:
    /// `size` in bytes; the descriptor and the name are the caller's and outlive this.
    PositionedSource(int descriptor, const std::filesystem::path& name, std::uint64_t size)
        : descriptor_(descriptor), name_(name), size_(size) {}
    std::uint64_t size() const noexcept override { return size_; }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override {
        read_at(descriptor_, scratch.first(length), offset, name_);
        return scratch.first(length);
    }

private:
    int descriptor_;
    const std::filesystem::path& name_;
    std::uint64_t size_;
};

/// The size in bytes of an open regular file. Throws Error(io).
std::uint64_t size_of(int descriptor, const std::filesystem::path& name);

}  // namespace hotstitch
