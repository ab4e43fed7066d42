// SPDX-License-Identifier: MIT
// The library's advice in the words of the command line: which option does it.
#pragma once

#include <string_view>

#include "hotstitch/error.h"
#include "hotstitch/report.h"

namespace hotstitch::cli {

/// The verdict of an error, with that advice; `reassurance` is said after its message.
void conclude(tell::Report& report, const Error& error, std::string_view reassurance = {});

}  // namespace hotstitch::cli
