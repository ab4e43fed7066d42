// SPDX-License-Identifier: MIT
#pragma once

#include "hotstitch/error.h"

namespace hotstitch::cli {

/// What the process answers its caller.
enum class ExitCode : int {
    yes = 0,         ///< done; fits; already patched
    no = 1,          ///< does not fit; cannot be known
    wrong_call = 2,  ///< the call is wrong
    bad_input = 3,   ///< damaged, truncated, unsupported, not a patch, past a limit
    system = 4,      ///< not found, no space, …
    hung_up = 129,
    interrupted = 130,
    terminated = 143,
};

ExitCode exit_code_for(ErrorCode code) noexcept;

}  // namespace hotstitch::cli
