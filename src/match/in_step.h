// SPDX-License-Identifier: MIT
// Do source and target run in step, the same for the most part at one distance? So do rows of pointers that were moved,
// and code that was linked anew.
#pragma once

#include <bit>
#include <cstring>

#include "hotstitch/bytes.h"

namespace hotstitch {

/// Which of 16 bytes are the same.
struct Sameness {
    unsigned which = 0;  ///< a bit for each, the lowest for the first
    int count = 0;
};
inline Sameness same_of_16(const std::byte* a, const std::byte* b) noexcept {
    // The lowest bit of each byte that is the same, eight at a time.
    const auto same = [&](std::size_t at) {
        constexpr std::uint64_t lows = 0x7F7F7F7F7F7F7F7F;
        std::uint64_t x, y;
        std::memcpy(&x, a + at, 8);
        std::memcpy(&y, b + at, 8);
        std::uint64_t other = x ^ y;
        if constexpr (std::endian::native == std::endian::big) other = __builtin_bswap64(other);
        return ~(((other & lows) + lows) | other | lows) >> 7;
    };
    constexpr std::uint64_t gather = 0x0102040810204080, sum = 0x0101010101010101;
    const std::uint64_t first = same(0), second = same(8);
    return {static_cast<unsigned>(first * gather >> 56 | (second * gather >> 56) << 8),
            static_cast<int>((first + second) * sum >> 56)};
}

/// Whether `least` of the next 16 bytes are the same; no, where there are fewer bytes. `shift`: source - target offset.
inline bool runs_in_step(ByteView source, ByteView target, std::uint64_t at, std::uint64_t shift, int least) noexcept {
    const std::uint64_t from = at + shift;
    if (from >= source.size() || source.size() - from < 16 || target.size() - at < 16) return false;
    const std::byte* const s = source.data() + from;
    const std::byte* const t = target.data() + at;
    return same_of_16(s, t).count >= least;
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
