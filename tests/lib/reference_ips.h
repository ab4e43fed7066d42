// SPDX-License-Identifier: MIT
// The slow, obvious reading of IPS and IPS32: one pass, one record after the other, onto a copy of the source.
#pragma once

#include <cstdint>
#include <optional>

#include "hotstitch/bytes.h"

namespace reference {

/// What the patch makes of the source, or nothing where the patch breaks a rule of docs/formats/ips.md.
/// Throws std::length_error when the result would have more than `most` bytes; others are never stored.
std::optional<hotstitch::Bytes> apply_ips(hotstitch::ByteView patch, hotstitch::ByteView source,
                                          std::uint64_t most = std::uint64_t{1} << 30);

}  // namespace reference
