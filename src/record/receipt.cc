// SPDX-License-Identifier: MIT
// Tested by tests/job/receipt_test.cc.
#include "hotstitch/receipt.h"

#include "hotstitch/text.h"
#include "record/digests_json.h"
#include "record/steps.h"

namespace hotstitch {
namespace {

constexpr std::string_view receipt_schema = "hotstitch/receipt", receipt_words = "receipt";
constexpr int receipt_version = 3;

OrderedJson to_json(const ReceiptFile& file) {
    OrderedJson out = {{"path", as_utf8(file.path)}};
    out.update(digests_to_json(file.digests));
    return out;
}

std::string text_at(const OrderedJson& object, std::string_view field, bool required) {
    const auto found = object.find(field);
    if (found == object.end() && !required) return {};
    if (found == object.end() || !found->is_string())
        broken_document(receipt_words, field, "a text is missing or is none");
    return from_utf8(found->get<std::string>());
}

ReceiptFile file_from(const OrderedJson& document, std::string_view field) {
    ReceiptFile file;
    file.digests = digests_from_json(document, field, receipt_words);
    if (!file.digests.size || !file.digests.crc32)
        broken_document(receipt_words, field, "a file's size or checksum is missing");
    file.path = text_at(document.at(std::string(field)), "path", true);
    return file;
}

std::optional<FileIdentity> identity_from(const OrderedJson& document, std::string_view field) {
    const auto found = document.find(field);
    if (found == document.end()) return std::nullopt;
    const auto number = [&](const char* name) {
        const auto value = found->is_object() ? found->find(name) : found->end();
        if (!found->is_object() || value == found->end() || !value->is_number_integer())
            broken_document(receipt_words, field, "an identity is none");
        return *value;
    };
    return FileIdentity{number("inode").get<std::uint64_t>(), number("modified").get<std::int64_t>()};
}

OrderedJson identity_json(const FileIdentity& identity) {
    return {{"inode", identity.inode}, {"modified", identity.modified}};
}

OrderedJson to_json(const ReceiptSource& source) {
    OrderedJson row = to_json(source.file);
    if (source.folder) row["folder"] = true;
    if (!source.id.empty()) row["id"] = source.id, row["edition"] = as_utf8(source.edition);
    if (source.reading) row["reading"] = code_of(*source.reading);
    if (!source.as_read.empty()) row["as_read"] = digests_to_json(source.as_read);
    return row;
}

OrderedJson to_json(const ReceiptOutput& output) {
    OrderedJson row = to_json(output.file);
    if (output.folder) row["folder"] = true;
    if (output.beside) row["beside"] = true;
    if (output.identity) row["identity"] = identity_json(*output.identity);
    if (output.replaced) row["replaced"] = to_json(*output.replaced);
    for (const ReceiptFile& file : output.files) row["files"].push_back(to_json(file));
    return row;
}

/// The rows of an array; none where it is missing.
const OrderedJson& rows_of(const OrderedJson& object, const char* field) {
    static const OrderedJson none = OrderedJson::array();
    const auto found = object.find(field);
    if (found == object.end()) return none;
    if (!found->is_array()) broken_document(receipt_words, field, "the list is none");
    for (const OrderedJson& row : *found)
        if (!row.is_object()) broken_document(receipt_words, field, "an entry is no object");
    return *found;
}

/// False where it is missing.
bool flag_at(const OrderedJson& row, const char* field) {
    const auto found = row.find(field);
    if (found == row.end()) return false;
    if (!found->is_boolean()) broken_document(receipt_words, field, "it is neither true nor false");
    return found->get<bool>();
}

ReceiptFile file_in(const OrderedJson& row) {
    return file_from(OrderedJson{{"file", row}}, "file");
}

ReceiptSource source_from(const OrderedJson& row) {
    ReceiptSource source{.file = file_in(row), .folder = flag_at(row, "folder")};
    source.id = text_at(row, "id", false), source.edition = text_at(row, "edition", false);
    if (row.contains("reading")) {
        source.reading = representation_from(text_at(row, "reading", true));
        if (!source.reading) broken_document(receipt_words, "reading", "this is no reading of a file");
    }
    if (row.contains("as_read")) source.as_read = digests_from_json(row, "as_read", receipt_words);
    return source;
}

ReceiptOutput output_from(const OrderedJson& row) {
    ReceiptOutput output{.file = file_in(row), .folder = flag_at(row, "folder"), .beside = flag_at(row, "beside")};
    output.identity = identity_from(row, "identity");
    if (row.contains("replaced")) output.replaced = file_from(row, "replaced");
    for (const OrderedJson& file : rows_of(row, "files")) output.files.push_back(file_in(file));
    return output;
}

OrderedJson body_of(const Receipt& receipt) {
    OrderedJson body;
    body["time"] = receipt.time;
    body["tool"] = receipt.tool;
    body["sources"] = body["outputs"] = OrderedJson::array();
    for (const ReceiptSource& source : receipt.sources) body["sources"].push_back(to_json(source));
    for (const ReceiptOutput& output : receipt.outputs) body["outputs"].push_back(to_json(output));
    for (const ReceiptKit& kit : receipt.kits)
        body["kits"].push_back(
            {{"name", as_utf8(kit.name)}, {"version", as_utf8(kit.version)}, {"file", to_json(kit.file)}});
    body["steps"] = OrderedJson::array();
    for (const ReceiptStep& done : receipt.steps) {
        OrderedJson row = to_json(done.step);
        if (done.read) row["read"] = to_json(*done.read);
        body["steps"].push_back(std::move(row));
    }
    if (receipt.mend) body["mend"] = *receipt.mend;
    if (!receipt.part.empty()) body["part"] = as_utf8(receipt.part);
    body["in_place"] = receipt.in_place;
    const auto optional = [&](const char* name, const std::string& text) {
        if (!text.empty()) body[name] = as_utf8(text);
    };
    if (receipt.keeps_representation) body["keeps_representation"] = true;
    optional("backup", receipt.backup);
    optional("journal", receipt.journal);
    optional("reverse", receipt.reverse);
    if (receipt.reverse_identity) body["reverse_identity"] = identity_json(*receipt.reverse_identity);
    optional("root", receipt.root);
    for (const std::string& folder : receipt.folders) body["folders"].push_back(as_utf8(folder));
    return body;
}

Receipt body_from(const OrderedJson& body) {
    if (!body.is_object()) broken_document(receipt_words, "before", "an entry is no object");
    Receipt receipt;
    receipt.time = text_at(body, "time", false);
    receipt.tool = text_at(body, "tool", false);
    for (const OrderedJson& row : rows_of(body, "sources")) receipt.sources.push_back(source_from(row));
    for (const OrderedJson& row : rows_of(body, "outputs")) receipt.outputs.push_back(output_from(row));
    for (const OrderedJson& row : rows_of(body, "kits"))
        receipt.kits.push_back({text_at(row, "name", true), text_at(row, "version", false), file_from(row, "file")});
    if (receipt.outputs.empty()) broken_document(receipt_words, "outputs", "it does not say what was made");
    if (!body.contains("steps")) broken_document(receipt_words, "steps", "the list of steps is missing");
    for (const OrderedJson& row : rows_of(body, "steps")) {
        ReceiptStep& done = receipt.steps.emplace_back(ReceiptStep{step_from(row, receipt_words, {"read"}), {}});
        if (row.contains("read")) done.read = file_from(row, "read");
    }
    if (body.contains("mend")) receipt.mend = flag_at(body, "mend");
    receipt.part = text_at(body, "part", false);
    const auto in_place = body.find("in_place");
    if (in_place == body.end() || !in_place->is_boolean())
        broken_document(receipt_words, "in_place", "it does not say where the output was put");
    receipt.in_place = in_place->get<bool>();
    if (receipt.sources.empty() && (receipt.kits.empty() || receipt.in_place))
        broken_document(receipt_words, "sources", "it does not say of what it was made");
    receipt.keeps_representation = flag_at(body, "keeps_representation");
    receipt.backup = text_at(body, "backup", false);
    receipt.journal = text_at(body, "journal", false);
    receipt.reverse = text_at(body, "reverse", false);
    receipt.reverse_identity = identity_from(body, "reverse_identity");
    receipt.root = text_at(body, "root", false);
    if (const auto folders = body.find("folders"); folders != body.end()) {
        if (!folders->is_array()) broken_document(receipt_words, "folders", "the list is none");
        for (const OrderedJson& folder : *folders)
            receipt.folders.push_back(text_at(OrderedJson{{"folder", folder}}, "folder", true));
    }
    return receipt;
}

}  // namespace

std::string receipt_to_json(const Receipt& receipt) {
    OrderedJson document;
    document["schema"] = {{"name", receipt_schema}, {"version", receipt_version}};
    document.update(body_of(receipt));
    for (const Receipt& before : receipt.before) document["before"].push_back(body_of(before));
    return document.dump(2) + "\n";
}

Receipt receipt_from_json(std::string_view text) {
    const OrderedJson document = parsed_document(text, receipt_schema, receipt_version, receipt_words);
    Receipt receipt = body_from(document);
    if (const auto before = document.find("before"); before != document.end()) {
        if (!before->is_array()) broken_document(receipt_words, "before", "the list of earlier changes is none");
        for (const OrderedJson& body : *before) receipt.before.push_back(body_from(body));
    }
    return receipt;
}

}  // namespace hotstitch
