// SPDX-License-Identifier: MIT
// Copies from anywhere: greedy, one step of looking ahead, near-linear.
//
// At each place of the target three things are tried: a run of one byte; going on at the distance between
// source and target that the last copy had, which needs no index and finds again what a small edit
// interrupted; and the windows of the source, and of the target's literal parts, that begin with the same
// eight bytes. (What was copied from the source needs no index of its own: the source's finds it.) A match
// grows backwards into the literal before it. Chains are followed a few links only and a long match is
// skipped over, so equal blocks and short periods stay linear.
// Tested by tests/match_test.cc.
#include <algorithm>

#include "match/match.h"
#include "match/window_index.h"

namespace hotstitch {
namespace {

constexpr int most_candidates = 16;
constexpr std::uint64_t least_match = 8;    ///< a copy from a new place costs about six bytes
constexpr std::uint64_t least_resumed = 4;  ///< one at the distance of the last about three
constexpr std::uint64_t least_run = 16;
constexpr std::uint64_t good_enough = 64;  ///< no looking ahead from here on

struct Match {
    EditKind kind = EditKind::copy_source;
    std::uint64_t from = 0, length = 0;
};

class AnywhereMatcher {
public:
    AnywhereMatcher(ByteView source, ByteView target, const MatchOptions& options, EditSink& sink, Meter& meter)
        : source_(source),
          target_(target),
          sink_(sink),
          meter_(meter),
          window_(options.window),
          in_source_(source, options.memory / 2),
          in_target_(target, options.memory / 2) {
        Meter indexing(meter.progress(), Phase::indexing, source.size());
        for (std::uint64_t at = 0; at + WindowIndex::window <= source.size(); at += in_source_.step()) {
            in_source_.add(at);
            indexing.advance_to(at);
        }
    }

    Flow run() {
        while (at_ < target_.size()) {
            Match best = best_at(at_);
            if (best.length == 0) {
                miss();
                continue;
            }
            if (best.length < good_enough && at_ + 1 < target_.size()) {
                const Match next = best_at(at_ + 1);
                if (next.length > best.length + 1) {
                    in_target_.add(at_++);
                    best = next;
                }
            }
            if (take(best) == Flow::stop) return Flow::stop;
        }
        return tell_literal(target_.size());
    }

private:
    Match best_at(std::uint64_t at) const {
        const ByteView rest = target_.subspan(at);
        Match best;
        if (at + shift_ < source_.size()) {
            const std::uint64_t same = common_prefix(source_.subspan(at + shift_), rest);
            if (same >= least_resumed) best = {EditKind::copy_source, at + shift_, same};
        }
        if (best.length >= good_enough || rest.size() < WindowIndex::window) return best;
        const auto offer = [&](EditKind kind, std::uint64_t from, std::uint64_t length, std::uint64_t least) {
            // A new place has to be worth its address against going on at the old distance.
            if (length >= least && length > best.length + (best.length != 0 ? 2 : 0)) best = {kind, from, length};
        };
        if (rest[0] == rest[1] && rest[0] == rest[7])
            offer(EditKind::run, 0, 1 + common_prefix(rest, rest.subspan(1)), least_run);
        if (best.kind == EditKind::run && best.length >= good_enough) return best;
        in_source_.look_up(rest.data(), most_candidates, [&](std::uint64_t from) {
            offer(EditKind::copy_source, from, common_prefix(source_.subspan(from), rest), least_match);
        });
        if (best.length < good_enough)
            in_target_.look_up(rest.data(), most_candidates, [&](std::uint64_t from) {
                if (window_ != 0 && from < at - at % window_) return;
                offer(EditKind::copy_target, from, common_prefix(target_.subspan(from), rest), least_match);
            });
        return best;
    }

    /// Where nothing matches for long, the steps grow; matches that begin between two steps grow backwards.
    void miss() {
        constexpr std::uint64_t patience = 2048, longest_step = 8;
        const std::uint64_t step = std::min({1 + misses_++ / patience, longest_step, target_.size() - at_});
        for (std::uint64_t i = 0; i < step; ++i) in_target_.add(at_ + i);
        at_ += step;
        meter_.advance(step);
    }

    Flow take(Match match) {
        if (match.kind != EditKind::run) {
            const ByteView from = match.kind == EditKind::copy_source ? source_ : target_;
            while (at_ > told_ && match.from > 0 && from[match.from - 1] == target_[at_ - 1])
                --at_, --match.from, ++match.length;
        }
        if (tell_literal(at_) == Flow::stop) return Flow::stop;
        if (match.kind == EditKind::copy_source) shift_ = match.from - at_;
        const std::byte value = target_[at_];
        told_ = at_ += match.length;
        misses_ = 0;
        meter_.advance(match.length);
        if (match.kind == EditKind::run) return sink_.put(Edit::run(value, match.length));
        return sink_.put(match.kind == EditKind::copy_source ? Edit::copy_source(match.from, match.length)
                                                             : Edit::copy_target(match.from, match.length));
    }

    Flow tell_literal(std::uint64_t to) {
        if (told_ == to) return Flow::go_on;
        const ByteView bytes = target_.subspan(told_, to - told_);
        told_ = to;
        return sink_.put(Edit::literal(bytes));
    }

    ByteView source_, target_;
    EditSink& sink_;
    Meter& meter_;
    std::uint64_t window_;  ///< how the target is cut, 0: not at all
    WindowIndex in_source_, in_target_;
    std::uint64_t at_ = 0;     ///< the place looked at
    std::uint64_t told_ = 0;   ///< target bytes told; from here to at_ is literal
    std::uint64_t shift_ = 0;  ///< source offset - target offset of the last copy, modulo 2^64
    std::uint64_t misses_ = 0;
};

}  // namespace

Flow match_anywhere(ByteView source, ByteView target, const MatchOptions& options, EditSink& sink, Meter& meter) {
    return AnywhereMatcher(source, target, options, sink, meter).run();
}

}  // namespace hotstitch
