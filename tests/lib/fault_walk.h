// SPDX-License-Identifier: MIT
// How closely faults are tried: the quick runs take a sample, scripts/faults.sh all of them and more.
#pragma once

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cstdlib>
#include <string_view>

#include "lib/sanitized.h"

/// FAULT_ROUNDS: how many times what happens by chance is tried; 1 in the quick runs.
inline int fault_rounds() {
    const char* const text = std::getenv("FAULT_ROUNDS");
    return text == nullptr ? 1 : std::max(1, std::atoi(text));
}

/// From one place where a fault is injected to the next. What the sanitizers look for shows wherever a call is ended.
inline int fault_stride() {
    return fault_rounds() > 1 ? 1 : sanitized ? 6 : 2;
}

/// The first place of a row, so that the rows of a sample do not all leave out the same ones. Every row has three.
inline int first_fault(std::string_view row) {
    return 1 + static_cast<int>(row.size()) % std::min(fault_stride(), 3);
}

inline void say_tried(std::string_view what, std::string_view row, int tried) {
    fmt::print("{:<28} {:<40} {:>5} tried, {}\n", what, row, tried,
               testing::Test::HasFailure() ? "FAILED" : "0 failed");
}
