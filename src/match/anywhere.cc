// SPDX-License-Identifier: MIT
// Copies from anywhere, chosen by what they cost in the format being written.
//
// The target is parsed block by block. Each place of a block is a node that knows the cheapest way found to get there
// and, for that way, where the last copies ended, because a short move from there is cheap to write. From each node on,
// these are tried: one literal byte; going on at the distance between source and target that the last copy had, and at
// a few distances before it, which needs no index and finds again what a small edit interrupted; a run; and the places
// of the source, and of the target so far, that begin with the same few bytes. A match that is long enough ends the
// block at once: nothing is gained by looking inside it, and files that are mostly the same pass at the speed of a
// comparison. (What was copied from the source by a long match needs no index of its own: the source's finds it.)
//
// Chains are followed a few links only, and the more places in a row had no match, the fewer are looked up, so equal
// blocks, short periods and noise stay linear.
// Tested by tests/match_test.cc.
#include <algorithm>
#include <array>
#include <utility>

#include "match/match.h"
#include "match/window_index.h"

namespace hotstitch {
namespace {

/// What the depths differ in.
struct Depth {
    std::size_t window;          ///< bytes that a new place has to share
    std::uint64_t step;          ///< every so manieth place of the source is in the index
    int links;                   ///< places looked at
    std::uint64_t plenty;        ///< a match as long as this is taken at once
    std::uint64_t covered;       ///< inside one as long as this, no new places are looked for
    std::uint64_t unindexed;     ///< places without a match that are borne before the source is indexed
    std::uint64_t every_length;  ///< up to this length, a match may also be cut short anywhere
};

/// Past this size the index of the source is far larger than the caches: each place looked at costs a wait for memory.
constexpr std::uint64_t large_source = 16 << 20;

constexpr Depth depth_of(Effort effort, std::uint64_t source_size) {
    constexpr Depth quick{8, 8, 2, 32, 8, 32, 0}, normal{6, 2, 8, 48, 20, 16, 24}, best{6, 1, 48, 256, 32, 0, 64};
    if (effort == Effort::best) return best;
    return effort == Effort::quick || source_size > large_source ? quick : normal;
}

constexpr std::uint64_t least_match = 3, least_run = 5;
constexpr std::uint32_t block_nodes = 4096, worth_noting = 24;

struct State {
    CopyState ends;
    /// Source offset - target offset of the last copy from the source, modulo 2^64, and of the last with another one.
    std::uint64_t shift = 0, older_shift = 0;
};

struct Node {
    Costs::Bits cost = UINT32_MAX;
    std::uint32_t length = 0;  ///< of the edit that arrives here
    EditKind kind = EditKind::literal;
    std::uint64_t from = 0;
    State state;
};

struct Match {
    EditKind kind = EditKind::copy_source;
    std::uint64_t from = 0, length = 0;
};

class Parser {
public:
    Parser(ByteView source, ByteView target, const MatchOptions& options, EditSink& sink, Meter& meter)
        : source_(source),
          target_(target),
          depth_(depth_of(options.effort, source.size())),
          costs_(options.costs),
          bps_(options.costs == CostModel::bps),
          window_(options.window),
          sink_(sink),
          meter_(meter),
          in_source_(source, depth_.window, depth_.step, options.memory / 2),
          in_target_(target, depth_.window, 1, options.memory / 2),
          nodes_(block_nodes + depth_.plenty + 1) {}

    Flow run() {
        while (at_ < target_.size())
            if (parse_block() == Flow::stop) return Flow::stop;
        return tell_literal(target_.size());
    }

private:
    Flow parse_block() {
        nodes_[0] = {.cost = 0, .length = 0, .kind = last_kind_, .from = 0, .state = state_};
        frontier_ = 0;
        for (std::uint32_t i = 0; i < block_nodes && at_ + i < target_.size(); ++i) {
            long_match_ = {};
            long_back_ = 0;
            relax_literal(i);
            look_at(i);
            if (long_match_.length == 0) continue;
            if (tell_nodes(i - long_back_) == Flow::stop) return Flow::stop;
            return tell_copy(long_match_);
        }
        return tell_nodes(cheapest_end());
    }

    /// Where the block ends: a match that reaches over its last node is not cut there.
    std::uint32_t cheapest_end() const {
        std::uint32_t best = frontier_;
        for (std::uint32_t end = frontier_; end >= block_nodes; --end)
            if (nodes_[end].cost < nodes_[best].cost) best = end;
        return best;
    }

