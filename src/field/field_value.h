// SPDX-License-Identifier: MIT
// The value of one field, read from a file and written into one.
#pragma once

#include <string>
#include <string_view>

#include "field/map.h"
#include "hotstitch/fields.h"
#include "hotstitch/source.h"

namespace hotstitch {

/// Where a field stands: `room` is what it may take, up to the end of its record.
struct FieldPlace {
    std::uint64_t offset = 0, room = 0;
};

/// REQUIRES field.size() <= place.room, and that the room lies in the file. Throws Error(io).
FieldValue value_at(const MapField& field, const FieldPlace& place, const ByteSource& file);

/// The bytes that a field takes now: of a text with an end, up to there and with it.
std::uint64_t length_at(const MapField& field, const FieldPlace& place, const ByteSource& file);

/// What has to stand at the place for this value, as a person or an edit list writes it: of a length that is there
/// already. Throws Error(usage) where the field cannot hold it.
Bytes bytes_for(const MapField& field, const FieldPlace& place, std::string_view value, const ByteSource& file);

/// The text to which a pointer leads, as a field of its own; nothing: it leads nowhere.
struct PointedText {
    MapField field;
    FieldPlace place;
};
std::optional<PointedText> pointed_text(const MapField& field, const FieldPlace& place, const ByteSource& file);

}  // namespace hotstitch
