// SPDX-License-Identifier: MIT
// What a terminal is: its width, and whether colours are wanted on it.
#pragma once

#include <cstddef>

#include "arguments.h"

namespace hotstitch::cli {

bool wants_colour(When when, int descriptor);

/// Columns; 0: it is no terminal.
std::size_t width_of(int descriptor);

}  // namespace hotstitch::cli
