// SPDX-License-Identifier: MIT
#include "part/cartridge/fields.h"

#include <fmt/format.h>

#include <bit>
#include <cstring>
#include <utility>

namespace hotstitch::cartridge {

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

namespace {

/// The sums of the bytes at even and at odd offsets.
struct Sums {
    std::uint64_t even = 0, odd = 0;
};

Sums sums_of(ByteView bytes) noexcept {
    // Eight at a time, in four lanes of 16 bits, emptied before they can overflow.
    constexpr std::uint64_t lanes = 0x00FF00FF00FF00FF, ones = 0x0001000100010001;
    constexpr std::size_t word = 8, words_between = 64;
    Sums sums;
    while (bytes.size() >= word * words_between) {
        std::uint64_t low = 0, high = 0;
        for (std::size_t i = 0; i < words_between; ++i) {
            std::uint64_t eight;
            std::memcpy(&eight, bytes.data() + word * i, word);
            low += eight & lanes;
            high += eight >> 8 & lanes;
        }
        if constexpr (std::endian::native == std::endian::big) std::swap(low, high);
        sums.even += low * ones >> 48;
        sums.odd += high * ones >> 48;
        bytes = bytes.subspan(word * words_between);
    }
    for (std::size_t i = 0; i < bytes.size(); ++i)
        (i % 2 == 0 ? sums.even : sums.odd) += std::to_integer<unsigned>(bytes[i]);
    return sums;
}

}  // namespace

std::uint64_t sum_of_bytes(ByteView bytes) noexcept {
    const Sums sums = sums_of(bytes);
    return sums.even + sums.odd;
}

std::uint64_t sum_of_words(ByteView bytes) noexcept {
    const Sums sums = sums_of(bytes);
    return (sums.even << 8) + sums.odd;
}

std::uint16_t crc16(ByteView bytes) noexcept {
    unsigned crc = 0xFFFF;
    for (const std::byte b : bytes) {
        crc ^= std::to_integer<unsigned>(b);
        for (int bit = 0; bit < 8; ++bit) crc = (crc & 1) != 0 ? crc >> 1 ^ 0xA001 : crc >> 1;
    }
    return static_cast<std::uint16_t>(crc);
}

}  // namespace hotstitch::cartridge
