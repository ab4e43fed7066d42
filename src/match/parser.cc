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
// Tested by tests/match_test.cc.
#include <algorithm>
#include <array>
#include <utility>

#include "match/in_step.h"
#include "match/match_job.h"
#include "match/told_edits.h"

namespace hotstitch {
namespace {

constexpr std::uint64_t least_match = 3, least_run = 5;
constexpr std::uint32_t block_nodes = 4096, worth_noting = 24;
constexpr std::size_t shifts_kept = 4;

struct Node {
    Costs::Bits cost = UINT32_MAX;
    std::uint32_t length = 0;  ///< of the edit that arrives here
    EditKind kind = EditKind::literal;
    std::uint64_t from = 0;
    CopyState state;
};

}  // namespace

/// What is large and can be used again for the next stretch.
struct StretchParser::Buffers {
    explicit Buffers(const MatchJob& job)
        : in_target(job.target.first(std::min<std::uint64_t>(job.target.size(), MatchJob::stretch)), 0,
                    {job.depth.window, job.depth.target_step, job.depth.places, job.options.memory / 4}),
          nodes(block_nodes + job.depth.plenty + 1) {}

    PlaceIndex in_target;
    std::vector<Node> nodes;
    std::vector<std::uint32_t> way;
    std::vector<std::pair<std::uint32_t, Match>> open;
};

/// Parses one stretch. All that it knows begins anew with each, so the edits do not depend on who parsed what before.
class StretchParser::Parser {
public:
    Parser(MatchJob& job, Ticker& ticker, Buffers& buffers, std::uint64_t begin)
        : job_(job),
          source_(job.source),
          target_(job.target.first(std::min<std::uint64_t>(begin + MatchJob::stretch, job.target.size()))),
          begin_(begin),
          depth_(job.depth),
          recent_(job.near_equal() ? shifts_kept : depth_.recent),
          costs_(job.options.costs),
          bps_(job.options.costs == CostModel::bps),
          ticker_(ticker),
          in_target_(buffers.in_target),
          nodes_(buffers.nodes),
          way_(buffers.way),
          open_(buffers.open),
          at_(begin),
          ticked_(begin),
          told_(target_, begin),
          recent_shifts_{0, job.source.size() - job.target.size()} {
        in_target_.begin_again(target_, begin);
    }

