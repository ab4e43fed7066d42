// SPDX-License-Identifier: MIT
#include "match/match_job.h"

#include <thread>

namespace hotstitch {
namespace {
#include <cstdio>
#include <cstdlib>
Depth depth_of(const MatchOptions& options, std::uint64_t source_size) {
    constexpr std::uint64_t small = 16 << 20;
    (void)small; (void)source_size;
    Depth d = options.effort == Effort::quick ? Depth{.window = 8, .step = 8, .target_step = 2, .places = 2, .plenty = 32, .covered = 8, .unindexed = 32, .every_length = 0}
    : options.effort == Effort::normal ? Depth{.window = 6, .step = 2, .target_step=1, .places = 6, .plenty = 48, .covered = 20, .unindexed = 16, .every_length = 24}
    : Depth{.window = 6, .step = 1, .target_step = 1, .places = 12, .plenty = 256, .covered = 32, .unindexed = 0, .every_length = 64};
    if (const char* e = getenv("DEPTH")) sscanf(e, "%zu,%lu,%lu,%u,%lu,%lu,%lu,%lu", &d.window, &d.step, &d.target_step, &d.places, &d.plenty, &d.covered, &d.unindexed, &d.every_length);
    return d;
}

}  // namespace

Ticker::~Ticker() = default;

MatchJob::MatchJob(ByteView source_bytes, ByteView target_bytes, const MatchOptions& how)
    : source(source_bytes), target(target_bytes), options(how), depth(depth_of(how, source_bytes.size())) {}

const PlaceIndex& MatchJob::source_index(Ticker& ticker) {
    std::call_once(once_, [&] {
        index_.emplace(source, 0, PlaceIndex::Shape{depth.window, depth.step, depth.places, options.memory / 2});
        const unsigned shares = source.size() < (1 << 20) ? 1 : options.threads;
        std::vector<std::thread> others;
        for (unsigned share = 1; share < shares; ++share)
            others.emplace_back([this, share, shares] { index_->add_all(share, shares, [](std::uint64_t) {}); });
        try {
            index_->add_all(0, shares, [&](std::uint64_t place) { ticker.indexed(place); });
        } catch (...) {
            for (std::thread& other : others) other.join();
            throw;
        }
        for (std::thread& other : others) other.join();
    });
    return *index_;
}

}  // namespace hotstitch
