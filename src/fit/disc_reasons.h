// SPDX-License-Identifier: MIT
// What the matter may be with a copy of a disc.
#pragma once

#include <string>
#include <vector>

#include "hotstitch/fit.h"

namespace hotstitch {

struct FoundReason {
    Reason reason;
    NextStep next;
};

/// Of a disc image, or of a compressed copy of one; the one that says most is the last. `wanted`: of the right source.
/// Throws Error(io).
std::vector<FoundReason> reasons_of_disc(const ByteSource& file, const Identity& identity, const Digests& wanted);

/// Where a file is something else than its extension says. `name`: under which it is kept.
std::vector<FoundReason> reasons_of_name(const Identity& identity, const std::string& name);

}  // namespace hotstitch
