// SPDX-License-Identifier: MIT
// UPS and BPS end alike: u32le CRC-32 of the source, of the target, and of all patch bytes before that field.
#pragma once

#include "hotstitch/digest.h"
#include "hotstitch/source.h"

namespace hotstitch {

inline constexpr std::size_t footer_size = 12;

struct Footer {
    Crc32 source, target;
};

/// Checks the patch's own CRC before anything else is believed. Throws Error(truncated) when the patch is
/// shorter than `header_size` and a footer, Error(damaged) when its CRC is wrong.
Footer checked_footer(ByteView patch, std::size_t header_size);

/// Buffers what a writer puts and keeps the CRC of it.
class PatchOutput {
public:
    explicit PatchOutput(ByteSink& sink) : sink_(sink) {}
    /// What is appended here goes out in large pieces.
    Bytes& buffer() noexcept { return buffer_; }
    void append(ByteView bytes);
    /// Call now and then, so that the buffer stays small.
    void spill();
    void finish_with_footer(const Footer& footer);

private:
    void flush();
    ByteSink& sink_;
    Bytes buffer_;
    Crc32 crc_;
};

}  // namespace hotstitch
