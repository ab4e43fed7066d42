// SPDX-License-Identifier: MIT
// Compressed copies of discs, which stand for the disc everywhere.
#pragma once

#include "hotstitch/inputs.h"

namespace hotstitch {

/// The plain image, computed, of a compressed copy that is read here, with the further files of a copy in several
/// (.wbf1, .wbf2 …) where they lie beside it; any other file as it is. Throws as plain_copy() does.
InputFile as_plain(InputFile file, const WorkOptions& options);

}  // namespace hotstitch
