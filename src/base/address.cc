// SPDX-License-Identifier: MIT
// Tested by tests/base/address_test.cc.
#include "hotstitch/address.h"

#include "hotstitch/error.h"

namespace hotstitch {
namespace {

constexpr std::size_t most_names = 16;

}  // namespace

std::string escaped_part(std::string_view name) {
    std::string out;
    for (const char c : name) {
        if (c == ':') out += '\\';
        out += c;
    }
    return out;
}

std::vector<std::string> split_address(std::string_view address) {
    if (address.empty()) return {};
    std::vector<std::string> names(1);
    for (std::size_t i = 0; i < address.size(); ++i) {
        if (address[i] == ':') {
            names.emplace_back();
            continue;
        }
        if (address[i] == '\\' && i + 1 < address.size() && address[i + 1] == ':') ++i;
        names.back() += address[i];
    }
    if (names.size() > most_names)
        throw Error(ErrorCode::usage, "the address goes deeper than parts are opened")
            .wanted("at most " + std::to_string(most_names) + " names")
            .found(std::to_string(names.size()) + " names");
    return names;
}

std::string joined_address(const std::vector<std::string>& names) {
    std::string out;
    for (const std::string& name : names) {
        if (&name != &names.front()) out += ':';
        out += escaped_part(name);
    }
    return out;
}

std::string joined_address(std::string_view outer, std::string_view inner) {
    std::string out(outer);
    if (!outer.empty() && !inner.empty()) out += ':';
    return out += inner;
}

Address Address::parse(std::string_view text, const std::function<bool(const std::string&)>& is_there) {
    const std::string whole(text);
    if (is_there(whole)) return {whole};
    for (std::size_t colon = whole.find(':'); colon != std::string::npos; colon = whole.find(':', colon + 1))
        if (is_there(whole.substr(0, colon))) {
            Address address{whole.substr(0, colon), split_address(text.substr(colon + 1))};
            if (!address.names_part()) address.parts.emplace_back();  // "FILE:"
            return address;
        }
    return {whole};
}

std::string Address::string() const {
    return names_part() ? file + ':' + inside() : file;
}

}  // namespace hotstitch
