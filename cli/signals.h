// SPDX-License-Identifier: MIT
// SIGINT, SIGTERM and SIGHUP ask the work to stop; it stops at the next progress call and cleans up after itself.
#pragma once

namespace hotstitch::cli {

void catch_stop_signals();

/// Standard streams that whoever started us has closed lead to nowhere from here on.
void open_missing_streams();

/// The signal that asked to stop, or 0.
int stop_signal() noexcept;

}  // namespace hotstitch::cli
