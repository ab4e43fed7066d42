// SPDX-License-Identifier: MIT
// Tested by tests/part/mend_test.cc.
#include "base/fixed_text.h"

#include <fmt/format.h>

#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch {

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

std::string encoded(std::string_view text, bool kana) {
    std::string out;
    for (std::size_t i = 0; i < text.size(); ++i) {
        if (is_printable(text[i])) {
            out += text[i];
            continue;
        }
        const auto at = [&](std::size_t k) {
            return static_cast<unsigned char>(i + k < text.size() ? text[i + k] : 0);
        };
        const unsigned point = (at(0) & 0x0FU) << 12 | (at(1) & 0x3FU) << 6 | (at(2) & 0x3FU);
        const bool three_bytes = (at(0) & 0xF0) == 0xE0 && (at(1) & 0xC0) == 0x80 && (at(2) & 0xC0) == 0x80;
        if (!kana || !three_bytes || point < 0xFF61 || point > 0xFF9F)
            throw Error(ErrorCode::usage, "the title has characters that this platform's header cannot hold")
                .wanted(kana ? "printable ASCII or half-width katakana" : "printable ASCII")
                .found(std::string(text));
        out += static_cast<char>(point - 0xFF61 + 0xA1);
        i += 2;
    }
    return out;
}

std::string hex_text(std::uint64_t value, int digits) {
    return fmt::format("0x{:0{}x}", value, digits);
}

std::string exact_size(std::uint64_t bytes) {
    if (bytes != 0 && bytes % (1 << 20) == 0) return fmt::format("{} MiB", bytes >> 20);
    return bytes != 0 && bytes % 1024 == 0 ? fmt::format("{} KiB", bytes >> 10) : counted(bytes, "byte", "bytes");
}

}  // namespace hotstitch
