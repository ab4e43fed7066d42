// SPDX-License-Identifier: MIT
// Do source and target run in step, the same for the most part at one distance? So do rows of pointers that were moved,
// and code that was linked anew.
#pragma once

#include <cstring>

#include "hotstitch/bytes.h"

namespace hotstitch {

/// How many of the next eight bytes are the same.
inline int same_of_8(const std::byte* a, const std::byte* b) noexcept {
    constexpr std::uint64_t lows = 0x7F7F7F7F7F7F7F7F;
    std::uint64_t x, y;
    std::memcpy(&x, a, 8);
    std::memcpy(&y, b, 8);
    const std::uint64_t other = x ^ y, zero = ~(((other & lows) + lows) | other | lows);
    return static_cast<int>((zero >> 7) * 0x0101010101010101 >> 56);
}

/// Whether `least` of the next 16 bytes are the same; no, where there are fewer bytes. `shift`: source - target offset.
inline bool runs_in_step(ByteView source, ByteView target, std::uint64_t at, std::uint64_t shift, int least) noexcept {
    const std::uint64_t from = at + shift;
    if (from >= source.size() || source.size() - from < 16 || target.size() - at < 16) return false;
    const std::byte* const s = source.data() + from;
    const std::byte* const t = target.data() + at;
    return same_of_8(s, t) + same_of_8(s + 8, t + 8) >= least;
}

/// Whether a byte or few further on this distance leads as far as a match of `length` that begins at `at`.
inline bool resumes_soon(ByteView source, ByteView target, std::uint64_t at, std::uint64_t shift,
                         std::uint64_t length) noexcept {
    constexpr std::uint64_t soon = 4;
    for (std::uint64_t ahead = 1; ahead <= soon; ++ahead) {
        const std::uint64_t from = at + ahead + shift;
        if (from >= source.size() || at + ahead >= target.size()) continue;
        if (ahead + common_prefix(source.subspan(from), target.subspan(at + ahead)) + soon >= length) return true;
    }
    return false;
}

}  // namespace hotstitch
