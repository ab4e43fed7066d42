// SPDX-License-Identifier: MIT
// Seeds of targets that share a file are replayed by one program, which is told the target's number.
#pragma once

#include <cstddef>

extern std::size_t replay_entry;
#define FUZZ_ENTRY replay_entry
