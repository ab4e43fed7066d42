// SPDX-License-Identifier: MIT
// Tested by tests/format/edits_test.cc and tests/kit/kit_test.cc.
#include "toml/values.h"

#include <fmt/format.h>

namespace hotstitch {

Digests digests_in(TomlTable& in) {
    Digests digests;
    if (const TomlValue size = in.find("size")) digests.size = size.offset();
    for (const char* const name : {"crc32", "md5", "sha1", "sha256"})
        if (const TomlValue hash = in.find(name)) try {
                add_digest(digests, fmt::format("{}:{}", name, hash.string()));
            } catch (const Error& error) {
                throw hash.error(error.what()).found(hash.string());
            }
    return digests;
}

Digests digests_of(const TomlValue& value, const char* what) {
    TomlTable in(value, what);
    const Digests digests = digests_in(in);
    in.finish();
    return digests;
}

std::string value_text(const TomlValue& value) {
    if (value.is(TomlValue::Kind::integer)) return std::to_string(value.integer());
    if (value.is(TomlValue::Kind::real)) return fmt::format("{}", value.real());
    return value.string();
}

std::string in_quotes(std::string_view text) {
    std::string out = "\"";
    for (const char c : text) {
        const auto byte = static_cast<unsigned char>(c);
        if (c == '"' || c == '\\')
            out += '\\', out += c;
        else if (byte < 0x20 || byte == 0x7F)
            out += fmt::format("\\u{:04x}", byte);
        else
            out += c;
    }
    return out + "\"";
}

std::string value_in_toml(const std::string& value) {
    const bool number = !value.empty() && value.size() < 18 &&
                        (value == "0" || value.find_first_of("123456789") == (value[0] == '-' ? 1u : 0u)) &&
                        value.find_first_not_of("0123456789", value[0] == '-' ? 1 : 0) == std::string::npos;
    return number ? value : in_quotes(value);
}

std::string digests_in_toml(const Digests& digests, std::string_view between) {
    std::string out;
    const auto add = [&](std::string_view name, const std::string& value) {
        out += fmt::format("{}{} = {}", out.empty() ? "" : between, name, value);
    };
    if (digests.size) add("size", std::to_string(*digests.size));
    if (digests.crc32) add("crc32", in_quotes(digests.crc32->hex()));
    if (digests.md5) add("md5", in_quotes(hex(digests.md5->bytes)));
    if (digests.sha1) add("sha1", in_quotes(hex(digests.sha1->bytes)));
    if (digests.sha256) add("sha256", in_quotes(hex(digests.sha256->bytes)));
    return out;
}

}  // namespace hotstitch
