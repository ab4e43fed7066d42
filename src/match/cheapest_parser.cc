// SPDX-License-Identifier: MIT
// Copies from anywhere, chosen by what they cost in the format being written.
//
// A stretch of the target is parsed block by block. Each place of a block is a node that knows the cheapest way found
// to get there and, for that way, where the last copies ended, because a short move from there is cheap to write. From
// each node on, these are tried: one literal byte; going on at the distance between source and target that the last
// copy had, and at a few distances before it, which needs no index and finds again what a small edit interrupted; a
// run; and the places of the source, and of the stretch so far, that begin with the same few bytes. A match that is
// long enough ends the block at once: nothing is gained by looking inside it, and files that are mostly the same pass
// at the speed of a comparison. It grows backwards over what was told before, which rarer bytes now show to be part of
// it. (What was copied from the source by a long match needs no index of its own: the source's finds it.)
//
// The index knows a few places of the same bytes only, and the more places in a row had no match, the fewer are looked
// up, so equal blocks, short periods and noise stay linear.
// Tested by tests/format/match_test.cc.
#include <algorithm>
#include <cstring>
#include <memory>
#include <utility>

#include "match/in_step.h"
#include "match/place_finder.h"
#include "match/stretch_parser.h"
#include "match/told_edits.h"

namespace hotstitch {
namespace {

constexpr std::uint64_t least_match = 3, least_run = 5;
constexpr std::uint32_t block_nodes = 4096, worth_noting = 24;

struct Node {
    Costs::Bits cost = UINT32_MAX;
    std::uint32_t length = 0;  ///< of the edit that arrives here
    EditKind kind = EditKind::literal;
    std::uint64_t from = 0;
    CopyState state;
};

/// What is large and can be used again for the next stretch.
struct Buffers {
    explicit Buffers(const MatchJob& job) : in_stretch(stretch_index(job)), nodes(block_nodes + job.depth.plenty + 1) {}

    PlaceIndex in_stretch;
    std::vector<Node> nodes;
    std::vector<std::uint32_t> way;
    std::vector<std::pair<std::uint32_t, Match>> open;
};

class Parsing {
public:
    Parsing(MatchJob& job, Ticker& ticker, Buffers& buffers, std::uint64_t number)
        : stretch_(job, number),
          source_(stretch_.source),
          target_(stretch_.target),
          depth_(job.depth),
          recent_(job.near_equal() ? RecentShifts::size : depth_.recent),
          costs_(job.options.costs),
          ticks_(ticker, stretch_.begin),
          finder_(job, ticker, stretch_, buffers.in_stretch),
          nodes_(buffers.nodes),
          way_(buffers.way),
          open_(buffers.open),
          at_(stretch_.begin),
          told_(target_, stretch_.begin),
          recent_shifts_(job) {}

    std::vector<Edit> edits() {
        while (at_ < target_.size()) parse_block();
        ticks_.finish(target_.size());
        return told_.finish();
    }

private:
    void parse_block() {
        nodes_[0] = {.cost = 0, .length = 0, .kind = last_kind_, .from = 0, .state = state_};
        frontier_ = 0;
        open_.clear();
        ticks_.reached(at_);
        for (int i = 0; i < 4; ++i) scout(at_, state_.shift);
        for (std::uint32_t i = 0; i < block_nodes && at_ + i < target_.size(); ++i) {
            long_match_ = {};
            long_back_ = 0;
            relax_literal(i);
            look_at(i);
            if (long_match_.length == 0) continue;
            cut_open_matches(i - long_back_);
            const std::uint32_t back = i - cheapest_between(i - long_back_, i);
            tell_nodes(i - back);
            const std::uint64_t later = long_match_.kind == EditKind::run ? 0 : long_back_ - back;
            return tell_copy({long_match_.kind, long_match_.from + later, long_match_.length - (long_back_ - back)});
        }
        tell_nodes(cheapest_end());
    }

    /// Where the block ends: a match that reaches over its last node is not cut there.
    std::uint32_t cheapest_end() const {
        std::uint32_t best = frontier_;
        for (std::uint32_t end = frontier_; end >= block_nodes; --end)
            if (nodes_[end].cost < nodes_[best].cost) best = end;
        return best;
    }

    /// Where a long match begins, those before it may end, also the ones that are tried in full only.
    void cut_open_matches(std::uint32_t end) {
        for (const auto& [begin, match] : open_)
            if (begin + least_match <= end && begin + match.length > end)
                relax_lengths(begin, {match.kind, match.from, end - begin}, end - begin);
    }

    /// The first of the cheapest nodes.
    std::uint32_t cheapest_between(std::uint32_t first, std::uint32_t last) const {
        std::uint32_t best = first;
        for (std::uint32_t i = first + 1; i <= last; ++i)
            if (nodes_[i].cost < nodes_[best].cost) best = i;
        return best;
    }

