// SPDX-License-Identifier: MIT
// What a matcher is asked for, and what it came to.
#pragma once

#include <cstddef>
#include <cstdint>

namespace hotstitch {

/// How much work goes into finding matches, by what it gives.
enum class Effort {
    quick,   ///< for trying a mod out again and again
    normal,  ///< small patches in little time
    best,    ///< smaller still, for publishing
};

/// What the matcher chose.
struct MatchFacts {
    /// Every so manieth byte of the source is in the index; 0: it was not needed.
    std::uint64_t index_step = 0;
    std::uint64_t index_memory = 0;  ///< bytes
    unsigned threads = 0;            ///< 0: the format copies from the same place only, so nothing was looked for
};

}  // namespace hotstitch
