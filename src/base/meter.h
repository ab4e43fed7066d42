// SPDX-License-Identifier: MIT
// Counts bytes and asks the progress callback about once a mebibyte whether to go on.
#pragma once

#include "hotstitch/error.h"
#include "hotstitch/limits.h"

namespace hotstitch {

class Meter {
public:
    /// Keeps a reference to `progress`. Throws Error(cancelled) when the callback says stop.
    Meter(const Progress& progress, Phase phase, std::uint64_t total)
        : progress_(progress), phase_(phase), total_(total) {
        ask();
    }

    void advance(std::uint64_t bytes) { advance_to(done_ + bytes); }
    void advance_to(std::uint64_t done) {
        done_ = done;
        if (done_ >= next_) ask();
    }
    void finish() { ask(); }
    /// For work of another phase on the way.
    const Progress& progress() const noexcept { return progress_; }

private:
    void ask() {
        next_ = done_ + (std::uint64_t{1} << 20);
        if (progress_ && !progress_({phase_, done_, total_})) throw Error(ErrorCode::cancelled, "stopped on request");
    }

    const Progress& progress_;
    Phase phase_;
    std::uint64_t total_, done_ = 0, next_ = 0;
};

}  // namespace hotstitch
