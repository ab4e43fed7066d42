// SPDX-License-Identifier: MIT
// The checks file, docs/formats/checks.md. Tested by tests/job/checks_test.cc.
#include "hotstitch/checks.h"

#include "record/digests_json.h"

namespace hotstitch {
namespace {

constexpr std::string_view checks_schema = "hotstitch/checks", checks_words = "checks file";
constexpr int checks_version = 1;

}  // namespace

std::string checks_to_json(const Checks& checks) {
    OrderedJson document;
    document["schema"] = {{"name", checks_schema}, {"version", checks_version}};
    document["patch"] = digests_to_json(checks.patch);
    document["source"] = digests_to_json(checks.source);
    document["target"] = digests_to_json(checks.target);
    return document.dump(2) + "\n";
}

Checks checks_from_json(std::string_view text) {
    const OrderedJson document = parsed_document(text, checks_schema, checks_version, checks_words);
    return {digests_from_json(document, "patch", checks_words), digests_from_json(document, "source", checks_words),
            digests_from_json(document, "target", checks_words)};
}

}  // namespace hotstitch
