// SPDX-License-Identifier: MIT
// Text that comes from outside, fit to be shown. Tested by tests/cli/cli_describe_test.cc.
#include "hotstitch/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <numeric>
#include <utility>

#include "base/letters.h"
#include "base/utf8.h"

namespace hotstitch {
namespace {

bool changes_direction_or_hides(char32_t code) {
    return code == 0x061C || (code >= 0x200B && code <= 0x200F) || (code >= 0x2028 && code <= 0x202E) ||
           (code >= 0x2060 && code <= 0x206F) || code == 0xFEFF || (code >= 0xE0000 && code <= 0xE0FFF);
}

}  // namespace

std::string escaped(std::string_view text) {
    std::string out;
    while (!text.empty()) {
        char32_t code = 0;
        const std::size_t length = decode_utf8(text, code);
        if (length == 0)
            out += fmt::format("\\x{:02x}", static_cast<unsigned char>(text[0]));
        else if (code == '\n')
            out += "\\n";
        else if (code < 0x20 || (code >= 0x7F && code < 0xA0))
            out += fmt::format("\\x{:02x}", static_cast<unsigned>(code));
        else if (changes_direction_or_hides(code))
            out += fmt::format("\\u{:04x}", static_cast<unsigned>(code));
        else
            out += text.substr(0, length);
        text.remove_prefix(std::max<std::size_t>(length, 1));
    }
    return out;
}

std::string shell_word(std::string_view text) {
    const auto is_plain = [](char c) {
        return std::isalnum(static_cast<unsigned char>(c)) != 0 ||
               std::string_view("_./:=@%+,-").find(c) != std::string_view::npos;
    };
    if (!text.empty() && std::all_of(text.begin(), text.end(), is_plain)) return std::string(text);
    if (escaped(text) == text) {
        std::string out = "'";
        for (const char c : text) out += c == '\'' ? std::string_view("'\\''") : std::string_view(&c, 1);
        return out + "'";
    }
    // Bytes that must not reach a terminal: in the spelling that shells read back.
    std::string out = "$'";
    for (const char c : text) {
        const auto byte = static_cast<unsigned char>(c);
        if (byte < 0x20 || byte >= 0x7F)
            out += fmt::format("\\{:03o}", byte);
        else
            out += c == '\'' || c == '\\' ? fmt::format("\\{}", c) : std::string(1, c);
    }
    return out + "'";
}

std::string shell_file(std::string_view name) {
    return shell_word(name.starts_with('-') && name != "-" ? fmt::format("./{}", name) : std::string(name));
}

std::string json_for_terminals(std::string_view document) {
    std::string out;
    out.reserve(document.size());
    while (!document.empty()) {
        // Most of a document is plain.
        const auto plain =
            static_cast<std::size_t>(std::find_if(document.begin(), document.end(),
                                                  [](char c) { return static_cast<unsigned char>(c) >= 0x7F; }) -
                                     document.begin());
        out += document.substr(0, plain);
        document.remove_prefix(plain);
        if (document.empty()) break;
        char32_t code = 0;
        const std::size_t length = std::max<std::size_t>(decode_utf8(document, code), 1);
        const bool obeyed = code == 0x7F || (code >= 0x80 && code < 0xA0) || changes_direction_or_hides(code);
        if (!obeyed)
            out += document.substr(0, length);
        else if (code < 0x10000)
            out += fmt::format("\\u{:04x}", static_cast<unsigned>(code));
        else
            out += fmt::format("\\u{:04x}\\u{:04x}", 0xD800 + static_cast<unsigned>((code - 0x10000) >> 10),
                               0xDC00 + static_cast<unsigned>((code - 0x10000) & 0x3FF));
        document.remove_prefix(length);
    }
    return out;
}

namespace {

/// Wrong bytes, 80 to FF, are U+F780 to U+F7FF; those characters themselves are spelt byte by byte, so that nothing
/// else reads back as them.
constexpr char32_t wrong_bytes = 0xF700;

bool stands_for_byte(char32_t code) {
    return code >= wrong_bytes + 0x80 && code <= wrong_bytes + 0xFF;
}

}  // namespace

std::string as_utf8(std::string_view text) {
    std::string out;
    while (!text.empty()) {
        char32_t code = 0;
        const std::size_t length = decode_utf8(text, code);
        if (length != 0 && !stands_for_byte(code)) {
            out += text.substr(0, length);
            text.remove_prefix(length);
            continue;
        }
        for (std::size_t i = 0; i < std::max<std::size_t>(length, 1); ++i) {
            const char32_t point = wrong_bytes + static_cast<unsigned char>(text[i]);
            append_utf8(out, point);
        }
        text.remove_prefix(std::max<std::size_t>(length, 1));
    }
    return out;
}

std::string from_utf8(std::string_view text) {
    std::string out;
    while (!text.empty()) {
        char32_t code = 0;
        const std::size_t length = std::max<std::size_t>(decode_utf8(text, code), 1);
        if (length == 3 && stands_for_byte(code))
            out += static_cast<char>(code - wrong_bytes);
        else
            out += text.substr(0, length);
        text.remove_prefix(length);
    }
    return out;
}

std::size_t edit_distance(std::string_view a, std::string_view b) {
    // Three rows are enough: two letters that changed places look back two.
    std::vector<std::size_t> before(b.size() + 1), above(b.size() + 1), row(b.size() + 1);
    std::iota(row.begin(), row.end(), std::size_t{0});
    for (std::size_t i = 1; i <= a.size(); ++i) {
        before = std::exchange(above, row);
        row[0] = i;
        for (std::size_t j = 1; j <= b.size(); ++j) {
            row[j] = std::min({row[j - 1] + 1, above[j] + 1, above[j - 1] + (a[i - 1] == b[j - 1] ? 0U : 1U)});
            if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
                row[j] = std::min(row[j], before[j - 2] + 1);
        }
    }
    return row.back();
}

std::string nearest_word(std::string_view typed, const std::vector<std::string>& known) {
    constexpr std::size_t longest = 200;
    const std::string word = lower(typed.substr(0, longest));
    std::size_t best = std::max<std::size_t>(word.size() / 3, 1) + 1;
    std::string nearest;
    for (const std::string& one : known)
        if (const std::size_t apart = edit_distance(word, lower(one.substr(0, longest))); apart < best)
            best = apart, nearest = one;
    return nearest;
}

std::string filled_in(std::string_view pattern, const std::function<std::string(const std::string& word)>& value) {
    std::string made;
    for (std::size_t at = 0; at < pattern.size();) {
        const std::size_t open = std::min(pattern.find('{', at), pattern.size());
        made += pattern.substr(at, open - at);
        if (open == pattern.size()) break;
        const std::size_t close = pattern.find('}', open);
        const bool ends = close != std::string_view::npos;
        made += value(std::string(pattern.substr(open + 1, ends ? close - open - 1 : close)) + (ends ? "" : "{"));
        at = ends ? close + 1 : pattern.size();
    }
    return made;
}

bool is_own_name(std::string_view name) {
    for (const std::string_view ending : {".receipt.json", ".shelf", ".hotstitch", ".hotstitch-tmp"})
        if (name.ends_with(ending)) return true;
    constexpr std::string_view backup = ".backup", date = "-000000";
    if (!name.ends_with(backup)) return false;
    name.remove_suffix(backup.size());
    // NAME.2026-11-23-075141 or, of several in one second, NAME.2026-11-23-075141-2
    const auto digits_before = [&](std::string_view text) {
        return text.find_last_not_of("0123456789") == std::string_view::npos
                   ? text.size()
                   : text.size() - 1 - text.find_last_not_of("0123456789");
    };
    std::size_t last = digits_before(name);
    if (last != date.size() - 1 && last != 0 && name.size() > last) {
        name.remove_suffix(last + 1);
        last = digits_before(name);
    }
    return last == date.size() - 1 && name.size() > std::string_view(".0000-00-00-000000").size() &&
           name[name.size() - std::string_view(".0000-00-00-000000").size()] == '.';
}

bool has_own_name(std::string_view path) {
    while (!path.empty()) {
        const std::size_t end = std::min(path.find('/'), path.size());
        if (is_own_name(path.substr(0, end))) return true;
        path.remove_prefix(std::min(end + 1, path.size()));
    }
    return false;
}

std::string safe_name(std::string name) {
    for (char& c : name)
        if (static_cast<unsigned char>(c) < 0x20 || c == 0x7F ||
            std::string_view("/\\:*?\"<>|").find(c) != std::string_view::npos)
            c = '_';
    while (!name.empty() && (name.back() == '.' || name.back() == ' ')) name.back() = '_';
    constexpr std::string_view devices[] = {"con", "prn", "aux", "nul"};
    const std::string stem = lower(name.substr(0, name.find('.')));
    const bool is_port = stem.size() == 4 && (stem.starts_with("com") || stem.starts_with("lpt")) &&
                         std::isdigit(static_cast<unsigned char>(stem[3])) != 0;
    if (is_port || std::find(std::begin(devices), std::end(devices), stem) != std::end(devices))
        name.insert(name.begin(), '_');
    return name;
}

std::string why_unsafe(std::string_view name) {
    if (name.empty()) return "this is no name";
    if (name.front() == '/') return "this name begins at the root, not in its folder";
    for (std::size_t begin = 0; begin <= name.size();) {
        const std::size_t end = std::min(name.find('/', begin), name.size());
        const std::string one(name.substr(begin, end - begin));
        if (one == "..") return "this name leads out of its folder";
        if (one.empty() || one == "." || safe_name(one) != one) return "no system takes this name everywhere";
        begin = end + 1;
    }
    return {};
}

}  // namespace hotstitch
