// SPDX-License-Identifier: MIT
// What a patch changes, in the words of its source's kind, parts and maps.
#pragma once

#include "hotstitch/inputs.h"
#include "hotstitch/tell.h"

namespace hotstitch::tell {

/// An edit list as it is written: its title, its edits, and what of its source it does not look at.
void state_edit_list(const InputFile& file, const PatchFacts& facts, bool source_given, Report& part);

/// Which named parts of the source a patch touches, and how. `patch` is bound to the source. Throws what chart_of()
/// throws.
void state_touched(const PatchReader& patch, const InputFile& source, const WorkOptions& context, Report& part);

}  // namespace hotstitch::tell
