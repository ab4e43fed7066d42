// SPDX-License-Identifier: MIT
// For which files a map is: docs/formats/map.md section 1.
#pragma once

#include "field/map.h"
#include "toml/document.h"

namespace hotstitch {

/// The table [file]. Throws the value's error().
void read_file_keys(const TomlValue& value, FieldMap& map);

}  // namespace hotstitch
