// SPDX-License-Identifier: MIT
// Where else do the next bytes stand: in the source, in the stretch so far, in the target before it. Indexes are made
// when they are first needed. The more places in a row were found nowhere, the fewer are looked up.
#pragma once

#include "match/place_index.h"
#include "match/stretch.h"

namespace hotstitch {

/// An index as large as a stretch of the job needs; begun again with each.
inline PlaceIndex stretch_index(const MatchJob& job) {
    const ByteView first = job.target.first(std::min<std::uint64_t>(job.target.size(), MatchJob::stretch));
    return PlaceIndex(first, 0, {job.depth.window, job.depth.target_step, job.depth.places, job.options.memory / 4});
}

class PlaceFinder {
public:
    PlaceFinder(MatchJob& job, Ticker& ticker, const Stretch& stretch, PlaceIndex& in_stretch)
        : job_(job), ticker_(ticker), stretch_(stretch), in_stretch_(in_stretch) {
        in_stretch_.begin_again(stretch.target, stretch.begin);
    }

    /// Adds a place of the stretch, if it is one of those that the index samples.
    void add(std::uint64_t at) noexcept { in_stretch_.add(at); }
    std::uint64_t stretch_step() const noexcept { return in_stretch_.step(); }

    /// Whether `at` should be looked up. The source is indexed when the known distances have not helped for a while.
    bool wants(std::uint64_t at) {
        if (!in_stretch_.has_window(at)) return false;
        if (in_source_ == nullptr) {
            if (job_.near_equal() || ++misses_ < job_.depth.unindexed) return false;
            in_source_ = &job_.source_index(ticker_);
            misses_ = 0;
        }
        return at % step() == 0;
    }
    /// Odd, so that with an index of every 2^n-th place no distance between old and new is passed over for ever.
    std::uint64_t step() const noexcept {
        return std::min(1 + misses_ / job_.depth.patience * 2, job_.depth.longest_step);
    }

    /// Fetches from memory what a question about `at` will need. False while there is no index.
    bool prefetch(std::uint64_t at) const noexcept {
        if (in_source_ == nullptr) return false;
        if (!in_stretch_.has_window(at)) return true;
        in_source_->prefetch(stretch_.target.data() + at);
        in_stretch_.prefetch(stretch_.target.data() + at);
        if (misses_ >= far_patience && in_target_ != nullptr) in_target_->prefetch(stretch_.target.data() + at);
        return true;
    }

    /// Calls `offer` with the matches that are known, their length yet to be measured, until `enough()`; of those in
    /// the source with all. Says whether there were any. REQUIRES wants(at).
    template <class Offer, class Enough>
    bool look_up(std::uint64_t at, Offer&& offer, Enough&& enough) {
        const std::byte* const bytes = stretch_.target.data() + at;
        const std::uint64_t first = stretch_.first_copied(at);
        bool found = false;
        in_source_->look_up(bytes, [&](std::uint64_t from) {
            offer(Match{EditKind::copy_source, from, 0});
            return found = true;
        });
        const auto offer_target = [&](std::uint64_t from) {
            if (from >= first && from < at) offer(Match{EditKind::copy_target, from, 0}), found = true;
            return !enough();
        };
        if (!enough()) in_stretch_.look_up(bytes, offer_target);
        // New bytes: perhaps the target had them in an earlier stretch.
        if (!found && misses_ >= far_patience && first < stretch_.begin) {
            if (in_target_ == nullptr) in_target_ = &job_.target_index(ticker_);
            in_target_->look_up(bytes, [&](std::uint64_t from) {
                if (from < stretch_.begin) offer_target(from);
                return true;
            });
        }
        misses_ = found ? 0 : misses_ + 1;
        return found;
    }

    /// A match that an index would find too ends the row of misses.
    void matched() noexcept { misses_ = 0; }

private:
    static constexpr std::uint64_t far_patience = 32;

    MatchJob& job_;
    Ticker& ticker_;
    const Stretch& stretch_;
    PlaceIndex& in_stretch_;
    const PlaceIndex* in_source_ = nullptr;  ///< once it is wanted
    const PlaceIndex* in_target_ = nullptr;  ///< of all the target, likewise
    std::uint64_t misses_ = 0;               ///< places in a row that were found nowhere
};

}  // namespace hotstitch
