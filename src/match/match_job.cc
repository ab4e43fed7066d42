// SPDX-License-Identifier: MIT
#include "match/match_job.h"

#include <thread>

namespace hotstitch {
namespace {

/// The figures with which pairs of programs, libraries, data files and ROM-shaped files came out smallest in the time
/// of the depth: docs/performance.md. Literals that a compressor follows cost little, so no other place is looked for
/// in code that goes on in step; without one, only a long look finds what is cheaper.
Depth depth_of(Effort effort, CostModel costs) {
    const bool bps = costs == CostModel::bps, compressed = costs == CostModel::vcdiff_lzma;
    Depth depth;
    switch (effort) {
        case Effort::quick:
            depth = {.window = 8, .step = 32, .target_step = 8, .places = 1, .plenty = 20, .covered = 8};
            depth.unindexed = 16, depth.same_of_16 = 8, depth.every_length = 0;
            return depth;
        case Effort::normal:
            depth = {.window = 8, .step = 4, .target_step = 2, .places = 4, .plenty = 48, .covered = 20};
            depth.unindexed = 16, depth.same_of_16 = 13, depth.every_length = 24;
            if (bps) depth.window = 6, depth.plenty = 80, depth.same_of_16 = Depth::never;
            if (compressed) {
                depth.target_step = 1, depth.places = 8, depth.plenty = depth.covered = 128;
                depth.same_of_16 = 10, depth.every_length = 64;
            }
            return depth;
        case Effort::best: break;
    }
    depth = {.window = 6, .step = 1, .target_step = 1, .places = 16, .plenty = 256, .covered = 64};
    depth.unindexed = 1, depth.same_of_16 = Depth::never, depth.every_length = 64;
    if (compressed)
        depth.window = 8, depth.step = 2, depth.covered = 256, depth.same_of_16 = 10, depth.every_length = 200;
    return depth;
}

}  // namespace

Ticker::~Ticker() = default;

MatchJob::MatchJob(ByteView source_bytes, ByteView target_bytes, const MatchOptions& how)
    : source(source_bytes), target(target_bytes), options(how), depth(depth_of(how.effort, how.costs)) {}

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
