// SPDX-License-Identifier: MIT
// The words of a map for places and numbers, docs/formats/map.md section 2. All throw the value's error() for what they
// are not.
#pragma once

#include "field/map.h"
#include "toml/document.h"

namespace hotstitch {

/// No record and no unit is longer, in bytes.
inline constexpr std::int64_t longest_stride = 1 << 20;

ByteOrder order_of(const TomlValue& value);
/// `whole`: a fraction will not do.
const NumberType* type_of(const TomlValue& value, bool whole = true);
/// {at = 8, type = "u16", plus = 0x8000, unit = 4}; without `has_place`, it says no place.
StoredNumber number_of(const TomlValue& value, ByteOrder order, bool has_place = true);
Pattern pattern_of(const TomlValue& value);
MapPlace place_of(const TomlValue& value, ByteOrder order);
/// The key "count" of a table; where it is not there, as many as there are names, or one.
MapCount count_of(TomlTable& table, ByteOrder order, std::size_t names);

}  // namespace hotstitch
