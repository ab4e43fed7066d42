// SPDX-License-Identifier: MIT
// What a map describes in a file, looked up: members of archives, packed stretches.
#pragma once

#include <vector>

#include "field/map.h"
#include "hotstitch/part.h"

namespace hotstitch {

/// A stretch of the file that is a part, and what states where it stands.
struct Slot {
    Part part;
    const FieldMap* map = nullptr;
    const MapMembers* members = nullptr;  ///< null: a payload
    const MapPayload* payload = nullptr;
    std::uint64_t entry = 0;  ///< where its entry begins
    std::uint64_t offset = 0, stored = 0;

    const std::string& codec() const noexcept {
        static const std::string none;
        return members != nullptr ? members->codec : none;  // a payload is its stored bytes, and opens
    }
    std::uint64_t end() const noexcept { return offset + stored; }
    std::uint64_t align() const noexcept { return members != nullptr ? members->align : 1; }
    std::byte pad() const noexcept { return members != nullptr ? members->pad : std::byte{}; }
    /// What states its offset, where something does.
    const StoredNumber* place() const noexcept {
        if (members != nullptr) return &members->offset;
        return payload->at.by == MapPlace::By::pointer ? &payload->at.pointer : nullptr;
    }
};

/// Those of one map, which has to outlive them. Throws map_error() for what does not lie in the file.
void add_slots(const FieldMap& map, const Identity& identity, const ByteSource& file, std::vector<Slot>& slots);

}  // namespace hotstitch
