// SPDX-License-Identifier: MIT
#pragma once

#include <chrono>
#include <optional>

#include "hotstitch/progress.h"

namespace hotstitch::cli {

/// One line on standard error that is redrawn while work goes on; only on a terminal and only after half a
/// second. Also where the stop signals are noticed.
class ProgressLine {
public:
    explicit ProgressLine(bool enabled) : enabled_(enabled), began_(Clock::now()) {}
    ~ProgressLine() { clear(); }
    ProgressLine(const ProgressLine&) = delete;
    ProgressLine& operator=(const ProgressLine&) = delete;

    /// Returns whether to go on.
    bool update(const ProgressState& state);
    void clear();

private:
    using Clock = std::chrono::steady_clock;
    void draw(const ProgressState& state, Clock::time_point now);

    bool enabled_;
    bool drawn_ = false;
    Clock::time_point began_;
    Clock::time_point phase_began_, last_drawn_;
    std::optional<Phase> phase_;
};

}  // namespace hotstitch::cli