    /// Tries everything from node i on.
    void look_at(std::uint32_t i) {
        const std::uint64_t at = at_ + i;
        const ByteView rest = target_.subspan(at);
        const std::uint64_t covered_before = covered_;
        const State& state = nodes_[i].state;
        const std::uint64_t shift = state.shift, older = state.older_shift;
        try_shift(i, shift);
        if (older != shift) try_shift(i, older);
        for (const std::uint64_t other : recent_shifts_)
            if (other != shift && other != older) try_shift(i, other);
        if (long_match_.length != 0) return;
        if (rest.size() > least_run && rest[0] == rest[1] && rest[1] == rest[2])
            offer(i, {EditKind::run, at, 1 + common_prefix(rest, rest.subspan(1))}, 0);
        if (long_match_.length == 0 && at >= covered_before && in_target_.has_window(at) && wants_index(at)) {
            if (in_target_.has_window(at + 8)) in_source_.prefetch(rest.data() + 8);
            found_ = false;
            in_source_.look_up(rest.data(), depth_.links, [&](std::uint64_t from) {
                offer_place(i, {EditKind::copy_source, from, 0}, source_);
                return true;  // of several long ones, the longest
            });
            const std::uint64_t first = window_ == 0 ? 0 : at - at % window_;
            if (long_match_.length == 0)
                in_target_.look_up(rest.data(), depth_.links, [&](std::uint64_t from) {
                    if (from >= first) offer_place(i, {EditKind::copy_target, from, 0}, target_);
                    return long_match_.length == 0 && from >= first;
                });
            misses_ = found_ ? 0 : misses_ + 1;
        }
        in_target_.add(at);
    }

    /// The index is made when the known distances have not helped for a while: many mods change bytes in their places
    /// and never need it. Where nothing has matched for long, fewer places are looked up.
    bool wants_index(std::uint64_t at) {
        constexpr std::uint64_t patience = 1024, longest_step = 8;
        if (!indexed_) {
            if (++misses_ < depth_.unindexed) return false;
            Meter indexing(meter_.progress(), Phase::indexing, source_.size());
            in_source_.add_all([&](std::uint64_t place) { indexing.advance_to(place); });
            indexed_ = true;
            misses_ = 0;
        }
        const std::uint64_t step = std::min(1 + misses_ / patience, longest_step);
        return step == 1 || at % step == 0;
    }

    void try_shift(std::uint32_t i, std::uint64_t shift) {
        const std::uint64_t from = at_ + i + shift;
        if (from >= source_.size() || source_[from] != target_[at_ + i]) return;
        const std::uint64_t same = common_prefix(source_.subspan(from), target_.subspan(at_ + i));
        if (same < least_match) return;
        if (!indexed_) misses_ = 0;
        offer(i, {EditKind::copy_source, from, same}, 0);
    }

    /// A place from the index: how long is the match, and how far back does it go.
    void offer_place(std::uint32_t i, Match match, ByteView from) {
        const std::uint64_t at = at_ + i;
        match.length = common_prefix(from.subspan(match.from), target_.subspan(at));
        // Only as far as the index and the places passed over leave gaps: what begins earlier was met earlier.
        const std::uint64_t most_back = std::min<std::uint64_t>(i, in_source_.step() + 16);
        std::uint32_t back = 0;
        while (back < most_back && match.from > back && from[match.from - back - 1] == target_[at - back - 1]) ++back;
        if (match.kind == EditKind::copy_target && window_ != 0)
            back =
                std::min<std::uint32_t>(back, static_cast<std::uint32_t>(std::min(at % window_, match.from % window_)));
        found_ = true;
        if (match.length < depth_.plenty || !resumes_soon(at, match.length, nodes_[i].state.shift))
            offer(i, match, back);
    }

    /// Whether a byte or few further on the last distance, or the same place, leads just as far: that is cheaper than a
    /// long match elsewhere that begins here.
    bool resumes_soon(std::uint64_t at, std::uint64_t length, std::uint64_t shift) const {
        constexpr std::uint64_t soon = 4;
        for (std::uint64_t ahead = 1; ahead <= soon; ++ahead)
            for (const std::uint64_t other : {shift, std::uint64_t{0}}) {
                const std::uint64_t from = at + ahead + other;
                if (from >= source_.size() || at + ahead >= target_.size()) continue;
                if (ahead + common_prefix(source_.subspan(from), target_.subspan(at + ahead)) + soon >= length)
                    return true;
            }
        return false;
    }

    /// A match that begins `back` bytes before node i.
    void offer(std::uint32_t i, Match match, std::uint32_t back) {
        match.length += back;
        match.from -= match.kind == EditKind::run ? 0 : back;
        if (match.length >= depth_.plenty) {
            const Costs::Bits cost = cost_of(nodes_[i - back].state, at_ + i - back, match);
            const std::int64_t gain = static_cast<std::int64_t>(costs_.literal() * match.length) - cost;
            if (long_match_.length == 0 || gain > long_gain_) long_match_ = match, long_back_ = back, long_gain_ = gain;
            return;
        }
        const std::uint64_t end = at_ + i - back + match.length;
        if (match.length - back >= depth_.covered) covered_ = std::max(covered_, end - depth_.window);
        const std::uint64_t least = match.kind == EditKind::run ? least_run : least_match;
        std::uint64_t length =
            match.length <= depth_.every_length ? std::max<std::uint64_t>(least, back + 1) : match.length;
        for (; length <= match.length; ++length) relax_copy(i - back, {match.kind, match.from, length});
    }

    void relax_literal(std::uint32_t i) {
        const Node& node = nodes_[i];
        const bool goes_on = node.kind == EditKind::literal;
        relax(i, i + 1, node.cost + costs_.literal() + (goes_on ? 0 : costs_.literal_begins()), EditKind::literal, 0,
              node.state);
    }

