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

/// Columns that a text takes; characters of several bytes count once.
std::size_t columns(std::string_view text);

}  // namespace hotstitch::cli
