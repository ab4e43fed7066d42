// SPDX-License-Identifier: MIT
// Whoever finds the edits of a stretch: by taking what is at hand, or by weighing all ways through it.
#pragma once

#include <memory>
#include <vector>

#include "match/match_job.h"

namespace hotstitch {

/// Makes the edits of one stretch after the other. All that is known begins anew with each, so the edits do not depend
/// on who parsed what before. Not for several threads.
class StretchParser {
public:
    virtual ~StretchParser() = default;
    /// The edits of stretch `number`, from 0; their bytes are views of the target.
    virtual std::vector<Edit> parse(std::uint64_t number) = 0;
};

std::unique_ptr<StretchParser> make_greedy_parser(MatchJob& job, Ticker& ticker);
std::unique_ptr<StretchParser> make_cheapest_parser(MatchJob& job, Ticker& ticker);

}  // namespace hotstitch
