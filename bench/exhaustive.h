// SPDX-License-Identifier: MIT
// The yardstick: the longest match in the whole source at each place of the target, by a suffix array. Greedy.
#pragma once

#include "hotstitch/edit.h"

namespace bench {

/// Matches of 6 bytes or more, from the source only, and runs.
void match_exhaustively(hotstitch::ByteView source, hotstitch::ByteView target, hotstitch::EditSink& sink);

}  // namespace bench
