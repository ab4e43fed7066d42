// SPDX-License-Identifier: MIT
// Kelp Harbour as a program with a data file of tables, in two editions, and what its modders know of them: maps, a
// table of letters, and a mod as an edit list.
#pragma once

#include <string>

#include "kelp_harbour.h"

namespace demo {

/// The data file: berths, keepers, tides and sounds, with a checksum of its own. The Americas have another layout.
Rom harbour_data(bool americas);

std::string letters();              ///< "kelp.tbl"
std::string map_of(bool americas);  ///< what stands where in that edition
std::string longer_berths_edits();  ///< for both

}  // namespace demo
