// SPDX-License-Identifier: MIT
// The slow, obvious reading of each format: byte by byte, one record after the other, nothing clever.
#pragma once

#include <cstdint>
#include <optional>

#include "hotstitch/bytes.h"

namespace reference {

/// What the patch makes of the source, or nothing where the patch breaks a rule of docs/formats/ips.md.
/// Throws std::length_error when the result would have more than `most` bytes; others are never stored.
std::optional<hotstitch::Bytes> apply_ips(hotstitch::ByteView patch, hotstitch::ByteView source,
                                          std::uint64_t most = std::uint64_t{1} << 30);

/// The same for UPS (in the direction that fits the source) and BPS; docs/formats/ups.md and bps.md.
std::optional<hotstitch::Bytes> apply_ups(hotstitch::ByteView patch, hotstitch::ByteView source,
                                          std::uint64_t most = std::uint64_t{1} << 30);
std::optional<hotstitch::Bytes> apply_bps(hotstitch::ByteView patch, hotstitch::ByteView source,
                                          std::uint64_t most = std::uint64_t{1} << 30);

/// The same for VCDIFF, with LZMA by liblzma one byte at a time. Throws std::out_of_range when the source is too short
/// or a window that may read it comes out wrong.
std::optional<hotstitch::Bytes> apply_vcdiff(hotstitch::ByteView patch, hotstitch::ByteView source,
                                             std::uint64_t most = std::uint64_t{1} << 30);

/// By the patch's magic; nothing for any other.
std::optional<hotstitch::Bytes> apply(hotstitch::ByteView patch, hotstitch::ByteView source, std::uint64_t most);

enum class Verdict { made, refused, too_large, wrong_source };

/// What the reference says of a patch and a source; `target` is what it makes.
Verdict judge(hotstitch::ByteView patch, hotstitch::ByteView source, std::uint64_t most, hotstitch::Bytes& target);

}  // namespace reference