    /// Tries everything from node i on.
    void look_at(std::uint32_t i) {
        const std::uint64_t at = at_ + i;
        const ByteView rest = target_.subspan(at);
        const std::uint64_t covered_before = covered_;
        const std::uint64_t shift = nodes_[i].state.shift, older = nodes_[i].state.older_shift;
        try_shift(i, shift);
        if (older != shift) try_shift(i, older);
        if (!overworked(at))
            for (std::size_t r = 0; r < recent_; ++r)
                if (recent_shifts_[r] != shift && recent_shifts_[r] != older) try_shift(i, recent_shifts_[r]);
        if (long_match_.length != 0) return;
        if (rest.size() > least_run && rest[0] == rest[1] && rest[1] == rest[2])
            offer(i, {EditKind::run, at, 1 + common_prefix(rest, rest.subspan(1))}, 0);
        scout(at, shift);
        if (at < known_) finder_.matched();
        if (long_match_.length == 0 && at >= covered_before && finder_.wants(at) && !overworked(at) &&
            !runs_in_step(source_, target_, at, shift, depth_.same_of_16))
            look_up(i);
        finder_.add(at);
    }

    /// Files can be made so that every place has many matches; the work for each byte stays bounded all the same.
    bool overworked(std::uint64_t at) const {
        constexpr std::uint64_t in_advance = 4096;
        return work_ > depth_.work * (at - stretch_.begin + in_advance);
    }

    /// Fetches the buckets of places that will be looked up soon: those in no long match at this distance.
    void scout(std::uint64_t at, std::uint64_t shift) {
        constexpr std::uint64_t ahead = 48, most_steps = 4, equal = 16;
        scouted_ = std::max(scouted_, at + 1);
        const std::uint64_t every = finder_.step();
        for (std::uint64_t step = 0; step < most_steps && scouted_ < at + ahead; ++step) {
            if (scouted_ + equal > target_.size()) return;
            const std::uint64_t from = scouted_ + shift;
            if (from < source_.size() && source_.size() - from >= equal &&
                std::memcmp(source_.data() + from, target_.data() + scouted_, equal) == 0) {
                scouted_ += equal / 2;
            } else {
                if (scouted_ % every == 0 && !finder_.prefetch(scouted_)) return;
                scouted_ += every - scouted_ % every;
            }
        }
    }

    void look_up(std::uint32_t i) {
        const bool found = finder_.look_up(
            at_ + i, [&](const Match& match) { offer_place(i, match); }, [&] { return long_match_.length != 0; });
        work_ += found ? 4 : 0;
    }

    void try_shift(std::uint32_t i, std::uint64_t shift) {
        const std::uint64_t from = at_ + i + shift;
        if (from >= source_.size() || source_[from] != target_[at_ + i]) return;
        const std::uint64_t same = stretch_.same_from(at_ + i, shift);
        if (same < least_match) return;
        if (same >= depth_.window) known_ = std::max(known_, at_ + i + same);
        offer(i, {EditKind::copy_source, from, same}, 0);
    }

    /// A place from the index: how long is the match, and how far back does it go.
    void offer_place(std::uint32_t i, Match match) {
        const std::uint64_t at = at_ + i;
        const ByteView from = match.kind == EditKind::copy_source ? source_ : target_;
        match.length = common_prefix(from.subspan(match.from), target_.subspan(at));
        // The index is thin, and of bytes that stand everywhere it knows a few places only.
        const auto back = static_cast<std::uint32_t>(stretch_.same_before(match, at, i));
        work_ += back / 8;
        // A long match elsewhere is no gain where the last distance, or the same place, soon leads as far.
        if (match.length < depth_.plenty || (!resumes_soon(source_, target_, at, nodes_[i].state.shift, match.length) &&
                                             !resumes_soon(source_, target_, at, 0, match.length)))
            offer(i, match, back);
    }

    /// A match that begins `back` bytes before node i.
    void offer(std::uint32_t i, Match match, std::uint32_t back) {
        match.length += back;
        match.from -= match.kind == EditKind::run ? 0 : back;
        if (match.length >= depth_.plenty) {
            const std::int64_t gain = costs_.gain(nodes_[i - back].state, at_ + i - back, match);
            if (long_match_.length == 0 || gain > long_gain_) long_match_ = match, long_back_ = back, long_gain_ = gain;
            return;
        }
        const std::uint64_t end = at_ + i - back + match.length;
        if (match.length - back >= depth_.covered) covered_ = std::max(covered_, end - depth_.overlap);
        const std::uint64_t least = match.kind == EditKind::run ? least_run : least_match;
        std::uint64_t length =
            match.length <= depth_.every_length ? std::max<std::uint64_t>(least, back + 1) : match.length;
        if (length > least) open_.emplace_back(i - back, match);
        relax_lengths(i - back, match, length);
    }

