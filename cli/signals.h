// SPDX-License-Identifier: MIT
// SIGINT and SIGTERM ask the work to stop; it stops at the next progress call and cleans up after itself.
#pragma once

namespace hotstitch::cli {

void catch_stop_signals();

/// The signal that asked to stop, or 0.
int stop_signal() noexcept;

}  // namespace hotstitch::cli
