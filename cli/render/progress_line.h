// SPDX-License-Identifier: MIT
#pragma once

#include <chrono>
#include <optional>

#include "arguments.h"
#include "hotstitch/limits.h"

namespace hotstitch::cli {

/// Tells on standard error how far long work is: one line that is redrawn, only on a terminal and only after half a
/// second; or, asked for, one JSON document on each line for the program that drives this one. Also where the stop
/// signals are noticed.
class ProgressLine {
public:
    explicit ProgressLine(ProgressStyle style);
    ~ProgressLine() { clear(); }
    ProgressLine(const ProgressLine&) = delete;
    ProgressLine& operator=(const ProgressLine&) = delete;

    /// Returns whether to go on.
    bool update(const ProgressState& state);
    void clear();

private:
    using Clock = std::chrono::steady_clock;
    void draw(const ProgressState& state, Clock::time_point now);
    void print_json(const ProgressState& state, Clock::time_point now);

    ProgressStyle style_;
    bool drawn_ = false;
    Clock::time_point began_;
    Clock::time_point phase_began_, last_drawn_;
    std::optional<Phase> phase_;
    std::uint64_t last_done_ = 0;
};

}  // namespace hotstitch::cli
