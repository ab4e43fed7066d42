// SPDX-License-Identifier: MIT
// Tested by tests/part/table_disc_test.cc.
#include "hotstitch/keys.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

#include "base/hex.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch {
namespace {

std::string_view trimmed(std::string_view text) {
    text.remove_prefix(std::min(text.find_first_not_of(" \t\r"), text.size()));
    return text.substr(0, text.find_last_not_of(" \t\r") + 1);
}

/// Never with the digits in the message: it may be shown to others.
[[noreturn]] void broken(std::size_t line, const char* wanted, std::string found) {
    throw Error(ErrorCode::damaged, fmt::format("line {} of the keys is no key", line))
        .in("keys")
        .wanted(wanted)
        .found(std::move(found));
}

Key key_from(std::string_view digits, std::size_t line) {
    Key key;
    if (digits.size() != 2 * key.size())
        broken(line, "NAME = 32 hexadecimal digits", counted(digits.size(), "character", "characters"));
    if (!bytes_from_hex(digits, key)) broken(line, "NAME = 32 hexadecimal digits", "another character");
    return key;
}

}  // namespace

Keys read_keys(std::string_view text) {
    constexpr std::size_t most = 64 << 10;
    if (text.size() > most)
        throw Error(ErrorCode::limit, "the file of keys is too large to be one")
            .in("keys")
            .wanted(fmt::format("at most {}", counted(most, "byte", "bytes")));
    Keys keys;
    for (std::size_t line = 1; !text.empty(); ++line) {
        std::string_view row = text.substr(0, text.find('\n'));
        text.remove_prefix(std::min(row.size() + 1, text.size()));
        row = trimmed(row.substr(0, row.find('#')));
        if (row.empty()) continue;
        const std::size_t equals = row.find('=');
        if (equals == std::string_view::npos) broken(line, "NAME = 32 hexadecimal digits", "no =");
        const std::string_view name = trimmed(row.substr(0, equals));
        if (name.empty()) broken(line, "NAME = 32 hexadecimal digits", "no name");
        if (!keys.by_name.emplace(name, key_from(trimmed(row.substr(equals + 1)), line)).second)
            broken(line, "each name once", fmt::format("{} again", escaped(name)));
    }
    if (keys.by_name.empty()) broken(1, "NAME = 32 hexadecimal digits", "nothing");
    return keys;
}

}  // namespace hotstitch