    std::vector<Edit> run() {
        while (at_ < target_.size()) parse_block();
        ticker_.parsed(target_.size() - ticked_);
        return told_.finish();
    }

private:
    void parse_block() {
        nodes_[0] = {.cost = 0, .length = 0, .kind = last_kind_, .from = 0, .state = state_};
        frontier_ = 0;
        open_.clear();
        tick();
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

    void tick() {
        constexpr std::uint64_t often = 256 << 10;
        if (at_ - ticked_ < often) return;
        ticker_.parsed(at_ - ticked_);
        ticked_ = at_;
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
        if (long_match_.length == 0 && at >= covered_before && in_target_.has_window(at) && wants_index(at) &&
            !overworked(at) && !runs_in_step(source_, target_, at, shift, depth_.same_of_16))
            look_up(i);
        in_target_.add(at);
    }

    /// Files can be made so that every place has many matches; the work for each byte stays bounded all the same.
    bool overworked(std::uint64_t at) const {
        constexpr std::uint64_t in_advance = 4096;
        return work_ > depth_.work * (at - begin_ + in_advance);
    }

    /// Fetches the buckets of places that will be looked up soon: those in no long match at this distance.
    void scout(std::uint64_t at, std::uint64_t shift) {
        constexpr std::uint64_t ahead = 48, most_steps = 4, equal = 16;
        if (in_source_ == nullptr) return;
        scouted_ = std::max(scouted_, at + 1);
        const std::uint64_t every = lookup_step();
        for (std::uint64_t step = 0; step < most_steps && scouted_ < at + ahead; ++step) {
            if (scouted_ + equal > target_.size()) return;
            const std::uint64_t from = scouted_ + shift;
            const std::byte* const bytes = target_.data() + scouted_;
            if (from < source_.size() && source_.size() - from >= equal &&
                std::memcmp(source_.data() + from, bytes, equal) == 0) {
                scouted_ += equal / 2;
            } else {
                if (scouted_ % every == 0) in_source_->prefetch(bytes), in_target_.prefetch(bytes);
                scouted_ += every - scouted_ % every;
            }
        }
    }

    void look_up(std::uint32_t i) {
        const std::uint64_t at = at_ + i;
        const std::byte* const bytes = target_.data() + at;
        found_ = false;
        in_source_->look_up(bytes, [&](std::uint64_t from) {
            offer_place(i, {EditKind::copy_source, from, 0}, source_);
            return true;  // of several long ones, the longest
        });
        if (long_match_.length == 0)
            in_target_.look_up(bytes, [&](std::uint64_t from) {
                if (from >= first_copied(at)) offer_place(i, {EditKind::copy_target, from, 0}, target_);
                return long_match_.length == 0;
            });
        if (!found_ && misses_ >= far_patience) look_far(i);
        work_ += found_ ? 4 : 0;
        misses_ = found_ ? 0 : misses_ + 1;
    }

    /// New bytes: perhaps the target had them in an earlier stretch.
    static constexpr std::uint64_t far_patience = 32;
    void look_far(std::uint32_t i) {
        const std::uint64_t at = at_ + i, first = first_copied(at);
        if (first >= begin_) return;
        if (far_in_target_ == nullptr) far_in_target_ = &job_.target_index(ticker_);
        far_in_target_->look_up(target_.data() + at, [&](std::uint64_t from) {
            if (from >= first && from < begin_) offer_place(i, {EditKind::copy_target, from, 0}, target_);
            return true;
        });
    }

    /// The target before this place is out of reach for a copy that makes `at`.
    std::uint64_t first_copied(std::uint64_t at) const {
        const std::uint64_t window = job_.options.window;
        return window == 0 ? 0 : at - at % window;
    }

    /// The source is indexed when the known distances have not helped for a while. Where nothing has matched for long,
    /// fewer places are looked up.
    bool wants_index(std::uint64_t at) {
        if (in_source_ == nullptr) {
            if (job_.near_equal() || ++misses_ < depth_.unindexed) return false;
            in_source_ = &job_.source_index(ticker_);
            misses_ = 0;
        }
        return at % lookup_step() == 0;
    }
    /// Odd, so that with an index of every 2^n-th place no distance between old and new is passed over for ever.
    std::uint64_t lookup_step() const noexcept {
        constexpr std::uint64_t longest = 7;
        return std::min(1 + misses_ / depth_.patience * 2, longest);
    }

    void try_shift(std::uint32_t i, std::uint64_t shift) {
        const std::uint64_t from = at_ + i + shift;
        if (from >= source_.size() || source_[from] != target_[at_ + i]) return;
        const std::uint64_t same = common_prefix(source_.subspan(from), target_.subspan(at_ + i));
        if (same < least_match) return;
        if (in_source_ == nullptr) misses_ = 0;
        offer(i, {EditKind::copy_source, from, same}, 0);
    }

    /// A place from the index: how long is the match, and how far back does it go.
    void offer_place(std::uint32_t i, Match match, ByteView from) {
        const std::uint64_t at = at_ + i;
        match.length = common_prefix(from.subspan(match.from), target_.subspan(at));
        // The index is thin, and of bytes that stand everywhere it knows a few places only.
        std::uint64_t most_back = i;
        if (match.kind == EditKind::copy_target) most_back = std::min(most_back, match.from - first_copied(at));
        if (job_.options.window != 0) most_back = std::min(most_back, at % job_.options.window);
        std::uint32_t back = 0;
        while (back < most_back && match.from > back && from[match.from - back - 1] == target_[at - back - 1]) ++back;
        work_ += back / 8;
        found_ = true;
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
            const Costs::Bits cost = cost_of(nodes_[i - back].state, at_ + i - back, match);
            const std::int64_t gain = static_cast<std::int64_t>(costs_.literal() * match.length) - cost;
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

    Costs::Bits cost_of(const CopyState& state, std::uint64_t at, const Match& match) const {
        if (match.kind == EditKind::run) return costs_.run(match.length);
        return costs_.copy_length(match.length) + place_cost(state, at, match);
    }
    Costs::Bits place_cost(const CopyState& state, std::uint64_t at, const Match& match) const {
        return match.kind == EditKind::copy_source ? costs_.from_source(state, at, match.from)
                                                   : costs_.from_target(state, at, match.from);
    }

    /// The match from node i on, cut to each length from `least` on.
    void relax_lengths(std::uint32_t i, Match match, std::uint64_t least) {
        const std::uint64_t longest = match.length;
        work_ += 4 + longest - least;
        const bool run = match.kind == EditKind::run;
        const Costs::Bits base = nodes_[i].cost + (run ? 0 : place_cost(nodes_[i].state, at_ + i, match));
        for (match.length = least; match.length <= longest; ++match.length) {
            const Costs::Bits cost = base + (run ? costs_.run(match.length) : costs_.copy_length(match.length));
            const auto end = i + static_cast<std::uint32_t>(match.length);
            if (end <= frontier_ && cost >= nodes_[end].cost) continue;
            relax(i, end, cost, match.kind, match.from, after(nodes_[i].state, at_ + i, match));
        }
    }

    void relax(std::uint32_t i, std::uint32_t end, Costs::Bits cost, EditKind kind, std::uint64_t from,
               const CopyState& state) {
        while (frontier_ < end) nodes_[++frontier_].cost = UINT32_MAX;
        if (cost < nodes_[end].cost) nodes_[end] = {cost, end - i, kind, from, state};
    }

    CopyState after(CopyState state, std::uint64_t at, const Match& match) const {
        const std::uint64_t moves = bps_ ? match.length : 0;
        if (match.kind == EditKind::copy_target) {
            state.target_near = match.from + moves;
        } else if (match.kind == EditKind::copy_source) {
            if (const std::uint64_t shift = match.from - at; shift != state.shift)
                state.older_shift = std::exchange(state.shift, shift);
            // In BPS a copy from the same place moves no cursor.
            if (!bps_ || match.from != at) state.source_near = match.from + moves;
        } else if (bps_ && match.kind == EditKind::run) {
            state.target_near = at + match.length - 1;
        }
        return state;
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
            if (node.kind == EditKind::copy_source && node.length >= worth_noting) note_shift(node.from - at_);
            if (node.kind != EditKind::literal) told_.tell(at_, {node.kind, node.from, node.length});
        }
        at_ = begin + end;
    }

    /// A match that no parsing could improve.
    void tell_copy(Match match) {
        if (match.kind != EditKind::run) take_back(match);
        state_ = after(state_, at_, match);
        last_kind_ = match.kind;
        if (match.kind == EditKind::copy_source) note_shift(match.from - at_);
        told_.tell(at_, match);
        at_ += match.length;
        covered_ = misses_ = 0;
    }

    /// A long match may begin long before the place that made it known: in a run, or in bytes that stand everywhere.
    /// Then it takes the place of what was told for them.
    void take_back(Match& match) {
        const ByteView from = match.kind == EditKind::copy_source ? source_ : target_;
        constexpr std::uint64_t most_back = 64 << 10;  // or many matches could each go back over the same bytes
        const std::uint64_t back =
            common_suffix(from.first(match.from), target_.first(at_), std::min(most_back, at_ - first_taken(match)));
        const std::uint64_t taken = at_ - told_.give_back(at_ - back);
        match.from -= taken;
        match.length += taken;
        at_ -= taken;
    }
    std::uint64_t first_taken(const Match& match) const {
        if (match.kind == EditKind::copy_source) return begin_;
        return at_ - std::min(at_ - first_copied(at_), match.from - first_copied(at_));
    }
    static std::uint64_t common_suffix(ByteView a, ByteView b, std::uint64_t most) {
        most = std::min<std::uint64_t>({most, a.size(), b.size()});
        std::uint64_t same = 0;
        while (same < most && a[a.size() - same - 1] == b[b.size() - same - 1]) ++same;
        return same;
    }

    void note_shift(std::uint64_t shift) {
        if (std::find(recent_shifts_.begin(), recent_shifts_.end(), shift) != recent_shifts_.end()) return;
        recent_shifts_[1 + next_shift_++ % (recent_shifts_.size() - 1)] = shift;
    }

    MatchJob& job_;
    ByteView source_, target_;  ///< the target ends where the stretch does
    std::uint64_t begin_;
    Depth depth_;
    std::size_t recent_;  ///< where there is no index, all distances are tried
    Costs costs_;
    bool bps_;
    Ticker& ticker_;
    const PlaceIndex* in_source_ = nullptr;  ///< once it is wanted
    const PlaceIndex* far_in_target_ = nullptr;
    PlaceIndex& in_target_;
    std::vector<Node>& nodes_;
    std::vector<std::uint32_t>& way_;
    std::vector<std::pair<std::uint32_t, Match>>&
        open_;                    ///< in this block, tried in full only, by the node they begin at
    std::uint32_t frontier_ = 0;  ///< nodes up to here are set
    std::uint64_t at_, ticked_;   ///< the target's byte of node 0; up to where the ticker was told
    ToldEdits told_;
    CopyState state_;
    EditKind last_kind_ = EditKind::copy_source;
    std::array<std::uint64_t, shifts_kept>
        recent_shifts_;  ///< the first stays 0, the same place; the second begins at both ends
    std::size_t next_shift_ = 0;
    std::uint64_t scouted_ = 0;  ///< buckets of places below were fetched
    std::uint64_t covered_ = 0;  ///< below here, new places are not looked for
    std::uint64_t misses_ = 0;   ///< places in a row without a match
    std::uint64_t work_ = 0;     ///< lengths tried in this stretch
    bool found_ = false;
    Match long_match_;
    std::uint32_t long_back_ = 0;
    std::int64_t long_gain_ = 0;  ///< bits that it saves
};

StretchParser::StretchParser(MatchJob& job, Ticker& ticker)
    : job_(job), ticker_(ticker), buffers_(std::make_unique<Buffers>(job)) {}
StretchParser::~StretchParser() = default;

std::vector<Edit> StretchParser::parse(std::uint64_t number) {
    return Parser(job_, ticker_, *buffers_, number * MatchJob::stretch).run();
}

}  // namespace hotstitch
