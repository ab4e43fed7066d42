// SPDX-License-Identifier: MIT
// JSON values while a command puts them together.
#pragma once

#include <nlohmann/json.hpp>

#include "hotstitch/report.h"

namespace hotstitch::tell {

/// So that a value of the library may stand inside another.
inline void to_json(nlohmann::ordered_json& json, const JsonValue& value) {
    json = nlohmann::ordered_json::parse(value.text());
}

}  // namespace hotstitch::tell

namespace hotstitch::cli {

using Json = nlohmann::ordered_json;

}  // namespace hotstitch::cli
