// SPDX-License-Identifier: MIT
// Characters of UTF-8, one at a time.
#pragma once

#include <cstddef>
#include <string>
#include <string_view>

namespace hotstitch {

/// Length of the UTF-8 character at the front and its code point; length 0 where there is none. REQUIRES a text.
/// Overlong forms, surrogates and numbers past U+10FFFF are none.
inline std::size_t decode_utf8(std::string_view text, char32_t& code) {
    const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(text[i]); };
    const unsigned char lead = byte(0);
    if (lead < 0x80) return code = lead, 1;
    const std::size_t length = lead >= 0xF0 ? 4 : lead >= 0xE0 ? 3 : 2;
    if (lead < 0xC2 || lead > 0xF4 || text.size() < length) return 0;
    code = lead & (0x7FU >> length);
    for (std::size_t i = 1; i < length; ++i) {
        if ((byte(i) & 0xC0) != 0x80) return 0;
        code = code << 6 | (byte(i) & 0x3F);
    }
    constexpr char32_t least[] = {0, 0, 0x80, 0x800, 0x10000};
    const bool valid = code >= least[length] && code <= 0x10FFFF && (code < 0xD800 || code > 0xDFFF);
    return valid ? length : 0;
}

inline void append_utf8(std::string& out, char32_t code) {
    const auto add = [&](char32_t byte) { out += static_cast<char>(byte); };
    if (code < 0x80) return add(code);
    if (code < 0x800) return add(0xC0 | code >> 6), add(0x80 | (code & 0x3F));
    if (code < 0x10000) return add(0xE0 | code >> 12), add(0x80 | (code >> 6 & 0x3F)), add(0x80 | (code & 0x3F));
    add(0xF0 | code >> 18), add(0x80 | (code >> 12 & 0x3F)), add(0x80 | (code >> 6 & 0x3F)), add(0x80 | (code & 0x3F));
}

}  // namespace hotstitch
