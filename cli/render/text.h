// SPDX-License-Identifier: MIT
// A report on a terminal.
#pragma once

#include <string>

#include "hotstitch/report.h"

namespace hotstitch::cli {

struct TextStyle {
    bool colour = false, quiet = false, verbose = false;
    std::size_t width = 0;  ///< columns of the terminal; 0: lines are not broken
};

/// Ends with a newline. Quiet: the verdict's sentence only.
std::string rendered_text(const tell::Report& report, const TextStyle& style);

}  // namespace hotstitch::cli
