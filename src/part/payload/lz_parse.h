// SPDX-License-Identifier: MIT
// The cheapest way to write bytes as literals and copies from a short window, where the cost of each is known.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "hotstitch/bytes.h"

namespace hotstitch {

/// Copies of `least` to `most` bytes cost so many bits, whatever their distance.
struct CopyCost {
    std::uint32_t least, most;
    unsigned bits;
};

struct LzRules {
    std::span<const CopyCost> costs;  ///< in the order of their lengths, none overlapping
    unsigned literal_bits = 9;
    std::uint32_t window = 4096;       ///< the largest distance, at most 4096
    std::uint32_t least_distance = 1;  ///< 1 or 2
};

struct LzStep {
    std::uint32_t length = 1;
    std::uint32_t distance = 0;  ///< 0: a literal
};

/// No other sequence of steps costs fewer bits.
std::vector<LzStep> cheapest_parse(ByteView content, const LzRules& rules);

}  // namespace hotstitch