    /// Literals in a row are one edit, so that the way back over them is one step.
    void relax_literal(std::uint32_t i) {
        const Node& node = nodes_[i];
        const bool goes_on = node.kind == EditKind::literal;
        relax(goes_on ? i - node.length : i, i + 1,
              node.cost + costs_.literal() + (goes_on ? 0 : costs_.literal_begins()), EditKind::literal, 0, node.state);
    }

    /// The match from node i on, cut to each length from `least` on.
    void relax_lengths(std::uint32_t i, Match match, std::uint64_t least) {
        const std::uint64_t longest = match.length;
        work_ += 4 + longest - least;
        const bool run = match.kind == EditKind::run;
        const Costs::Bits base = nodes_[i].cost + (run ? 0 : costs_.place(nodes_[i].state, at_ + i, match));
        for (match.length = least; match.length <= longest; ++match.length) {
            const Costs::Bits cost = base + (run ? costs_.run(match.length) : costs_.copy_length(match.length));
            const auto end = i + static_cast<std::uint32_t>(match.length);
            if (end <= frontier_ && cost >= nodes_[end].cost) continue;
            relax(i, end, cost, match.kind, match.from, costs_.after(nodes_[i].state, at_ + i, match));
        }
    }

    void relax(std::uint32_t i, std::uint32_t end, Costs::Bits cost, EditKind kind, std::uint64_t from,
               const CopyState& state) {
        while (frontier_ < end) nodes_[++frontier_].cost = UINT32_MAX;
        if (cost < nodes_[end].cost) nodes_[end] = {cost, end - i, kind, from, state};
    }

    /// Tells the cheapest way to node `end`, and moves there.
    void tell_nodes(std::uint32_t end) {
        way_.clear();
        for (std::uint32_t i = end; i != 0; i -= nodes_[i].length) way_.push_back(i);
        const std::uint64_t begin = at_;
        if (end != 0) state_ = nodes_[end].state, last_kind_ = nodes_[end].kind;
        std::reverse(way_.begin(), way_.end());
        for (const std::uint32_t i : way_) {
            const Node& node = nodes_[i];
            at_ = begin + i - node.length;
            if (node.kind == EditKind::copy_source && node.length >= worth_noting) recent_shifts_.note(node.from - at_);
            if (node.kind != EditKind::literal) told_.tell(at_, {node.kind, node.from, node.length});
        }
        at_ = begin + end;
    }

    /// A match that no parsing could improve.
    void tell_copy(Match match) {
        if (match.kind != EditKind::run) take_back(match);
        state_ = costs_.after(state_, at_, match);
        last_kind_ = match.kind;
        if (match.kind == EditKind::copy_source) recent_shifts_.note(match.from - at_);
        told_.tell(at_, match);
        at_ += match.length;
        covered_ = 0;
        finder_.matched();
    }

    /// A long match may begin long before the place that made it known: in a run, or in bytes that stand everywhere.
    /// Then it takes the place of what was told for them.
    void take_back(Match& match) {
        constexpr std::uint64_t most_back = 64 << 10;  // or many matches could each go back over the same bytes
        const std::uint64_t back = stretch_.same_before(match, at_, std::min(most_back, at_ - stretch_.begin));
        const std::uint64_t taken = at_ - told_.give_back(at_ - back);
        match.from -= taken;
        match.length += taken;
        at_ -= taken;
    }

    const Stretch stretch_;
    const ByteView source_, target_;  ///< of the stretch
    const Depth depth_;
    std::size_t recent_;  ///< distances tried; where there is no index, all
    Costs costs_;
    Ticks ticks_;
    PlaceFinder finder_;
    std::vector<Node>& nodes_;
    std::vector<std::uint32_t>& way_;
    std::vector<std::pair<std::uint32_t, Match>>&
        open_;                    ///< in this block, tried in full only, by the node they begin at
    std::uint32_t frontier_ = 0;  ///< nodes up to here are set
    std::uint64_t at_;            ///< the target's byte of node 0
    ToldEdits told_;
    CopyState state_;
    EditKind last_kind_ = EditKind::copy_source;
    RecentShifts recent_shifts_;
    std::uint64_t scouted_ = 0;  ///< buckets of places below were fetched
    std::uint64_t covered_ = 0;  ///< below here, new places are not looked for
    std::uint64_t known_ = 0;    ///< up to here a match at a known distance reaches that an index would find too
    std::uint64_t work_ = 0;     ///< lengths tried in this stretch
    Match long_match_;
    std::uint32_t long_back_ = 0;
    std::int64_t long_gain_ = 0;  ///< bits that it saves
};

}  // namespace

StretchParser cheapest_parser(MatchJob& job, Ticker& ticker) {
    return [&job, &ticker, buffers = std::make_shared<Buffers>(job)](std::uint64_t number) {
        return Parsing(job, ticker, *buffers, number).edits();
    };
}

}  // namespace hotstitch
