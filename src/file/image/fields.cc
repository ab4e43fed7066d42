// SPDX-License-Identifier: MIT
#include "file/image/fields.h"

#include <fmt/format.h>

#include <numeric>

namespace hotstitch::image {

std::string readable(std::string_view text) {
    const std::size_t end = text.find_last_not_of(std::string_view("\0 ", 2));
    text = text.substr(0, end == std::string_view::npos ? 0 : end + 1);
    std::string out;
    for (const char c : text) {
        if (is_kana(c)) {
            // A1 to DF are U+FF61 to U+FF9F.
            const unsigned point = 0xFF61 + (static_cast<unsigned char>(c) - 0xA1U);
            out += static_cast<char>(0xE0 | point >> 12);
            out += static_cast<char>(0x80 | (point >> 6 & 0x3F));
            out += static_cast<char>(0x80 | (point & 0x3F));
        } else if (is_printable(c)) {
            out += c;
        } else {
            out += c == '\0' ? ' ' : '?';
        }
    }
    return out;
}

std::string hex_text(std::uint64_t value, int digits) {
    return fmt::format("0x{:0{}x}", value, digits);
}

std::uint64_t sum_of_bytes(ByteView bytes) noexcept {
    return std::accumulate(bytes.begin(), bytes.end(), std::uint64_t{0},
                           [](std::uint64_t sum, std::byte b) { return sum + std::to_integer<unsigned>(b); });
}

std::uint64_t sum_of_words(ByteView bytes) noexcept {
    std::uint64_t high = 0, low = 0;
    const std::size_t even = bytes.size() & ~std::size_t{1};
    for (std::size_t i = 0; i < even; i += 2) {
        high += std::to_integer<unsigned>(bytes[i]);
        low += std::to_integer<unsigned>(bytes[i + 1]);
    }
    if (even != bytes.size()) high += std::to_integer<unsigned>(bytes[even]);
    return (high << 8) + low;
}

std::uint16_t crc16(ByteView bytes) noexcept {
    unsigned crc = 0xFFFF;
    for (const std::byte b : bytes) {
        crc ^= std::to_integer<unsigned>(b);
        for (int bit = 0; bit < 8; ++bit) crc = (crc & 1) != 0 ? crc >> 1 ^ 0xA001 : crc >> 1;
    }
    return static_cast<std::uint16_t>(crc);
}

}  // namespace hotstitch::image
