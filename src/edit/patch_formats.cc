// SPDX-License-Identifier: MIT
// Formats by name, by extension and by a patch's first bytes. Tested by tests/format/apply_test.cc.
#include "edit/patch_formats.h"

#include <algorithm>
#include <cctype>

namespace hotstitch {

std::span<const FormatTraits> patch_formats() noexcept {
    return patch_format_rows;
}

const FormatTraits& traits_of(PatchFormat format) noexcept {
    return row_of(format);
}

namespace {

/// `known` in lower case, `typed` in any.
bool same_word(std::string_view known, std::string_view typed) noexcept {
    return std::equal(known.begin(), known.end(), typed.begin(), typed.end(),
                      [](char a, char b) { return a == std::tolower(static_cast<unsigned char>(b)); });
}

/// A text may begin with a mark of its encoding, with empty lines and with remarks.
bool is_edit_list(std::string_view head) noexcept {
    if (head.starts_with("\xEF\xBB\xBF")) head.remove_prefix(3);
    while (!head.empty()) {
        const std::string_view line = head.substr(0, head.find('\n'));
        const std::size_t first = line.find_first_not_of(" \t\r");
        if (first != std::string_view::npos && line[first] != '#')
            return line.substr(first).starts_with(row_of(PatchFormat::edits).magic);
        head.remove_prefix(std::min(head.size(), line.size() + 1));
    }
    return false;
}

}  // namespace

std::optional<PatchFormat> format_by_name(std::string_view name) noexcept {
    for (const FormatTraits& row : patch_format_rows)
        if (same_word(row.name, name) || (!name.empty() && same_word(row.other_name, name))) return row.id;
    return std::nullopt;
}

std::optional<PatchFormat> format_by_extension(std::string_view extension) noexcept {
    for (const FormatTraits& row : patch_format_rows)
        for (const std::string_view known : {row.extension, row.other_extension})
            if (row.by_extension && !known.empty() && same_word(known, extension)) return row.id;
    return std::nullopt;
}

std::optional<PatchFormat> recognise_patch(ByteView head) noexcept {
    for (const FormatTraits& row : patch_format_rows)
        if (text_of(head).starts_with(row.magic)) return row.id;
    if (is_edit_list(text_of(head.first(std::min<std::size_t>(head.size(), 512))))) return PatchFormat::edits;
    return std::nullopt;
}

}  // namespace hotstitch
