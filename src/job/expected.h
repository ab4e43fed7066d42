// SPDX-License-Identifier: MIT
#pragma once

#include "hotstitch/error.h"

namespace hotstitch {

/// Whether an error is an answer that may be expected: what was brought is another than is wanted, and nothing was
/// done. Such a one stands in a result, and is not thrown.
inline bool is_expected(const Error& error) {
    return (error.code() == ErrorCode::wrong_source || error.code() == ErrorCode::wrong_target) && error.done().empty();
}

}  // namespace hotstitch
