// SPDX-License-Identifier: MIT
// What a job opens before it is asked for anything.
#pragma once

#include "hotstitch/error.h"

namespace hotstitch {

inline void refuse_unopened(bool is_open) {
    if (!is_open) throw Error(ErrorCode::usage, "the job is not open").hint("call open() before anything else");
}

/// What `place` (an optional or a pointer) holds. Throws Error(usage) where it holds nothing: the job was not opened.
template <class Place>
auto& opened(Place& place) {
    refuse_unopened(static_cast<bool>(place));
    return *place;
}

}  // namespace hotstitch
