// SPDX-License-Identifier: MIT
// Before the library sees a text, its values and the depth of its keys are counted: what it makes of each takes some
// hundred bytes, and it frees nested tables by recursion. Tested by tests/field/map_test.cc.
#include "toml/document.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/hex.h"
#include "hotstitch/text.h"

#if HOTSTITCH_WITH_TOML
#if defined(__clang__)
#pragma clang diagnostic push
#pragma clang diagnostic ignored "-Weverything"
#else
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wconversion"
#endif
#include <toml++/toml.h>
#if defined(__clang__)
#pragma clang diagnostic pop
#else
#pragma GCC diagnostic pop
#endif
#endif

namespace hotstitch {
namespace {

constexpr unsigned deepest_key = 8;

/// Where a string that begins at `at` ends; the text's end for one that does not.
std::size_t behind_string(std::string_view text, std::size_t at) {
    const char quote = text[at];
    const bool lines = text.substr(at, 3) == std::string(3, quote);
    for (at += lines ? 3 : 1; at < text.size(); ++at) {
        if (quote == '"' && text[at] == '\\') {
            ++at;
        } else if (text[at] == quote) {
            if (!lines) return at + 1;
            if (text.substr(at, 3) == std::string(3, quote)) return at + 3;
        } else if (text[at] == '\n' && !lines) {
            return at;  // the library says what is wrong
        }
    }
    return text.size();
}

void check_budget(std::string_view text, const std::string& name) {
    if (text.size() > longest_toml)
        throw Error(ErrorCode::limit, fmt::format("{} is longer than is read", name))
            .wanted(fmt::format("at most {}", counted(longest_toml, "byte", "bytes")))
            .found(counted(text.size(), "byte", "bytes"));
    std::size_t values = 0;
    unsigned depth = 0, line = 1;
    for (std::size_t at = 0; at < text.size();) {
        const char c = text[at];
        if (c == '"' || c == '\'') {
            const std::size_t end = behind_string(text, at);
            line += static_cast<unsigned>(std::count(text.begin() + static_cast<std::ptrdiff_t>(at),
                                                     text.begin() + static_cast<std::ptrdiff_t>(end), '\n'));
            at = std::max(end, at + 1);
            continue;
        }
        if (c == '#') {
            at = std::min(text.find('\n', at), text.size());
            continue;
        }
        if (c == '=' || c == ',' || c == '[' || c == '{') ++values;
        if (c == '.')
            ++depth;
        else if (std::string_view("=,[]{}\n").find(c) != std::string_view::npos)
            depth = 0;
        if (c == '\n') ++line;
        if (values > most_toml_values || depth > deepest_key)
            throw Error(ErrorCode::limit,
                        depth > deepest_key
                            ? fmt::format("{}, line {}: a key of more than {} parts", name, line, deepest_key + 1)
                            : fmt::format("{} has more than {} values", name, most_toml_values));
        ++at;
    }
}

std::string_view word_for(TomlValue::Kind kind) {
    switch (kind) {
        case TomlValue::Kind::boolean: return "true or false";
        case TomlValue::Kind::integer: return "a number";
        case TomlValue::Kind::real: return "a number";
        case TomlValue::Kind::string: return "a text in quotes";
        case TomlValue::Kind::array: return "a list";
        case TomlValue::Kind::table: return "a table";
        case TomlValue::Kind::other: return "a date or time";
        case TomlValue::Kind::none: break;
    }
    return "nothing";
}

void require(const TomlValue& value, TomlValue::Kind wanted) {
    if (!value.is(wanted))
        throw value.error("this is of another kind")
            .wanted(std::string(word_for(wanted)))
            .found(std::string(word_for(value.kind())));
}

}  // namespace

#if HOTSTITCH_WITH_TOML

struct TomlDocument::State {
    std::string name;
    toml::table root;
};

namespace {

const toml::node& node_of(const void* node) {
    return *static_cast<const toml::node*>(node);
}

}  // namespace

TomlDocument::TomlDocument(std::string_view text, std::string name) : state_(std::make_unique<State>()) {
    state_->name = std::move(name);
    check_budget(text, state_->name);
    try {
        state_->root = toml::parse(text);
    } catch (const toml::parse_error& error) {
        std::string why(error.description());
        std::replace_if(
            why.begin(), why.end(), [](unsigned char c) { return c < 0x20; }, ' ');
        throw Error(ErrorCode::damaged,
                    fmt::format("{}, line {}: this is no TOML", state_->name, error.source().begin.line))
            .found(why);
    }
}

TomlValue::Kind TomlValue::kind() const noexcept {
    if (node_ == nullptr) return Kind::none;
    switch (node_of(node_).type()) {
        case toml::node_type::boolean: return Kind::boolean;
        case toml::node_type::integer: return Kind::integer;
        case toml::node_type::floating_point: return Kind::real;
        case toml::node_type::string: return Kind::string;
        case toml::node_type::array: return Kind::array;
        case toml::node_type::table: return Kind::table;
        default: return Kind::other;
    }
}

unsigned TomlValue::line() const noexcept {
    return node_ == nullptr ? 0 : node_of(node_).source().begin.line;
}

std::int64_t TomlValue::integer(std::int64_t least, std::int64_t most) const {
    require(*this, Kind::integer);
    const std::int64_t value = node_of(node_).as_integer()->get();
    if (value < least || value > most)
        throw error("this number is out of range")
            .wanted(least == 0 && most == INT64_MAX ? "0 or more" : fmt::format("{} to {}", least, most))
            .found(std::to_string(value));
    return value;
}

double TomlValue::real() const {
    if (is(Kind::integer)) return static_cast<double>(integer());
    require(*this, Kind::real);
    return node_of(node_).as_floating_point()->get();
}

bool TomlValue::boolean() const {
    require(*this, Kind::boolean);
    return node_of(node_).as_boolean()->get();
}

std::string TomlValue::string() const {
    require(*this, Kind::string);
    return node_of(node_).as_string()->get();
}

std::vector<TomlValue> TomlValue::array() const {
    require(*this, Kind::array);
    std::vector<TomlValue> all;
    for (const toml::node& node : *node_of(node_).as_array()) all.push_back(TomlValue(&node, name_));
    return all;
}

std::vector<std::pair<std::string, TomlValue>> TomlValue::table() const {
    require(*this, Kind::table);
    std::vector<std::pair<std::string, TomlValue>> all;
    for (auto&& [key, node] : *node_of(node_).as_table())
        all.emplace_back(std::string(key.str()), TomlValue(&node, name_));
    const auto place = [](const auto& pair) {
        const toml::source_position at = node_of(pair.second.node_).source().begin;
        return std::pair(at.line, at.column);
    };
    std::stable_sort(all.begin(), all.end(), [&](const auto& a, const auto& b) { return place(a) < place(b); });
    return all;
}

TomlValue TomlDocument::root() const noexcept {
    return {&state_->root, &state_->name};
}

TomlValue TomlTable::find(std::string_view key) {
    if (std::find(known_.begin(), known_.end(), key) == known_.end()) known_.emplace_back(key);
    return {node_of(value_.node_).as_table()->get(key), value_.name_};
}

#else

struct TomlDocument::State {
    std::string name;
};

TomlDocument::TomlDocument(std::string_view text, std::string name)
    : state_(std::make_unique<State>(State{std::move(name)})) {
    check_budget(text, state_->name);
    throw Error(ErrorCode::unsupported, "this build reads no TOML, so no maps and no edit lists");
}

TomlValue::Kind TomlValue::kind() const noexcept {
    return Kind::none;
}
unsigned TomlValue::line() const noexcept {
    return 0;
}
std::int64_t TomlValue::integer(std::int64_t, std::int64_t) const {
    return require(*this, Kind::integer), 0;
}
double TomlValue::real() const {
    return require(*this, Kind::real), 0;
}
bool TomlValue::boolean() const {
    return require(*this, Kind::boolean), false;
}
std::string TomlValue::string() const {
    return require(*this, Kind::string), std::string();
}
std::vector<TomlValue> TomlValue::array() const {
    return {};
}
std::vector<std::pair<std::string, TomlValue>> TomlValue::table() const {
    return {};
}
TomlValue TomlDocument::root() const noexcept {
    return {};
}
TomlValue TomlTable::find(std::string_view) {
    return {};
}

#endif

TomlDocument::~TomlDocument() = default;

const std::string& TomlDocument::name() const noexcept {
    return state_->name;
}

Error TomlValue::error(const std::string& message) const {
    const std::string place = name_ == nullptr ? std::string() : fmt::format("{}, line {}: ", *name_, line());
    return Error(ErrorCode::damaged, place + message);
}

TomlTable::TomlTable(TomlValue value, std::string what) : value_(value), what_(std::move(what)) {
    require(value_, TomlValue::Kind::table);
}

TomlValue TomlTable::need(std::string_view key) {
    const TomlValue found = find(key);
    if (!found) throw value_.error(fmt::format("{} has no {}", what_, key)).in(std::string(key));
    return found;
}

void TomlTable::finish() const {
    for (const auto& [key, value] : value_.table()) {
        if (std::find(known_.begin(), known_.end(), key) != known_.end()) continue;
        const std::string near = nearest_word(key, known_);
        throw value.error(fmt::format("{} has no key \"{}\"", what_, key))
            .wanted(fmt::format("{}", fmt::join(known_, ", ")))
            .hint(near.empty() ? "" : fmt::format("did you mean {}?", near));
    }
}

Bytes hex_bytes(const TomlValue& value) {
    const std::string digits = without_spaces(value.string());
    Bytes bytes;
    bytes.reserve(digits.size() / 2);
    for (std::string_view rest = digits; !rest.empty(); rest.remove_prefix(2)) {
        const auto byte = byte_from_hex(rest);
        if (!byte)
            throw value.error("these are no bytes")
                .wanted("two hexadecimal digits a byte: \"A9 0D\"")
                .found(std::string(rest.substr(0, 2)));
        bytes.push_back(*byte);
    }
    return bytes;
}

}  // namespace hotstitch
