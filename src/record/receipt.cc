// SPDX-License-Identifier: MIT
// Tested by tests/receipt_test.cc.
#include "hotstitch/receipt.h"

#include "hotstitch/words.h"
#include "record/digests_json.h"
#include "record/steps.h"

namespace hotstitch {
namespace {

constexpr std::string_view receipt_schema = "hotstitch/receipt", receipt_words = "receipt";
constexpr int receipt_version = 2;

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

OrderedJson kits_to_json(const ReceiptKits& kits) {
    OrderedJson out = {{"root", as_utf8(kits.root)}};
    for (const ReceiptKits::Kit& kit : kits.kits)
        out["names"].push_back(
            {{"name", as_utf8(kit.name)}, {"version", as_utf8(kit.version)}, {"file", to_json(kit.file)}});
    for (const std::string& folder : kits.folders) out["folders"].push_back(as_utf8(folder));
    out["bases"] = OrderedJson::array(), out["outputs"] = OrderedJson::array();
    for (const ReceiptKits::Base& base : kits.bases) {
        OrderedJson row = {{"id", base.id}, {"edition", as_utf8(base.edition)}, {"folder", base.folder}};
        row.update(to_json(base.file));
        if (base.reading) row["reading"] = code_of(*base.reading), row["as_read"] = digests_to_json(base.as_read);
        out["bases"].push_back(std::move(row));
    }
    for (const ReceiptKits::Output& output : kits.outputs) {
        OrderedJson row = {{"folder", output.folder}};
        row.update(to_json(output.file));
        if (output.identity) row["identity"] = identity_json(*output.identity);
        for (const ReceiptFile& file : output.files) row["files"].push_back(to_json(file));
        out["outputs"].push_back(std::move(row));
    }
    return out;
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

bool flag_at(const OrderedJson& row, const char* field) {
    const auto found = row.find(field);
    if (found == row.end() || !found->is_boolean())
        broken_document(receipt_words, field, "it is neither true nor false");
    return found->get<bool>();
}

ReceiptKits kits_from(const OrderedJson& object) {
    if (!object.is_object()) broken_document(receipt_words, "kits", "it is no object");
    const auto file = [](const OrderedJson& row) { return file_from(OrderedJson{{"file", row}}, "file"); };
    ReceiptKits kits;
    kits.root = text_at(object, "root", true);
    if (const auto folders = object.find("folders"); folders != object.end()) {
        if (!folders->is_array()) broken_document(receipt_words, "folders", "the list is none");
        for (const OrderedJson& folder : *folders)
            kits.folders.push_back(text_at(OrderedJson{{"folder", folder}}, "folder", true));
    }
    for (const OrderedJson& row : rows_of(object, "names"))
        kits.kits.push_back({text_at(row, "name", true), text_at(row, "version", false), file_from(row, "file")});
    for (const OrderedJson& row : rows_of(object, "bases")) {
        kits.bases.push_back(
            {text_at(row, "id", true), text_at(row, "edition", true), flag_at(row, "folder"), file(row)});
        if (!row.contains("reading")) continue;
        kits.bases.back().reading = representation_from(text_at(row, "reading", true));
        if (!kits.bases.back().reading) broken_document(receipt_words, "reading", "this is no reading of a file");
        kits.bases.back().as_read = digests_from_json(row, "as_read", receipt_words);
    }
    for (const OrderedJson& row : rows_of(object, "outputs")) {
        kits.outputs.push_back({.folder = flag_at(row, "folder"), .file = file(row)});
        kits.outputs.back().identity = identity_from(row, "identity");
        for (const OrderedJson& one : rows_of(row, "files")) kits.outputs.back().files.push_back(file(one));
    }
    return kits;
}

OrderedJson body_of(const Receipt& receipt) {
    OrderedJson body;
    body["time"] = receipt.time;
    body["tool"] = receipt.tool;
    body["source"] = to_json(receipt.source);
    body["steps"] = OrderedJson::array();
    for (const ReceiptStep& done : receipt.steps) {
        OrderedJson row = to_json(done.step);
        if (done.read) row["read"] = to_json(*done.read);
        body["steps"].push_back(std::move(row));
    }
    if (receipt.mend) body["mend"] = *receipt.mend;
    if (!receipt.part.empty()) body["part"] = as_utf8(receipt.part);
    body["target"] = to_json(receipt.target);
    body["in_place"] = receipt.in_place;
    const auto optional = [&](const char* name, const std::string& text) {
        if (!text.empty()) body[name] = as_utf8(text);
    };
    const auto identity = [&](const char* name, const std::optional<FileIdentity>& value) {
        if (value) body[name] = identity_json(*value);
    };
    if (receipt.representation) body["representation"] = code_of(*receipt.representation);
    if (receipt.keeps_representation) body["keeps_representation"] = true;
    optional("backup", receipt.backup);
    if (receipt.replaced) body["replaced"] = to_json(*receipt.replaced);
    for (const Receipt::Beside& beside : receipt.beside) {
        OrderedJson row = to_json(beside.file);
        if (beside.identity) row["identity"] = identity_json(*beside.identity);
        body["beside"].push_back(std::move(row));
    }
    optional("journal", receipt.journal);
    optional("reverse", receipt.reverse);
    identity("target_identity", receipt.target_identity);
    identity("reverse_identity", receipt.reverse_identity);
    if (receipt.kits) body["kits"] = kits_to_json(*receipt.kits);
    return body;
}

Receipt body_from(const OrderedJson& body) {
    if (!body.is_object()) broken_document(receipt_words, "before", "an entry is no object");
    Receipt receipt;
    receipt.time = text_at(body, "time", false);
    receipt.tool = text_at(body, "tool", false);
    receipt.source = file_from(body, "source");
    receipt.target = file_from(body, "target");
    if (!body.contains("steps")) broken_document(receipt_words, "steps", "the list of steps is missing");
    for (const OrderedJson& row : rows_of(body, "steps")) {
        ReceiptStep& done = receipt.steps.emplace_back(ReceiptStep{step_from(row, receipt_words, {"read"}), {}});
        if (row.contains("read")) done.read = file_from(row, "read");
    }
    if (body.contains("mend")) receipt.mend = flag_at(body, "mend");
    receipt.journal = text_at(body, "journal", false);
    receipt.part = text_at(body, "part", false);
    const auto in_place = body.find("in_place");
    if (in_place == body.end() || !in_place->is_boolean())
        broken_document(receipt_words, "in_place", "it does not say where the output was put");
    receipt.in_place = in_place->get<bool>();
    if (const std::string code = text_at(body, "representation", false); !code.empty()) {
        receipt.representation = representation_from(code);
        if (!receipt.representation) broken_document(receipt_words, "representation", "it is of no known kind");
    }
    if (const auto keeps = body.find("keeps_representation"); keeps != body.end()) {
        if (!keeps->is_boolean())
            broken_document(receipt_words, "keeps_representation", "it is neither true nor false");
        receipt.keeps_representation = keeps->get<bool>();
    }
    receipt.backup = text_at(body, "backup", false);
    if (body.contains("replaced")) receipt.replaced = file_from(body, "replaced");
    for (const OrderedJson& row : rows_of(body, "beside"))
        receipt.beside.push_back({file_from(OrderedJson{{"file", row}}, "file"), identity_from(row, "identity")});
    receipt.reverse = text_at(body, "reverse", false);
    receipt.target_identity = identity_from(body, "target_identity");
    receipt.reverse_identity = identity_from(body, "reverse_identity");
    if (const auto kits = body.find("kits"); kits != body.end()) receipt.kits = kits_from(*kits);
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
