// SPDX-License-Identifier: MIT
// One stretch of the target, and what every way of parsing it needs to know.
#pragma once

#include <algorithm>
#include <array>

#include "match/costs.h"
#include "match/match_job.h"

namespace hotstitch {

struct Stretch {
    Stretch(const MatchJob& job, std::uint64_t number)
        : source(job.source),
          target(job.target.first(std::min<std::uint64_t>((number + 1) * MatchJob::stretch, job.target.size()))),
          begin(number * MatchJob::stretch),
          window(job.options.window) {}

    /// The target before this place is out of reach for a copy that makes `at`.
    std::uint64_t first_copied(std::uint64_t at) const noexcept { return window == 0 ? 0 : at - at % window; }

    /// How many bytes are the same from `at` on, at a distance of `shift` from target to source.
    std::uint64_t same_from(std::uint64_t at, std::uint64_t shift) const noexcept {
        const std::uint64_t from = at + shift;
        return from < source.size() ? common_prefix(source.subspan(from), target.subspan(at)) : 0;
    }

    /// How many bytes, `most` at most, a match at `at` can be begun earlier.
    std::uint64_t same_before(const Match& match, std::uint64_t at, std::uint64_t most) const noexcept {
        const bool in_target = match.kind == EditKind::copy_target;
        const std::uint64_t first = in_target ? first_copied(at) : 0;
        most = std::min({most, match.from - first, at - first});
        const ByteView from = in_target ? target : source;
        std::uint64_t same = 0;
        while (same < most && from[match.from - same - 1] == target[at - same - 1]) ++same;
        return same;
    }

    ByteView source, target;  ///< the target ends where the stretch does
    std::uint64_t begin, window;
};

/// Distances from target to source that copies had before the last ones. Files agree again at one of them behind what
/// an edit interrupted.
class RecentShifts {
public:
    /// The first stays 0, the same place; the second begins as the distance that the ends of both files have.
    explicit RecentShifts(const MatchJob& job) : shifts_{0, job.source.size() - job.target.size()} {}

    void note(std::uint64_t shift) noexcept {
        if (std::find(shifts_.begin(), shifts_.end(), shift) != shifts_.end()) return;
        shifts_[1 + next_++ % (shifts_.size() - 1)] = shift;
    }
    static constexpr std::size_t size = 4;
    std::uint64_t operator[](std::size_t i) const noexcept { return shifts_[i]; }

private:
    std::array<std::uint64_t, size> shifts_;
    std::size_t next_ = 0;
};

/// Tells a ticker now and then how far a stretch is parsed.
class Ticks {
public:
    Ticks(Ticker& ticker, std::uint64_t begin) : ticker_(ticker), told_(begin) {}
    void reached(std::uint64_t at) {
        constexpr std::uint64_t often = 256 << 10;
        if (at - told_ >= often) finish(at);
    }
    void finish(std::uint64_t end) {
        ticker_.parsed(end - told_);
        told_ = end;
    }

private:
    Ticker& ticker_;
    std::uint64_t told_;
};

}  // namespace hotstitch
