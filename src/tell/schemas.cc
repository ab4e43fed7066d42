// SPDX-License-Identifier: MIT
// What stands in the JSON documents, told once: hotstitch --schemas prints it, docs/json.md is made from it, and the
// tests hold real output against it. Tested by tests/cli/cli_json_test.cc.
#include "tell/json.h"
#include "tell/schema_rows.h"

namespace hotstitch::tell {
namespace {

/// What the platforms tell besides ("ram", "mapping", "prg" …): any key, with a text.
constexpr std::string_view open_owner = "described";

bool is_scalar(std::string_view type) {
    return type == "string" || type == "integer" || type == "number" || type == "boolean";
}

Json schema_of(std::string_view owner);

Json type_of(std::string_view type) {
    if (type.ends_with("[]")) return {{"type", "array"}, {"items", type_of(type.substr(0, type.size() - 2))}};
    const bool nullable = type.ends_with('?');
    if (nullable) type.remove_suffix(1);
    if (type == "object")
        return {{"type", "object"},
                {"properties", Json::object()},
                {"required", Json::array()},
                {"additionalProperties", true}};
    Json out = is_scalar(type) ? Json{{"type", type}} : schema_of(type);
    if (type == "value") out["type"] = {"string", "number", "object", "null"};  // of a field: as its type has it
    if (nullable) out["type"] = Json::array({out["type"], "null"});
    return out;
}

void add_rows(Json& schema, std::string_view owner) {
    for (const SchemaRow& row : schema_rows()) {
        if (row.owner != owner) continue;
        const bool always = row.key.starts_with('*');
        const std::string key(row.key.substr(always ? 1 : 0));
        schema["properties"][key] = type_of(row.type);
        if (!row.what.empty()) schema["properties"][key]["description"] = row.what;
        if (always) schema["required"].push_back(key);
    }
}

Json schema_of(std::string_view owner) {
    Json schema = {{"type", "object"}, {"properties", Json::object()}, {"required", Json::array()}};
    add_rows(schema, owner);
    schema["additionalProperties"] = owner == open_owner ? Json{{"type", "string"}} : Json(false);
    return schema;
}

}  // namespace

JsonValue json_schemas() {
    Json all = Json::object();
    for (const std::string_view command : command_names) {
        Json schema = schema_of("document");
        add_rows(schema, command == "renew" ? "apply" : command);  // which makes a file as apply does
        Json document = {{"$schema", "https://json-schema.org/draft/2020-12/schema"},
                         {"title", "hotstitch/" + std::string(command)}};
        document.update(schema);
        all["hotstitch/" + std::string(command)] = std::move(document);
    }
    // A call that names no command, or one that there is not.
    Json none = {{"$schema", all["hotstitch/apply"]["$schema"]}, {"title", "hotstitch/hotstitch"}};
    none.update(schema_of("document"));
    all["hotstitch/hotstitch"] = std::move(none);
    return Json{{"version", schema_version}, {"schemas", std::move(all)}};
}

}  // namespace hotstitch::tell