    Costs::Bits cost_of(const State& state, std::uint64_t at, const Match& match) const {
        if (match.kind == EditKind::run) return costs_.run(match.length);
        return match.kind == EditKind::copy_source ? costs_.copy_source(state.ends, at, match.from, match.length)
                                                   : costs_.copy_target(state.ends, at, match.from, match.length);
    }

    void relax_copy(std::uint32_t i, const Match& match) {
        const Node& node = nodes_[i];
        const std::uint64_t at = at_ + i;
        const Costs::Bits cost = cost_of(node.state, at, match);
        const auto end = i + static_cast<std::uint32_t>(match.length);
        if (end <= frontier_ && node.cost + cost >= nodes_[end].cost) return;
        relax(i, end, node.cost + cost, match.kind, match.from, after(node.state, at, match));
    }

    void relax(std::uint32_t i, std::uint32_t end, Costs::Bits cost, EditKind kind, std::uint64_t from,
               const State& state) {
        while (frontier_ < end) nodes_[++frontier_].cost = UINT32_MAX;
        if (cost < nodes_[end].cost) nodes_[end] = {cost, end - i, kind, from, state};
    }

    State after(State state, std::uint64_t at, const Match& match) const {
        if (match.kind == EditKind::copy_target) {
            state.ends.target_end = match.from + match.length;
        } else if (match.kind == EditKind::copy_source) {
            if (const std::uint64_t shift = match.from - at; shift != state.shift)
                state.older_shift = std::exchange(state.shift, shift);
            // In BPS a copy from the same place moves no cursor.
            if (!bps_ || match.from != at) state.ends.source_end = match.from + match.length;
        } else if (bps_ && match.kind == EditKind::run) {
            state.ends.target_end = at + match.length - 1;
        }
        return state;
    }

    /// Tells the cheapest way to node `end`, and moves there.
    Flow tell_nodes(std::uint32_t end) {
        way_.clear();
        for (std::uint32_t i = end; i != 0; i -= nodes_[i].length) way_.push_back(i);
        const std::uint64_t begin = at_;
        if (end != 0) state_ = nodes_[end].state, last_kind_ = nodes_[end].kind;
        for (auto i = way_.rbegin(); i != way_.rend(); ++i) {
            const Node& node = nodes_[*i];
            at_ = begin + *i - node.length;
            if (node.kind == EditKind::copy_source && node.length >= worth_noting) note_shift(node.from - at_);
            if (node.kind != EditKind::literal && tell({node.kind, node.from, node.length}) == Flow::stop)
                return Flow::stop;
        }
        at_ = begin + end;
        meter_.advance_to(at_);
        return Flow::go_on;
    }

    /// A match that no parsing could improve.
    Flow tell_copy(const Match& match) {
        state_ = after(state_, at_, match);
        last_kind_ = match.kind;
        if (match.kind == EditKind::copy_source) note_shift(match.from - at_);
        if (tell(match) == Flow::stop) return Flow::stop;
        at_ += match.length;
        covered_ = misses_ = 0;
        meter_.advance_to(at_);
        return Flow::go_on;
    }

    void note_shift(std::uint64_t shift) {
        if (std::find(recent_shifts_.begin(), recent_shifts_.end(), shift) != recent_shifts_.end()) return;
        recent_shifts_[1 + next_shift_++ % (recent_shifts_.size() - 1)] = shift;
    }

    Flow tell(const Match& match) {
        if (tell_literal(at_) == Flow::stop) return Flow::stop;
        told_ = at_ + match.length;
        if (match.kind == EditKind::run) return sink_.put(Edit::run(target_[at_], match.length));
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
    Depth depth_;
    Costs costs_;
    bool bps_;
    std::uint64_t window_;  ///< how the target is cut, 0: not at all
    EditSink& sink_;
    Meter& meter_;
    WindowIndex in_source_, in_target_;
    std::vector<Node> nodes_;
    std::vector<std::uint32_t> way_;
    std::uint32_t frontier_ = 0;  ///< nodes up to here are set
    std::uint64_t at_ = 0;        ///< the target's byte of node 0
    std::uint64_t told_ = 0;      ///< target bytes told; what follows is literal
    State state_;
    EditKind last_kind_ = EditKind::copy_source;
    std::array<std::uint64_t, 3> recent_shifts_{};  ///< the first stays 0, the same place
    std::size_t next_shift_ = 0;
    std::uint64_t covered_ = 0;  ///< below here, new places are not looked for
    std::uint64_t misses_ = 0;   ///< places in a row without a match
    bool found_ = false, indexed_ = false;
    Match long_match_;
    std::uint32_t long_back_ = 0;
    std::int64_t long_gain_ = 0;  ///< bits that it saves
};

}  // namespace

Flow match_anywhere(ByteView source, ByteView target, const MatchOptions& options, EditSink& sink, Meter& meter) {
    return Parser(source, target, options, sink, meter).run();
}

}  // namespace hotstitch
