// SPDX-License-Identifier: MIT
// What stands in the JSON documents, told once: hotstitch --schemas prints it, docs/json.md is made from it, and the
// tests hold real output against it.
#pragma once

#include "render/report.h"

namespace hotstitch::cli {

/// The version of every document; it rises when a key changes its meaning or goes.
inline constexpr int schema_version = 2;

/// One JSON Schema (2020-12) for each command's document, by its name.
Json json_schemas();

}  // namespace hotstitch::cli
