// SPDX-License-Identifier: MIT
// The matcher: source + target -> edits. Knows no format, only what kind of edits one can express and what they cost.
#pragma once

#include "base/meter.h"
#include "hotstitch/edit.h"
#include "hotstitch/effort.h"
#include "match/costs.h"

namespace hotstitch {

struct MatchOptions {
    /// Copies from any place of the source and of the target so far; otherwise only from the same place.
    bool anywhere = false;
    Effort effort = Effort::normal;
    CostModel costs = CostModel::bps;
    /// Bytes that the tables may take, if only just. Larger files get a thinner index, not a larger one.
    std::uint64_t memory = std::uint64_t{1} << 30;
    /// Copies from the target only from the same stretch of so many bytes; 0: from all of it.
    std::uint64_t window = 0;
    /// Threads that parse, 0: one for each processor. The edits are the same for any number.
    unsigned threads = 0;
};

/// Tells the edits that make `target`; advances `meter` by its bytes. Literals are views of `target`. The same
/// input gives the same edits, always.
MatchFacts match(ByteView source, ByteView target, const MatchOptions& options, EditSink& sink, Meter& meter);

void match_in_place(ByteView source, ByteView target, EditSink& sink, Meter& meter);
MatchFacts match_anywhere(ByteView source, ByteView target, const MatchOptions& options, EditSink& sink, Meter& meter);

}  // namespace hotstitch
