// SPDX-License-Identifier: MIT
// Whoever finds the edits of a stretch: by taking what is at hand, or by weighing all ways through it.
#pragma once

#include <functional>
#include <vector>

#include "match/match_job.h"

namespace hotstitch {

/// Makes the edits of a stretch of this number, from 0; their bytes are views of the target. All that is known begins
/// anew with each stretch, so the edits do not depend on who parsed what before. Not for several threads.
using StretchParser = std::function<std::vector<Edit>(std::uint64_t number)>;

StretchParser greedy_parser(MatchJob& job, Ticker& ticker);
StretchParser cheapest_parser(MatchJob& job, Ticker& ticker);

}  // namespace hotstitch
