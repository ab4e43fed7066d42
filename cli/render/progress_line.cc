// SPDX-License-Identifier: MIT
#include "render/progress_line.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "hotstitch/text.h"
#include "json.h"
#include "render/print.h"
#include "render/text.h"
#include "signals.h"

namespace hotstitch::cli {

ProgressLine::ProgressLine(ProgressStyle style) : style_(style), began_(Clock::now()) {
    if (style == ProgressStyle::automatic && isatty(STDERR_FILENO) != 1) style_ = ProgressStyle::none;
}

bool ProgressLine::update(const ProgressState& state) {
    using namespace std::chrono_literals;
    if (stop_signal() != 0) return false;
    if (style_ == ProgressStyle::none) return true;
    const auto now = Clock::now();
    const bool new_phase = phase_ != state.phase;
    if (new_phase) {
        phase_ = state.phase;
        phase_began_ = now;
    }
    if (style_ == ProgressStyle::json) {
        const bool complete = state.total != 0 && state.done >= state.total && state.done != last_done_;
        last_done_ = state.done;
        if (new_phase || complete || now - last_drawn_ >= 250ms) print_json(state, now);
    } else if (now - began_ >= 500ms && now - last_drawn_ >= 100ms) {
        draw(state, now);
    }
    return true;
}

void ProgressLine::print_json(const ProgressState& state, Clock::time_point now) {
    last_drawn_ = now;
    const bool in_steps = !state.step.empty();
    Json line = {{"schema", {{"name", "hotstitch/progress"}, {"version", 1}}},
                 {"phase", name_of(state.phase)},
                 {"done", state.done},
                 {"total", state.total != 0 ? Json(state.total) : Json(nullptr)}};
    if (in_steps) line["step"] = as_utf8(state.step);
    put(stderr, line.dump() + "\n");
}

void ProgressLine::draw(const ProgressState& state, Clock::time_point now) {
    constexpr int width = 30;
    last_drawn_ = now;
    drawn_ = true;
    std::string line = fmt::format("{:<20}", name_of(state.phase));
    const double seconds = std::chrono::duration<double>(now - phase_began_).count();
    const auto done = static_cast<double>(state.done);
    const auto total = static_cast<double>(state.total);
    if (state.total != 0) {
        const double share = std::min(done / total, 1.0);
        const auto filled = static_cast<int>(share * width);
        for (int i = 0; i < width; ++i) line += i < filled ? "━" : "·";
        line += fmt::format(" {:3.0f} %", share * 100);
    }
    if (seconds > 0.2 && state.done != 0) {
        const double rate = done / seconds;
        line += fmt::format("  {}/s", short_size(rate));
        if (state.total > state.done) line += fmt::format(", {:.0f} s left", std::ceil((total - done) / rate));
    }
    if (!state.step.empty()) line += "  " + escaped(std::string(state.step)).substr(0, 60);
    put(stderr, "\r\x1b[K" + line);
}

void ProgressLine::clear() {
    if (!drawn_) return;
    put(stderr, "\r\x1b[K");
    drawn_ = false;
}

}  // namespace hotstitch::cli
