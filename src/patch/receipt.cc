// SPDX-License-Identifier: MIT
// Tested by tests/receipt_test.cc.
#include "hotstitch/receipt.h"

#include "patch/digests_json.h"

namespace hotstitch {
namespace {

constexpr std::string_view schema_name = "hotstitch/receipt", what = "receipt";
constexpr int schema_version = 1;

OrderedJson to_json(const ReceiptFile& file) {
    OrderedJson out = {{"path", file.path}};
    out.update(digests_to_json(file.digests));
    return out;
}

std::string text_at(const OrderedJson& object, std::string_view field, bool required) {
    const auto found = object.find(field);
    if (found == object.end() && !required) return {};
    if (found == object.end() || !found->is_string()) broken_document(what, field, "a text is missing or is none");
    return found->get<std::string>();
}

ReceiptFile file_from(const OrderedJson& document, std::string_view field) {
    ReceiptFile file;
    file.digests = digests_from_json(document, field, what);
    if (!file.digests.size || !file.digests.crc32) broken_document(what, field, "a file's size or checksum is missing");
    file.path = text_at(document.at(std::string(field)), "path", true);
    return file;
}

}  // namespace

std::string receipt_to_json(const Receipt& receipt) {
    OrderedJson document;
    document["schema"] = {{"name", schema_name}, {"version", schema_version}};
    document["time"] = receipt.time;
    document["tool"] = receipt.tool;
    document["source"] = to_json(receipt.source);
    document["patches"] = OrderedJson::array();
    for (const ReceiptFile& patch : receipt.patches) document["patches"].push_back(to_json(patch));
    document["target"] = to_json(receipt.target);
    document["in_place"] = receipt.in_place;
    const auto optional = [&](const char* name, const std::string& text) {
        if (!text.empty()) document[name] = text;
    };
    if (!receipt.mends.empty()) document["mends"] = receipt.mends;
    optional("reading", receipt.reading);
    optional("backup", receipt.backup);
    optional("reverse", receipt.reverse);
    return document.dump(2) + "\n";
}

Receipt receipt_from_json(std::string_view text) {
    const OrderedJson document = parsed_document(text, schema_name, schema_version, what);
    Receipt receipt;
    receipt.time = text_at(document, "time", false);
    receipt.tool = text_at(document, "tool", false);
    receipt.source = file_from(document, "source");
    receipt.target = file_from(document, "target");
    const auto patches = document.find("patches");
    if (patches == document.end() || !patches->is_array())
        broken_document(what, "patches", "the list of patches is missing");
    for (const OrderedJson& patch : *patches)
        receipt.patches.push_back(file_from(OrderedJson{{"patch", patch}}, "patch"));
    if (const auto mends = document.find("mends"); mends != document.end()) {
        if (!mends->is_array()) broken_document(what, "mends", "the list of mends is none");
        for (const OrderedJson& mend : *mends)
            receipt.mends.push_back(text_at(OrderedJson{{"mend", mend}}, "mend", true));
    }
    const auto in_place = document.find("in_place");
    if (in_place == document.end() || !in_place->is_boolean())
        broken_document(what, "in_place", "it does not say where the output was put");
    receipt.in_place = in_place->get<bool>();
    receipt.reading = text_at(document, "reading", false);
    receipt.backup = text_at(document, "backup", false);
    receipt.reverse = text_at(document, "reverse", false);
    return receipt;
}

}  // namespace hotstitch
