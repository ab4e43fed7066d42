// SPDX-License-Identifier: MIT
// What stands in the JSON documents, told once: hotstitch --schemas prints it, docs/json.md is made from it, and the
// tests hold real output against it. Tested by tests/cli_json_test.cc.
#include "tell/json.h"

namespace hotstitch::tell {
namespace {

/// `owner`: a command, or a type that rows of others name. `type`: "string", "integer", "number", "boolean" or another
/// owner; "[]" behind it: an array of those; "?": or null. A star before the key: it is always there.
struct Row {
    std::string_view owner, key, type, what;
};

constexpr Row rows[] = {
    // What every document has, and what an error adds.
    {"document", "*schema", "schema", "name and version of the document"},
    {"document", "*answer", "string", "the verdict, for programs: made, fits, wrong-source, exists, usage …"},
    {"document", "*message", "string", "the verdict, for people"},
    {"document", "*exit", "integer", "the exit code"},
    {"document", "warnings", "string[]", "what went otherwise than expected"},
    {"document", "notes", "string[]", "what was chosen and why"},
    {"document", "not_checked", "string[]", "what no check could tell"},
    {"document", "next", "string[]", "what to do next"},
    {"document", "field", "string", "of an error: where"},
    {"document", "offset", "integer", "of an error: at which byte"},
    {"document", "wanted", "string", "of an error: what should be there"},
    {"document", "found", "string[]", "of an error: what is there"},
    {"schema", "*name", "string", "hotstitch/COMMAND"},
    {"schema", "*version", "integer", "rises when a key changes its meaning or goes"},

    // Types that several use.
    {"file", "*path", "string", "as it was named; wrong UTF-8 as U+F780 to U+F7FF"},
    {"file", "*part", "string?", "the part of it, ARCHIVE:MEMBER and the like"},
    {"file", "size", "integer", "in bytes"},
    {"file", "crc32", "string", "hexadecimal, as those that follow"},
    {"file", "md5", "string", ""},
    {"file", "sha1", "string", ""},
    {"file", "sha256", "string", ""},
    {"file", "format", "string", "of a patch"},
    {"digests", "size", "integer", "in bytes"},
    {"digests", "crc32", "string", ""},
    {"digests", "md5", "string", ""},
    {"digests", "sha1", "string", ""},
    {"digests", "sha256", "string", ""},
    {"coded", "*code", "string", "stable, for programs"},
    {"coded", "*text", "string", "for people"},
    {"mismatch", "*check", "string", "which check"},
    {"mismatch", "*wanted", "string", "what it should be"},
    {"mismatch", "*found", "string", "what it is"},
    {"range", "*offset", "integer", "in bytes"},
    {"range", "*length", "integer", "in bytes"},
    {"shared", "*literal", "integer", "bytes that stand in the patch"},
    {"shared", "*also_in_source", "integer?", "those of them that the source holds too; null: not counted"},
    {"step", "*name", "string", "the mend"},
    {"step", "*changes", "boolean", "whether it changes anything"},
    {"step", "*reason", "string?", "why there is nothing to do"},
    {"step", "*fields", "field[]", "what it sets"},
    {"step", "*ranges", "range[]", "where"},
    {"field", "*name", "string", ""},
    {"field", "*before", "string", "for people"},
    {"field", "*after", "string", "for people"},

    {"apply", "source", "file", "what was patched"},
    {"apply", "patch", "file[]", "in the order in which they were applied"},
    {"apply", "readme", "file[]", "texts beside a patch in its archive"},
    {"apply", "chosen", "file", "the patch that fits, of several in an archive"},
    {"apply", "checks_file", "file", "that lies beside the patch"},
    {"apply", "*made", "boolean", "whether this call made something"},
    {"apply", "output", "file", "what was made"},
    {"apply", "patch_makes", "file", "what the patch makes, where the output was changed afterwards"},
    {"apply", "checked", "string[]", "source, target: what was checked and right"},
    {"apply", "checked_source", "boolean", "there when a check said that it is the right source"},
    {"apply", "checked_target", "boolean", "there when a check said that it is the right result"},
    {"apply", "reading", "coded", "the representation in which the source was read"},
    {"apply", "internal_checks", "coded", "what became of the ROM's own checks"},
    {"apply", "backup", "file", "of what was replaced"},
    {"apply", "reverse", "file", "the patch that leads back"},
    {"apply", "receipt", "file", "by which undo and renew work"},
    {"apply", "by_receipt", "file", "renew: the receipt that it went by"},
    {"apply", "stage", "integer", "the patch that could not be applied, from 1"},
    {"apply", "reasons", "coded[]", "why the patch does not fit (docs/diagnosis.md)"},
    {"apply", "mismatches", "mismatch[]", "the checks that say no"},
    {"apply", "known_as", "string?", "by the list of known files"},
    {"apply", "needed", "string?", "the source that the patch needs, by that list"},

    {"create", "source", "file", "the original"},
    {"create", "target", "file", "the modified copy"},
    {"create", "patch", "file", "what was made"},
    {"create", "*made", "boolean", "whether this call made something"},
    {"create", "backup", "file", "of what was replaced"},
    {"create", "checks_file", "file", "made beside the patch"},
    {"create", "checked", "string[]", "result: applied and compared"},
    {"create", "own_bytes", "shared", "how much of the patch the source holds too"},
    {"create", "compression", "string?", "of a VCDIFF patch's sections"},
    {"create", "demands", "demands", "what some old appliers of the format fail on"},
    {"demands", "*grows", "boolean", ""},
    {"demands", "*cuts", "boolean", ""},
    {"demands", "*past_16_mib", "boolean", ""},

    {"recast", "source", "file", "the unpatched file"},
    {"recast", "patch", "file", "the old patch"},
    {"recast", "readme", "file[]", "texts beside it in its archive"},
    {"recast", "chosen", "file", "the patch that fits, of several in an archive"},
    {"recast", "checks_file", "file", "that lies beside it"},
    {"recast", "recast", "file", "the new patch"},
    {"recast", "*made", "boolean", "whether this call made something"},
    {"recast", "backup", "file", "of what was replaced"},
    {"recast", "checked", "string[]", "result: both patches make the same target"},

    {"overlap", "source", "file", "that all patches are for"},
    {"overlap", "patch", "file[]", ""},
    {"overlap", "readme", "file[]", "texts beside a patch in its archive"},
    {"overlap", "checks_file", "file", "that lies beside a patch"},
    {"overlap", "pairs", "pair[]", "every two patches"},
    {"pair", "*answer", "string", "apart, agree, checks-only, conflict"},
    {"pair", "*message", "string", "for people"},
    {"pair", "*exit", "integer", ""},
    {"pair", "*patch", "file[]", "the two"},
    {"pair", "*both_write", "both_write", "the places that both write"},
    {"pair", "*order_matters", "boolean", ""},
    {"pair", "*mend_settles_it", "boolean", "they differ in the ROM's own checks only"},
    {"pair", "*sizes_differ", "boolean", ""},
    {"pair", "next", "string[]", ""},
    {"both_write", "*ranges", "integer", "how many places"},
    {"both_write", "*bytes", "integer", "how many bytes"},
    {"both_write", "*differing", "integer", "in how many the results differ"},
    {"both_write", "*first", "agreement[]", "the first of them"},
    {"agreement", "*offset", "integer", "in bytes"},
    {"agreement", "*length", "integer", "in bytes"},
    {"agreement", "*agree", "boolean", "whether both write the same"},

    {"verify", "patch", "file", ""},
    {"verify", "readme", "file[]", "texts beside it in its archive"},
    {"verify", "checks_file", "file", "that lies beside it"},
    {"verify", "needed", "string?", "the source that it needs, by the list of known files"},
    {"verify", "sources", "candidate[]", "every file that was named, and of folders those that fit"},
    {"verify", "others", "integer", "files in folders that do not fit"},
    {"verify", "same", "boolean", "with --target: whether it is what the patch makes"},
    {"verify", "made_size", "integer", "with --target: what the patch makes, in bytes"},
    {"verify", "target_size", "integer", "with --target: what it has, in bytes"},
    {"verify", "first_difference", "integer", "with --target: at which byte"},
    {"verify", "mismatches", "mismatch[]", "the checks that say no"},
    {"verify", "receipt", "file", "with --receipt, as those that follow"},
    {"verify", "made_at", "string", "UTC"},
    {"verify", "made_of", "file", "the source"},
    {"verify", "made_by", "file[]", "the patches"},
    {"verify", "mends", "string[]", "codes of what was done besides"},
    {"verify", "is_source", "boolean", "something has put the source back"},
    {"candidate", "*answer", "string", "fits, already-patched, does-not-fit, cannot-be-known, or an error's"},
    {"candidate", "*message", "string", "for people"},
    {"candidate", "*exit", "integer", ""},
    {"candidate", "*path", "string", ""},
    {"candidate", "*part", "string?", ""},
    {"candidate", "size", "integer", "in bytes"},
    {"candidate", "reach", "integer", "how far a patch without checks writes"},
    {"candidate", "would_make", "integer", "the size of the result"},
    {"candidate", "reading", "coded", "the representation in which it fits"},
    {"candidate", "reasons", "coded[]", "why it does not fit"},
    {"candidate", "mismatches", "mismatch[]", ""},
    {"candidate", "known_as", "string?", "by the list of known files"},
    {"candidate", "warnings", "string[]", ""},
    {"candidate", "not_checked", "string[]", ""},
    {"candidate", "next", "string[]", ""},
    {"candidate", "field", "string", "of an error, as those that follow"},
    {"candidate", "offset", "integer", ""},
    {"candidate", "wanted", "string", ""},
    {"candidate", "found", "string[]", ""},

    {"undo", "file", "file", "what was undone"},
    {"undo", "receipt", "file", "that it went by"},
    {"undo", "patch", "file", "that led back, where one was given"},
    {"undo", "source", "file", "that stands untouched"},
    {"undo", "kept", "file", "what was not proven to be ours"},

    {"mend", "file", "file", "what is mended"},
    {"mend", "*made", "boolean", "whether this call made something"},
    {"mend", "mends", "offer[]", "without a mend: what there is"},
    {"mend", "steps", "step[]", "what was done, in this order"},
    {"mend", "output", "file", "what was made"},
    {"mend", "patch", "file", "with --patch: the change"},
    {"mend", "checked", "string[]", "with --patch: result"},
    {"mend", "backup", "file", "of what was replaced"},
    {"mend", "receipt", "file", "by which undo works"},
    {"offer", "*name", "string", ""},
    {"offer", "*what", "string", "for people"},
    {"offer", "*needs_value", "boolean", ""},
    {"offer", "*value", "string", "what it takes, for people"},
    {"offer", "*present", "string", "what stands there"},
    {"offer", "*needed", "boolean", "it puts right what is wrong"},
    {"offer", "*step", "step?", "what it would do; null: it needs a value, or cannot be done"},
    {"offer", "cannot", "string", "why not"},

    {"header", "file", "file", ""},
    {"header", "*made", "boolean", "whether this call made something"},
    {"header", "front_header", "integer", "its size in bytes; 0: none"},
    {"header", "platform_title", "string", "for people"},
    {"header", "sure", "boolean", "enough speaks for it to take it off"},
    {"header", "reasons", "string[]", "what speaks for it, for people"},
    {"header", "first_bytes", "string", "hexadecimal"},
    {"header", "kept", "file", "where the header was put"},
    {"header", "output", "file", "what was made"},
    {"header", "patch", "file", "with --patch: the change"},
    {"header", "checked", "string[]", "with --patch: result"},
    {"header", "backup", "file", "of what was replaced"},
    {"header", "receipt", "file", "by which undo works"},

    {"parts", "container", "container", "the file"},
    {"parts", "other", "container", "with --compare: the other one"},
    {"parts", "parts", "part[]", ""},
    {"container", "*path", "string", ""},
    {"container", "*kind", "string", "archive, cartridge"},
    {"container", "*title", "string", "for people"},
    {"container", "*size", "integer", "in bytes"},
    {"part", "*name", "string", "its address inside the file"},
    {"part", "*kind", "string", "file, content, front-header, header, bank"},
    {"part", "*size", "integer?", "in bytes, as it is stated"},
    {"part", "*encrypted", "boolean", ""},
    {"part", "offset", "integer", "where it stands as it is"},
    {"part", "opens", "string", "what it is, for people"},
    {"part", "crc32", "string", "with --digests"},
    {"part", "sha1", "string", "with --digests"},
    {"part", "state", "string", "with --compare: same, changed, only-here, only-there"},
    {"part", "changed_bytes", "integer", "with --compare"},
    {"part", "changed_places", "integer", "with --compare"},

    {"take", "taken", "taken[]", "what was written"},
    {"take", "*made", "boolean", "whether this call made something"},
    {"taken", "*name", "string", "of the part"},
    {"taken", "*path", "string", "where it went"},
    {"taken", "*size", "integer", "in bytes"},

    {"put", "file", "file", "what was changed"},
    {"put", "*made", "boolean", "whether this call made something"},
    {"put", "parts", "put_part[]", "what was put in"},
    {"put", "output", "file", "what was made"},
    {"put", "patch", "file", "with --patch: the change"},
    {"put", "checked", "string[]", "with --patch: result"},
    {"put", "backup", "file", "of what was replaced"},
    {"put", "receipt", "file", "by which undo works"},
    {"put_part", "*name", "string", ""},
    {"put_part", "*from", "string", "the address of its content"},
    {"put_part", "*offset", "integer?", "where it stands"},
    {"put_part", "*size", "integer", "in bytes"},
    {"put_part", "*size_before", "integer", "of the file"},
    {"put_part", "*size_after", "integer", "of the file"},
    {"put_part", "*changed_bytes", "integer", "of its content"},
    {"put_part", "*mended_bytes", "integer", "outside it, of the file's own checks"},

    {"describe", "files", "described[]", "in the order in which they were named"},
    {"described", "*answer", "string", "the kind, or an error's"},
    {"described", "*message", "string", "for people"},
    {"described", "*exit", "integer", ""},
    {"described", "*path", "string", ""},
    {"described", "*part", "string?", ""},
    {"described", "archive", "file", "that it lies in, where only the archive was named"},
    {"described", "kind", "string", "patch, archive, cartridge, executable, text, data …"},
    {"described", "size", "integer", "in bytes"},
    {"described", "crc32", "string", ""},
    {"described", "md5", "string", ""},
    {"described", "sha1", "string", ""},
    {"described", "known_as", "string?", "by the list of known files"},
    {"described", "holds", "member[]", "of an archive"},
    {"described", "reading", "coded", "of a cartridge, as those that follow: how the console reads it"},
    {"described", "as_read", "digests", "so read"},
    {"described", "revision", "integer", ""},
    {"described", "declared_size", "integer", "what its header says"},
    {"described", "rom_size", "integer", "without a front header"},
    {"described", "front_header", "integer", "in bytes; 0: none"},
    {"described", "checks", "check[]", "its own"},
    {"described", "evidence", "string[]", "what speaks for the platform, for people"},
    {"described", "also_like", "string[]", "other platforms that would fit"},
    {"described", "places", "place[]", "with --at"},
    {"described", "free", "run[]", "with --free"},
    {"described", "entry", "integer", "of an executable, as those that follow: where it begins to run"},
    {"described", "looks_packed", "boolean", "packed or encrypted"},
    {"described", "segments", "memory_segment[]", "sections or segments"},
    {"described", "records", "integer", "of a patch, as those that follow"},
    {"described", "source", "file", "with --source"},
    {"described", "own_bytes", "shared", "with --source"},
    {"described", "reach", "integer", "where the last record ends"},
    {"described", "cut", "integer", "the size that the target is cut to"},
    {"described", "target_size", "integer", "with --source"},
    {"described", "edits", "edits", ""},
    {"described", "new_share", "number", "of the target, in per cent"},
    {"described", "touches", "touches", ""},
    {"described", "needs", "digests", "the source"},
    {"described", "makes", "digests", "the target"},
    {"described", "checks_file", "file", "that lies beside it"},
    {"described", "window_count", "integer", ""},
    {"described", "windows", "window[]", "the first 4096"},
    {"described", "compression", "string?", "of the sections"},
    {"described", "source_reach", "integer", "how far it reads the source"},
    {"described", "warnings", "string[]", ""},
    {"described", "notes", "string[]", ""},
    {"described", "not_checked", "string[]", ""},
    {"described", "next", "string[]", ""},
    {"described", "offset", "integer", "of an error"},
    {"described", "found", "string[]", "of an error"},
    {"member", "*name", "string", ""},
    {"member", "*encrypted", "boolean", ""},
    {"member", "kind", "string", "of the first of them"},
    {"check", "*name", "string", ""},
    {"check", "*state", "string", "right, wrong, unknown"},
    {"check", "*wanted", "string", ""},
    {"check", "*found", "string", ""},
    {"check", "*mendable", "boolean", ""},
    {"check", "*note", "string", ""},
    {"place", "*asked", "string", ""},
    {"place", "error", "string", "why it is none; the rest is missing then"},
    {"place", "address", "string?", ""},
    {"place", "file_offset", "integer", ""},
    {"place", "rom_offset", "integer", ""},
    {"place", "bytes", "string", "hexadecimal"},
    {"run", "*offset", "integer", "in the ROM"},
    {"run", "*length", "integer", ""},
    {"run", "*value", "integer", ""},
    {"run", "*bank", "integer?", ""},
    {"run", "*address", "string", ""},
    {"touches", "*bytes", "integer", ""},
    {"touches", "*ranges", "integer", "how many places"},
    {"touches", "*first", "range[]", "the first 64"},
    {"edits", "*same_place", "count", ""},
    {"edits", "*moved", "count", ""},
    {"edits", "*repeated", "count", ""},
    {"edits", "*literal", "count", ""},
    {"edits", "*run", "count", ""},
    {"edits", "*xored", "count", ""},
    {"count", "*edits", "integer", ""},
    {"count", "*bytes", "integer", ""},
    {"memory_segment", "*name", "string", ""},
    {"memory_segment", "*offset", "integer", "in the file"},
    {"memory_segment", "*size", "integer", "in the file"},
    {"memory_segment", "*address", "integer", ""},
    {"memory_segment", "*memory", "integer", "bytes in memory; what the file has not, is filled with 00"},
    {"memory_segment", "*loaded", "boolean", ""},
    {"memory_segment", "*rights", "string", "of r, w, x"},
    {"memory_segment", "*entropy", "number?", "bits a byte of its first 4 MiB"},
    {"window", "*number", "integer", ""},
    {"window", "*offset", "integer", "in the target"},
    {"window", "*length", "integer", ""},
    {"window", "*segment", "segment?", ""},
    {"window", "*sections", "section[]", "data, instructions, addresses"},
    {"window", "*patch_offset", "integer", ""},
    {"window", "*patch_length", "integer", ""},
    {"window", "*adler32", "string?", ""},
    {"segment", "*of", "string", "source, target"},
    {"segment", "*offset", "integer", ""},
    {"segment", "*length", "integer", ""},
    {"section", "*size", "integer", ""},
    {"section", "*compressed", "boolean", ""},
};

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
    Json out = is_scalar(type) ? Json{{"type", type}} : schema_of(type);
    if (nullable) out["type"] = Json::array({out["type"], "null"});
    return out;
}

void add_rows(Json& schema, std::string_view owner) {
    for (const Row& row : rows) {
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
    return Json{{"version", schema_version}, {"schemas", std::move(all)}};
}

}  // namespace hotstitch::tell
