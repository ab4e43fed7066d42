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
    Depth d = options.effort == Effort::quick ? Depth{8,8,2,4,32,16,16,9,0} : options.effort == Effort::normal ? Depth{8,4,2,4,48,20,16,10,24} : Depth{8,2,1,8,256,256,16,17,64};
    if (const char* e = getenv("DEPTH")) sscanf(e, "%zu,%lu,%lu,%u,%lu,%lu,%lu,%u,%lu", &d.window, &d.step, &d.target_step, &d.places, &d.plenty, &d.covered, &d.unindexed, &d.same_of_16, &d.every_length);
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
