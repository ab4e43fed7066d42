// SPDX-License-Identifier: MIT
#include "match/match_job.h"

#include <algorithm>
#include <atomic>
#include <thread>

#include "base/workers.h"

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
            depth = {.window = 8, .step = 32, .target_step = 16, .far_step = 64, .places = 2, .plenty = 20};
            depth.same_of_16 = 9, depth.patience = 256, depth.longest_step = 15;
            return depth;
        case Effort::normal:
            depth = {.window = 8, .step = 4, .target_step = 2, .places = 4, .plenty = 48, .covered = 20};
            depth.same_of_16 = 12, depth.every_length = 16;
            if (bps)
                depth.window = depth.overlap = 6, depth.plenty = 80, depth.same_of_16 = Depth::never,
                depth.every_length = 24;
            if (compressed) {
                depth.target_step = 1, depth.places = 8, depth.plenty = depth.covered = 128;
                depth.same_of_16 = 10, depth.every_length = 64;
            }
            return depth;
        case Effort::best: break;
    }
    depth = {.window = 6, .step = 1, .target_step = 1, .places = 16, .plenty = 256, .covered = 64, .overlap = 6};
    depth.unindexed = 1, depth.same_of_16 = Depth::never, depth.every_length = 64, depth.work = 100,
    depth.stretches = 1;
    if (compressed)
        depth.window = depth.overlap = 8, depth.step = 2, depth.covered = 256, depth.same_of_16 = 10,
        depth.every_length = 200;
    return depth;
}

}  // namespace

Ticker::~Ticker() = default;

MatchJob::MatchJob(ByteView source_bytes, ByteView target_bytes, const MatchOptions& how, Ticker& ticker)
    : source(source_bytes), target(target_bytes), options(how), depth(depth_of(how.effort, how.costs)) {
    // What each thread needs of its own: the index of its stretch, its nodes and its edits.
    constexpr std::uint64_t each_thread = 16 << 20;
    if (options.threads == 0) options.threads = std::max(1U, std::thread::hardware_concurrency());
    const std::uint64_t most = std::max<std::uint64_t>(1, options.memory / 8 / each_thread);
    options.threads = static_cast<unsigned>(std::min<std::uint64_t>(options.threads, most));
    near_equal_ = options.effort != Effort::best && differs_little(ticker);
}

bool MatchJob::differs_little(Ticker& ticker) const {
    // An index takes about as long as reading so many times what it may save here.
    constexpr std::uint64_t worth = 1 << 16, least_size = 16 << 20, equal = 32, piece = 64 << 20;
    if (source.size() < least_size) return false;
    std::uint64_t shift = 0, other_shift = source.size() - target.size(), bear = source.size() / worth;
    const auto same_from = [&](std::uint64_t at, std::uint64_t distance) -> std::uint64_t {
        const std::uint64_t from = at + distance;
        return from < source.size()
                   ? common_prefix(source.subspan(from), target.subspan(at, std::min(piece, target.size() - at)))
                   : 0;
    };
    for (std::uint64_t at = 0; at < target.size();) {
        if (const std::uint64_t same = same_from(at, shift); same >= equal) {
            at += same;
            ticker.went_on();
        } else if (same_from(at, other_shift) >= equal) {
            std::swap(shift, other_shift);
        } else if (bear-- == 0) {
            return false;
        } else {
            ++at;
        }
    }
    return true;
}

const PlaceIndex& MatchJob::source_index(Ticker& ticker) {
    std::call_once(once_, [&] {
        // Never by the number of threads: the index decides what is found.
        const std::uint64_t memory = options.memory / 4 * 3;
        index_.emplace(source, 0, PlaceIndex::Shape{depth.window, depth.step, depth.places, memory});
        fill(*index_, source.size(), [&](std::uint64_t place) { ticker.indexed(place); });
    });
    return *index_;
}

const PlaceIndex& MatchJob::target_index(Ticker& ticker) {
    std::call_once(target_once_, [&] {
        target_index_.emplace(target, 0, PlaceIndex::Shape{8, depth.far_step, 2, options.memory / 8});
        fill(*target_index_, target.size(), [&](std::uint64_t) { ticker.went_on(); });
    });
    return *target_index_;
}

void MatchJob::fill(PlaceIndex& index, std::uint64_t size, const std::function<void(std::uint64_t)>& report) const {
    constexpr std::uint64_t worth_a_thread = 512 << 10;
    const auto shares = static_cast<unsigned>(std::clamp<std::uint64_t>(size / worth_a_thread, 1, options.threads));
    std::atomic<bool> stop{false};
    Workers others;
    try {
        const auto own = [&](std::uint64_t place) { return report(place), true; };
        for (unsigned share = 1; share < shares; ++share)
            if (!others.start([&, share] { index.add_all(share, shares, [&](std::uint64_t) { return !stop; }); }))
                index.add_all(share, shares, own);
        index.add_all(0, shares, own);
    } catch (...) {
        stop = true;
        throw;
    }
    others.join();
}

MatchFacts MatchJob::facts() const {
    return {index_ ? index_->step() : 0, index_ ? index_->memory() : 0, options.threads};
}

}  // namespace hotstitch
