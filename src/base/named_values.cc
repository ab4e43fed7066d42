// SPDX-License-Identifier: MIT
// Tested by tests/part/mend_test.cc.
#include "base/named_values.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>

#include "hotstitch/error.h"

namespace hotstitch {
namespace {

char lower(char c) noexcept {
    return c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c;
}

bool same_word(std::string_view a, std::string_view b) noexcept {
    return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](char x, char y) { return lower(x) == lower(y); });
}

std::string code_text(unsigned code, bool letters) {
    return letters ? std::string(1, static_cast<char>(code)) : fmt::format("{:02x}", code);
}

}  // namespace

std::string_view word_of(std::span<const NamedValue> values, unsigned code) noexcept {
    const auto found = std::find_if(values.begin(), values.end(), [&](const NamedValue& r) { return r.code == code; });
    return found == values.end() ? std::string_view() : found->word;
}

unsigned code_of(std::span<const NamedValue> values, std::string_view text, bool letters) {
    for (const NamedValue& row : values)
        if (same_word(text, row.word)) return row.code;
    unsigned code = 0;
    if (letters && text.size() == 1) {
        code = static_cast<unsigned char>(lower(text[0]) - 32);
    } else if (!letters) {
        const std::string_view digits = text.starts_with("0x") ? text.substr(2) : text;
        const auto [end, failure] = std::from_chars(digits.data(), digits.data() + digits.size(), code, 16);
        if (failure != std::errc{} || end != digits.data() + digits.size()) code = ~0U;
    }
    if (!word_of(values, code).empty()) return code;
    std::string known;
    for (const NamedValue& row : values)
        known += fmt::format("{}{} ({})", known.empty() ? "" : ", ", row.word, code_text(row.code, letters));
    throw Error(ErrorCode::usage, fmt::format("this platform knows no region \"{}\"", text)).wanted(known);
}

}  // namespace hotstitch
