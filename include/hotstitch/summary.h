// SPDX-License-Identifier: MIT
// What a patch does, counted from its edits.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "hotstitch/export.h"
#include "hotstitch/limits.h"
#include "hotstitch/patch.h"
#include "hotstitch/source.h"

namespace hotstitch {

struct EditCount {
    std::uint64_t edits = 0, bytes = 0;
};

struct PatchSummary {
    std::uint64_t target_size = 0;
    EditCount same_place;  ///< copied from the same offset of the source
    EditCount moved;       ///< copied from elsewhere in the source
    EditCount repeated;    ///< copied from the target so far
    EditCount literal;     ///< bytes that stand in the patch
    EditCount run;         ///< runs of one byte
    EditCount xored;       ///< bytes stored as a difference
    std::uint64_t touched_ranges = 0, touched_bytes = 0;
    /// Stretches of the target that are not simply the source at the same place: the first `most_ranges`, in order.
    std::vector<ByteRange> first_ranges;
};

/// Reads all edits. Without a source size, one is assumed that the patch neither grows nor reads past.
/// Throws what PatchReader::read throws.
HOTSTITCH_EXPORT PatchSummary summarise(const PatchReader& patch, std::optional<std::uint64_t> source_size = {},
                                        std::size_t most_ranges = 16);

// How much of what a patch publishes is not its maker's own work: literal bytes that also stand in the
// source, in stretches of 16 bytes or more, anywhere.

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

// In words. Texts of the file come along as they are: `escaped` makes them fit for a terminal.

/// How much of what a patch publishes is not its maker's own.
HOTSTITCH_EXPORT std::string words_for(const SharedBytes& shared);

}  // namespace hotstitch
