// SPDX-License-Identifier: MIT
// How much of what a patch publishes is not its maker's own work: literal bytes that also stand in the
// source, in stretches of 16 bytes or more, anywhere.
#pragma once

#include <cstdint>

#include "hotstitch/export.h"
#include "hotstitch/limits.h"
#include "hotstitch/patch_reader.h"
#include "hotstitch/progress.h"
#include "hotstitch/stream.h"

namespace hotstitch {

struct SharedBytes {
    std::uint64_t literal = 0;  ///< literal bytes in the patch
    std::uint64_t shared = 0;   ///< those of them that also stand in the source
    bool counted = true;        ///< false: the tables would pass Limits::memory, nothing was counted
};

inline constexpr std::size_t shared_stretch = 16;

/// Two passes over the patch, one over the source. Stretches are compared by a 64-bit hash.
/// Throws what PatchReader::read throws, Error(io), Error(cancelled).
HOTSTITCH_EXPORT SharedBytes count_shared(const PatchReader& patch, const ByteSource& source, const Limits& limits = {},
                                          const Progress& progress = {});

}  // namespace hotstitch
