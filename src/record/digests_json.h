// SPDX-License-Identifier: MIT
// How sizes and checksums stand in our JSON files (docs/formats/checks.md section 2).
#pragma once

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "hotstitch/digest.h"
#include "hotstitch/error.h"

namespace hotstitch {

using OrderedJson = nlohmann::ordered_json;

OrderedJson digests_to_json(const Digests& digests);

/// An entry of a document; `what` names the document in errors. A missing entry is empty. Throws Error(damaged).
Digests digests_from_json(const OrderedJson& document, std::string_view field, std::string_view what);

/// Parses and checks `schema`. Throws Error(damaged), and Error(unsupported) for another version.
OrderedJson parsed_document(std::string_view text, std::string_view schema_name, int schema_version,
                            std::string_view what);

[[noreturn]] void broken_document(std::string_view what, std::string_view field, std::string_view why);

}  // namespace hotstitch
