// SPDX-License-Identifier: MIT
// The library's advice in the words of the command line: which option does it.
#pragma once

#include <string>

#include "hotstitch/error.h"

namespace hotstitch::cli {

/// The next step after this error; empty when there is none to give.
std::string advice_for(const Error& error);

/// Whether an error's field says something to people, and is not only there to find the advice by.
bool tells_field(const Error& error);

}  // namespace hotstitch::cli
