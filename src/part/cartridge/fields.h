// SPDX-License-Identifier: MIT
// Representation fields of headers at known places, and sums over images. REQUIRES in all: the place lies inside the
// view.
#pragma once

#include <algorithm>
#include <cstdint>
#include <string>
#include <string_view>

#include "hotstitch/bytes.h"

namespace hotstitch::cartridge {

inline unsigned u8(ByteView b, std::size_t at) noexcept {
    return std::to_integer<unsigned>(b[at]);
}
inline unsigned u16le(ByteView b, std::size_t at) noexcept {
    return u8(b, at) | u8(b, at + 1) << 8;
}
inline unsigned u16be(ByteView b, std::size_t at) noexcept {
    return u8(b, at) << 8 | u8(b, at + 1);
}
inline std::uint32_t u32le(ByteView b, std::size_t at) noexcept {
    return u16le(b, at) | u16le(b, at + 2) << 16;
}
inline std::uint32_t u32be(ByteView b, std::size_t at) noexcept {
    return u16be(b, at) << 16 | u16be(b, at + 2);
}

inline std::string_view text_at(ByteView b, std::size_t at, std::size_t length) noexcept {
    return text_of(b.subspan(at, length));
}

/// Printable ASCII.
inline bool is_printable(char c) noexcept {
    return c >= 0x20 && c <= 0x7E;
}
/// A byte of a half-width katakana letter in JIS X 0201.
inline bool is_kana(char c) noexcept {
    const auto u = static_cast<unsigned char>(c);
    return u >= 0xA1 && u <= 0xDF;
}

/// Printable up to an end of 00 or spaces, and not empty: a title that somebody typed.
inline bool is_title(std::string_view text, bool kana = false) noexcept {
    const std::size_t end = text.find_last_not_of(std::string_view("\0 ", 2));
    if (end == std::string_view::npos) return false;
    text = text.substr(0, end + 1);
    const bool some_letter = std::any_of(text.begin(), text.end(), [](char c) {
        return (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z') || is_kana(c);
    });
    return some_letter &&
           std::all_of(text.begin(), text.end(), [&](char c) { return is_printable(c) || (kana && is_kana(c)); });
}

/// Upper-case letters and digits only.
inline bool is_code(std::string_view text) noexcept {
    return std::all_of(text.begin(), text.end(),
                       [](char c) { return (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9'); });
}

/// As UTF-8, without the filling at its end; half-width katakana of JIS X 0201 come along, other bytes become '?'.
std::string readable(std::string_view text);

/// "0x1a2b", with so many digits.
std::string hex_text(std::uint64_t value, int digits);

/// The sum of all bytes.
std::uint64_t sum_of_bytes(ByteView bytes) noexcept;
/// The sum of all big-endian words; an odd last byte counts as the high half.
std::uint64_t sum_of_words(ByteView bytes) noexcept;
/// CRC-16, reflected polynomial A001, start FFFF.
std::uint16_t crc16(ByteView bytes) noexcept;

}  // namespace hotstitch::cartridge
