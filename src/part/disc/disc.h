// SPDX-License-Identifier: MIT
// A file that is a disc image: its sectors and the user data in them. What all that deals with discs starts from.
#pragma once

#include <optional>

#include "hotstitch/identity.h"
#include "part/disc/sectors.h"
#include "part/disc/volume.h"

namespace hotstitch::disc {

struct Image {
    SectorLayout layout;
    SharedSource track, user;
    bool has_volume = false;

    /// A change of the user data as one of the file.
    ChangeList on_track(const ChangeList& change) const {
        return layout.is_raw() ? raw_change(track, layout, change) : change;
    }
};

/// Nothing: the file is no disc image. `file` has to outlive it. Throws Error(io).
std::optional<Image> image_of(const ByteSource& file);

/// The file that a console starts, as SYSTEM.CNF names it, with '/'; empty: none. Throws Error(io).
std::string main_program(const ByteSource& user);

}  // namespace hotstitch::disc
