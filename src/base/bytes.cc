// SPDX-License-Identifier: MIT
#include "hotstitch/bytes.h"

#include <algorithm>
#include <bit>
#include <cstring>

namespace hotstitch {

std::size_t common_prefix(ByteView a, ByteView b) noexcept {
    const std::size_t most = std::min(a.size(), b.size());
    constexpr std::size_t block = 4096, near = 64;
    std::size_t at = 0;
    if constexpr (std::endian::native == std::endian::little) {
        for (; most - at >= 8 && at < near; at += 8) {
            std::uint64_t x, y;
            std::memcpy(&x, a.data() + at, 8);
            std::memcpy(&y, b.data() + at, 8);
            if (x != y) return at + static_cast<std::size_t>(std::countr_zero(x ^ y)) / 8;
        }
    }
    // memcmp is the fastest way to cross long equal stretches; the exact place is found in the last block.
    while (most - at >= block && std::memcmp(a.data() + at, b.data() + at, block) == 0) at += block;
    if constexpr (std::endian::native == std::endian::little) {
        for (; most - at >= 8; at += 8) {
            std::uint64_t x, y;
            std::memcpy(&x, a.data() + at, 8);
            std::memcpy(&y, b.data() + at, 8);
            if (x != y) return at + static_cast<std::size_t>(std::countr_zero(x ^ y)) / 8;
        }
    }
    while (at < most && a[at] == b[at]) ++at;
    return at;
}

bool all_equal(ByteView bytes) noexcept {
    return bytes.size() < 2 || common_prefix(bytes, bytes.subspan(1)) == bytes.size() - 1;
}

}  // namespace hotstitch
