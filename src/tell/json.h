// SPDX-License-Identifier: MIT
// JSON values while they are put together.
#pragma once

#include <nlohmann/json.hpp>

#include "hotstitch/report.h"

namespace hotstitch::tell {

using Json = nlohmann::ordered_json;

/// So that a value that is finished may stand inside another.
inline void to_json(Json& json, const JsonValue& value) {
    json = Json::parse(value.text());
}

}  // namespace hotstitch::tell
