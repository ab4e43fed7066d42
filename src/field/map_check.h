// SPDX-License-Identifier: MIT
// Checksums that a map names.
#pragma once

#include "field/map.h"
#include "hotstitch/change_list.h"
#include "hotstitch/source.h"

namespace hotstitch {

/// What should stand there, cut to the number's width. Throws map_error() where the check reaches past the file's end;
/// Error(io).
std::uint64_t computed(const FieldMap& map, const MapCheck& check, const ByteSource& file);
std::uint64_t stored(const FieldMap& map, const MapCheck& check, const ByteSource& file);

/// `change`, and with it what puts the map's checks right that were right before it. `mended` and `warnings` are told
/// by name. Throws as above.
ChangeList keeping_map_checks(const FieldMap& map, const ByteSource& file, ChangeList change,
                              std::vector<std::string>& mended, std::vector<std::string>& warnings);

/// "crc32 at 0x007fde"
std::string name_of(const MapCheck& check);

}  // namespace hotstitch
