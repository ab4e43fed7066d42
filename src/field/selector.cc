// SPDX-License-Identifier: MIT
// Tested by tests/field/fields_test.cc.
#include "field/selector.h"

#include <fmt/format.h>

#include <charconv>

#include "hotstitch/error.h"
#include "hotstitch/fields.h"

namespace hotstitch {
namespace {

[[noreturn]] void no_selector(std::string_view text) {
    throw Error(ErrorCode::usage, "this names no field")
        .wanted("berth[12].depth, berth[North Quay].depth, berth[*].depth, berth[3-7], berth")
        .found(std::string(text));
}

bool number_from(std::string_view text, std::uint64_t& number) {
    const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), number);
    return code == std::errc() && end == text.data() + text.size();
}

/// Where the bracket that opens at `open` closes; quotes may hold one. npos: nowhere.
std::size_t closing_bracket(std::string_view text, std::size_t open) {
    if (text.substr(open, 2) != "[\"") return text.find(']', open);
    for (std::size_t at = open + 2; at < text.size(); ++at) {
        if (text[at] == '\\')
            ++at;
        else if (text[at] == '"')
            return text.substr(at + 1, 1) == "]" ? at + 1 : std::string_view::npos;
    }
    return std::string_view::npos;
}

void read_records(std::string_view inside, Selector& selector) {
    const std::size_t dash = inside.find('-');
    if (inside == "*") return;
    if (number_from(inside, selector.first)) {
        selector.records = Selector::Records::range;
        selector.last = selector.first;
        return;
    }
    if (dash != std::string_view::npos && number_from(inside.substr(0, dash), selector.first) &&
        number_from(inside.substr(dash + 1), selector.last)) {
        selector.records = Selector::Records::range;
        return;
    }
    selector.records = Selector::Records::key;
    if (!inside.starts_with('"')) return selector.key = inside, void();
    inside = inside.substr(1, inside.size() - 2);
    for (std::size_t i = 0; i < inside.size(); ++i) {
        if (inside[i] == '\\' && i + 1 < inside.size()) ++i;
        selector.key += inside[i];
    }
}

/// How much of the text is the selector, up to an "=" behind it.
std::size_t selector_length(std::string_view text) {
    const std::size_t open = text.find('['), equals = text.find('=');
    if (open == std::string_view::npos || equals < open) return std::min(equals, text.size());
    const std::size_t close = closing_bracket(text, open);
    if (close == std::string_view::npos) no_selector(text);
    return std::min(text.find('=', close), text.size());
}

}  // namespace

Selector selector_from(std::string_view text) {
    Selector selector;
    const std::size_t name_end = text.find_first_of("[.");
    selector.table = text.substr(0, name_end);
    std::string_view rest = text.substr(std::min(name_end, text.size()));
    if (rest.starts_with('[')) {
        const std::size_t close = closing_bracket(rest, 0);
        if (close == std::string_view::npos || close < 2) no_selector(text);
        read_records(rest.substr(1, close - 1), selector);
        rest.remove_prefix(close + 1);
    }
    if (rest.starts_with('.') && rest.size() > 1)
        selector.field = rest.substr(1);
    else if (!rest.empty())
        no_selector(text);
    if (selector.table.empty() || selector.last < selector.first) no_selector(text);
    return selector;
}

std::string field_name(std::string_view table, std::uint64_t index, std::string_view field) {
    return fmt::format("{}[{}].{}", table, index, field);
}

FieldSetting field_setting(std::string_view text) {
    const std::size_t length = selector_length(text);
    if (length == text.size() || length == 0)
        throw Error(ErrorCode::usage, "this does not say what the field is to be")
            .wanted("SELECTOR=VALUE")
            .found(std::string(text));
    return {std::string(text.substr(0, length)), std::string(text.substr(length + 1))};
}

}  // namespace hotstitch
