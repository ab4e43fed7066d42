// SPDX-License-Identifier: MIT
#pragma once

#include <cstdlib>

#include "hotstitch/error.h"

inline void require(bool holds) {
    if (!holds) std::abort();
}

/// An error is fine, as long as it is about the input.
template <class Call>
void may_be_refused(Call&& call) {
    try {
        call();
    } catch (const hotstitch::Error& error) {
        require(error.code() != hotstitch::ErrorCode::io && error.code() != hotstitch::ErrorCode::cancelled);
    }
}
