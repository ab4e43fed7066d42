// SPDX-License-Identifier: MIT
// Running a command on what was made.
#pragma once

#include <string>

namespace hotstitch::cli {

/// Runs `command` by the shell, each {} in it being `output`, quoted, and returns its exit code; 128 and the signal
/// where one ended it. `to_stderr`: what it prints goes there, since a document stands on standard output.
int run_then(std::string command, const std::string& output, bool to_stderr);

}  // namespace hotstitch::cli
