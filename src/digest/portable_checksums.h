// SPDX-License-Identifier: MIT
// CRC-32 and Adler-32 without any library: what a build without libdeflate uses, and what the tests compare
// libdeflate with.
#pragma once

#include <array>
#include <cstdint>

#include "hotstitch/bytes.h"

namespace hotstitch::portable {

inline std::uint32_t crc32(std::uint32_t before, ByteView bytes) noexcept {
    static constexpr auto table = [] {
        std::array<std::uint32_t, 256> rows{};
        for (std::uint32_t i = 0; i < 256; ++i) {
            std::uint32_t c = i;
            for (int bit = 0; bit < 8; ++bit) c = (c >> 1) ^ ((c & 1) != 0 ? 0xEDB88320U : 0U);
            rows[i] = c;
        }
        return rows;
    }();
    std::uint32_t c = ~before;
    for (const std::byte b : bytes) c = table[(c ^ std::to_integer<std::uint32_t>(b)) & 0xFF] ^ (c >> 8);
    return ~c;
}

inline std::uint32_t adler32(std::uint32_t before, ByteView bytes) noexcept {
    std::uint32_t a = before & 0xFFFF, b = before >> 16;
    for (const std::byte x : bytes) {
        a = (a + std::to_integer<std::uint32_t>(x)) % 65521;
        b = (b + a) % 65521;
    }
    return b << 16 | a;
}

}  // namespace hotstitch::portable
