// SPDX-License-Identifier: MIT
// The checks file, docs/formats/checks.md.
#include "hotstitch/checks.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "hotstitch/error.h"

namespace hotstitch {
namespace {

using Json = nlohmann::ordered_json;
constexpr std::string_view schema_name = "hotstitch/checks";
constexpr int schema_version = 1;

Json to_json(const Digests& digests) {
    Json out = Json::object();
    if (digests.size) out["size"] = *digests.size;
    if (digests.crc32) out["crc32"] = digests.crc32->hex();
    if (digests.md5) out["md5"] = hex(digests.md5->bytes);
    if (digests.sha1) out["sha1"] = hex(digests.sha1->bytes);
    if (digests.sha256) out["sha256"] = hex(digests.sha256->bytes);
    return out;
}

[[noreturn]] void broken(std::string_view field, std::string_view why) {
    throw Error(ErrorCode::damaged, fmt::format("the checks file is damaged: {}", why))
        .in(std::string(field))
        .hint("get it again, or write it anew with create --checks");
}

Digests digests_from(const Json& document, std::string_view field) {
    Digests digests;
    const auto found = document.find(field);
    if (found == document.end()) return digests;
    if (!found->is_object()) broken(field, "an entry is no object");
    try {
        if (const auto size = found->find("size"); size != found->end()) {
            if (!size->is_number_unsigned()) broken(field, "a size is no whole number");
            digests.size = size->get<std::uint64_t>();
        }
        for (const char* name : {"crc32", "md5", "sha1", "sha256"})
            if (const auto value = found->find(name); value != found->end()) {
                if (!value->is_string()) broken(field, "a checksum is no text");
                add_digest(digests, fmt::format("{}:{}", name, value->get_ref<const std::string&>()));
            }
    } catch (const Error& error) {
        if (error.code() != ErrorCode::usage) throw;
        broken(field, error.what());
    }
    return digests;
}

}  // namespace

std::string checks_to_json(const Checks& checks) {
    Json document;
    document["schema"] = {{"name", schema_name}, {"version", schema_version}};
    document["patch"] = to_json(checks.patch);
    document["source"] = to_json(checks.source);
    document["target"] = to_json(checks.target);
    return document.dump(2) + "\n";
}

Checks checks_from_json(std::string_view text) {
    const Json document = Json::parse(text, nullptr, false);
    if (!document.is_object()) broken("document", "it is no JSON object");
    const auto schema = document.find("schema");
    if (schema == document.end() || !schema->is_object() || schema->value("name", Json()) != Json(schema_name))
        broken("schema", "it does not say that it is one");
    if (schema->value("version", Json()) != Json(schema_version))
        throw Error(ErrorCode::unsupported, "the checks file is of another version than this program reads")
            .in("schema.version")
            .wanted(std::to_string(schema_version))
            .hint("use a newer version of this program");
    return {digests_from(document, "patch"), digests_from(document, "source"), digests_from(document, "target")};
}

}  // namespace hotstitch
