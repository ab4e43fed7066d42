// SPDX-License-Identifier: MIT
// After the end marker stands nothing, a length, a JSON object, or a length and then a JSON object.
// docs/formats/ips.md section 4. Tested by tests/format/ips_reader_test.cc.
#include <nlohmann/json.hpp>

#include "base/cursor.h"
#include "format/ips/ips_format.h"

namespace hotstitch::ips {
namespace {

bool is_json_object(ByteView bytes, std::uint64_t& budget) {
    std::string_view text = text_of(bytes);
    if (text.empty() || text.front() != '{') return false;
    const std::size_t last = text.find_last_not_of(" \t\r\n");
    if (text[last] != '}') return false;
    if (text.size() > budget)
        throw Error(ErrorCode::limit, "the patch has too many places that could be its end marker")
            .in("end marker")
            .hint("such a patch is not made by accident; ask for it from another place");
    budget -= text.size();
    // The parser takes a 00 for the end of the text.
    return text.find('\0') == std::string_view::npos && nlohmann::json::accept(text.begin(), text.end());
}

}  // namespace

std::optional<Tail> parse_tail(const Layout& layout, ByteView tail, std::uint64_t& json_budget) {
    if (tail.empty()) return Tail{};
    // Exactly as many bytes as a length has are always a length. IPS32 files with a 3-byte one exist.
    for (std::size_t width = layout.offset_width; width >= 3; --width)
        if (tail.size() == width) return Tail{Cursor(tail).big_endian(width, "cut length"), {}};
    if (is_json_object(tail, json_budget)) return Tail{{}, tail};
    for (std::size_t width = layout.offset_width; width >= 3; --width)
        if (tail.size() > width && is_json_object(tail.subspan(width), json_budget))
            return Tail{Cursor(tail).big_endian(width, "cut length"), tail.subspan(width)};
    return std::nullopt;
}

}  // namespace hotstitch::ips
