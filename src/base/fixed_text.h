// SPDX-License-Identifier: MIT
// Texts as headers hold them: ASCII and, on some platforms, half-width katakana as JIS X 0201.
#pragma once

#include <algorithm>
#include <string>
#include <string_view>

namespace hotstitch {

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

/// UTF-8 as a header's bytes: ASCII or, for `kana`, half-width katakana too. Throws Error(usage) for what it cannot
/// hold.
std::string encoded(std::string_view text, bool kana);

}  // namespace hotstitch
