// SPDX-License-Identifier: MIT
// The checks file, docs/formats/checks.md. Tested by tests/checks_test.cc.
#include "hotstitch/checks.h"

#include "record/digests_json.h"

namespace hotstitch {
namespace {

constexpr std::string_view schema_name = "hotstitch/checks", what = "checks file";
constexpr int schema_version = 1;

}  // namespace

std::string checks_to_json(const Checks& checks) {
    OrderedJson document;
    document["schema"] = {{"name", schema_name}, {"version", schema_version}};
    document["patch"] = digests_to_json(checks.patch);
    document["source"] = digests_to_json(checks.source);
    document["target"] = digests_to_json(checks.target);
    return document.dump(2) + "\n";
}

Checks checks_from_json(std::string_view text) {
    const OrderedJson document = parsed_document(text, schema_name, schema_version, what);
    return {digests_from_json(document, "patch", what), digests_from_json(document, "source", what),
            digests_from_json(document, "target", what)};
}

}  // namespace hotstitch
