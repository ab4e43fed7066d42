// SPDX-License-Identifier: MIT
// Sequential writing to a descriptor: what OutputFile and ScratchFile have in common.
#pragma once

#include <filesystem>
#include <optional>

#include "hotstitch/bytes.h"
#include "hotstitch/error.h"
#include "hotstitch/limits.h"
#include "io/descriptor.h"
#include "io/mapping.h"

namespace hotstitch {

/// Writes everything, going on after interruptions. `name` is for messages. Throws Error(io).
void write_all(int descriptor, ByteView bytes, const std::filesystem::path& name);

/// Why there is no room for `size` bytes, by the system's code and the kind of volume.
Error no_room(const std::filesystem::path& name, std::uint64_t size, int code, bool on_fat);

class FileWriter {
public:
    /// `stays`: it will be flushed to the disk in the end, so that may begin early.
    FileWriter(Descriptor descriptor, std::filesystem::path name, bool stays)
        : descriptor_(std::move(descriptor)), name_(std::move(name)), stays_(stays) {}

    int descriptor() const noexcept { return descriptor_.get(); }
    std::uint64_t size() const noexcept { return size_; }

    /// Takes the space now, so that a full disk is an error here. Throws Error(io).
    void reserve(std::uint64_t size);
    void write(ByteView bytes);
    /// Begins anew with nothing written.
    void clear();
    void read_back(std::uint64_t offset, MutableByteView into) const;
    /// A view of the file as written so far; nothing where it cannot be mapped.
    std::optional<ByteView> map();
    /// Cuts what was reserved and not written.
    void trim();

private:
    Descriptor descriptor_;
    std::filesystem::path name_;
    bool stays_;
    std::uint64_t size_ = 0, reserved_ = 0, sent_to_disk_ = 0;
    Mapping mapping_;
};

}  // namespace hotstitch
