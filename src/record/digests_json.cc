// SPDX-License-Identifier: MIT
#include "record/digests_json.h"

namespace hotstitch {

OrderedJson digests_to_json(const Digests& digests) {
    OrderedJson out = OrderedJson::object();
    if (digests.size) out["size"] = *digests.size;
    if (digests.crc32) out["crc32"] = digests.crc32->hex();
    if (digests.md5) out["md5"] = hex(digests.md5->bytes);
    if (digests.sha1) out["sha1"] = hex(digests.sha1->bytes);
    if (digests.sha256) out["sha256"] = hex(digests.sha256->bytes);
    return out;
}

void broken_document(std::string_view what, std::string_view field, std::string_view why) {
    throw Error(ErrorCode::damaged, fmt::format("the {} is damaged: {}", what, why))
        .in(std::string(field))
        .hint("get it again, or have it written anew");
}

Digests digests_from_json(const OrderedJson& document, std::string_view field, std::string_view what) {
    Digests digests;
    const auto found = document.find(field);
    if (found == document.end()) return digests;
    if (!found->is_object()) broken_document(what, field, "an entry is no object");
    try {
        if (const auto size = found->find("size"); size != found->end()) {
            if (!size->is_number_unsigned()) broken_document(what, field, "a size is no whole number");
            digests.size = size->get<std::uint64_t>();
        }
        for (const char* name : {"crc32", "md5", "sha1", "sha256"})
            if (const auto value = found->find(name); value != found->end()) {
                if (!value->is_string()) broken_document(what, field, "a checksum is no text");
                add_digest(digests, fmt::format("{}:{}", name, value->get_ref<const std::string&>()));
            }
    } catch (const Error& error) {
        if (error.code() != ErrorCode::usage) throw;
        broken_document(what, field, error.what());
    }
    return digests;
}

OrderedJson parsed_document(std::string_view text, std::string_view schema_name, int schema_version,
                            std::string_view what) {
    OrderedJson document = OrderedJson::parse(text, nullptr, false);
    if (!document.is_object()) broken_document(what, "document", "it is no JSON object");
    const auto schema = document.find("schema");
    if (schema == document.end() || !schema->is_object() ||
        schema->value("name", OrderedJson()) != OrderedJson(schema_name))
        broken_document(what, "schema", "it does not say that it is one");
    const OrderedJson version = schema->value("version", OrderedJson());
    if (version != OrderedJson(schema_version)) {
        const bool older = version.is_number() && version < OrderedJson(schema_version);
        throw Error(ErrorCode::unsupported, fmt::format("the {} is of another version than this program reads", what))
            .in("schema.version")
            .wanted(std::to_string(schema_version))
            .found(version.is_number() ? version.dump() : "")
            .hint(older ? "it was written before the first release of this program, whose form this is no more"
                        : "use a newer version of this program");
    }
    return document;
}

}  // namespace hotstitch
