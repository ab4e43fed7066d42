// SPDX-License-Identifier: MIT
// Hexadecimal digits as bytes.
#pragma once

#include <cctype>
#include <charconv>
#include <optional>
#include <string>
#include <string_view>

#include "hotstitch/bytes.h"

namespace hotstitch {

/// The byte of the first two digits; nothing: these are none.
inline std::optional<std::byte> byte_from_hex(std::string_view text) noexcept {
    unsigned value = 0;
    if (text.size() < 2) return std::nullopt;
    const auto [end, error] = std::from_chars(text.data(), text.data() + 2, value, 16);
    if (error != std::errc{} || end != text.data() + 2) return std::nullopt;
    return static_cast<std::byte>(value);
}

/// Both digits of each byte from a text of exactly twice the size; false when it is no such text.
inline bool bytes_from_hex(std::string_view text, MutableByteView into) noexcept {
    if (text.size() != into.size() * 2) return false;
    for (std::byte& byte : into) {
        const auto value = byte_from_hex(text);
        if (!value) return false;
        byte = *value;
        text.remove_prefix(2);
    }
    return true;
}

/// Without blanks and line ends, which people write between bytes.
inline std::string without_spaces(std::string_view text) {
    std::string out;
    for (const char c : text)
        if (std::isspace(static_cast<unsigned char>(c)) == 0) out += c;
    return out;
}

}  // namespace hotstitch
