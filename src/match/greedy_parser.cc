// SPDX-License-Identifier: MIT
// Takes what is at hand: at each place the match that saves most, without a look at what else it might lead to.
//
// While source and target run in step, no other place is looked for: 16 bytes at a time, the next four that are the
// same begin a copy. Otherwise the distances of earlier copies, a run, and what the indexes know are compared by what
// they save in the format. A match grows backwards over the literals before it, and a long one over the short copies
// that stood in for it. When an index has found a new distance, the literals before may have run in step at it all the
// while, so they are gone over once more.
// Tested by tests/format/match_test.cc.
#include <bit>
#include <memory>

#include "match/in_step.h"
#include "match/place_finder.h"
#include "match/stretch_parser.h"
#include "match/told_edits.h"

namespace hotstitch {
namespace {

constexpr std::uint64_t least_match = 4, least_run = 6, look = 16, long_enough = 32, worth_noting = 24;

/// The first of 16 places from which on four bytes are the same; 16: none.
unsigned first_four(const Sameness& same) noexcept {
    const unsigned four = same.which & same.which >> 1 & same.which >> 2 & same.which >> 3;
    return static_cast<unsigned>(std::countr_zero(four | 1U << look));
}
/// Of the places that were looked at, the last three may begin four of which less was seen.
constexpr std::uint64_t looked_through = look - least_match + 1;

class Parsing {
public:
    Parsing(MatchJob& job, Ticker& ticker, PlaceIndex& in_stretch, std::uint64_t number)
        : stretch_(job, number),
          target_(stretch_.target),
          depth_(job.depth),
          costs_(job.options.costs),
          ticks_(ticker, stretch_.begin),
          finder_(job, ticker, stretch_, in_stretch),
          at_(stretch_.begin),
          added_(stretch_.begin),
          told_(target_, stretch_.begin),
          recent_shifts_(job) {}

    std::vector<Edit> edits() {
        while (at_ < target_.size()) {
            ticks_.reached(at_);
            scout();
            if (!go_on_in_step()) look_around();
        }
        ticks_.finish(target_.size());
        return told_.finish();
    }

private:
    /// The same at the distance of the last copy, for the most part or for long: on to the next bytes that are.
    /// Tables are the same for the most part at many distances, so now and then a better one is looked for.
    bool go_on_in_step() {
        constexpr int sure = 13;
        constexpr std::uint64_t seldom = 256;
        const Sameness same = same_at(at_, state_.shift);
        next_known_ = first_four(same);
        if (next_known_ != 0 && same.count < depth_.same_of_16) return false;
        if (same.count < sure && at_ >= doubtful_) {
            doubtful_ = at_ + seldom;
            return false;
        }
        if (next_known_ == look) return pass_over(looked_through), true;
        const std::uint64_t at = at_ + next_known_, length = stretch_.same_from(at, state_.shift);
        if (length < look && same.count < depth_.same_of_16) return false;
        pass_over(next_known_);
        take({EditKind::copy_source, at_ + state_.shift, length});
        return true;
    }

    Sameness same_at(std::uint64_t at, std::uint64_t shift) const {
        const std::uint64_t from = at + shift;
        if (from >= stretch_.source.size()) return {};
        const ByteView here = target_.subspan(at), there = stretch_.source.subspan(from);
        if (here.size() >= look && there.size() >= look) return same_of_16(there.data(), here.data());
        Sameness same;
        for (unsigned i = 0; i < std::min(here.size(), there.size()); ++i)
            if (here[i] == there[i]) same.which |= 1U << i, ++same.count;
        return same;
    }

    /// What of all that is known here saves most?
    void look_around() {
        best_ = {};
        best_gain_ = 0;
        const std::uint64_t shift = state_.shift, older = state_.older_shift;
        if (next_known_ == 0) offer_shift(shift);
        if (older != shift) offer_shift(older);
        for (std::size_t i = 0; i < RecentShifts::size; ++i)
            if (recent_shifts_[i] != shift && recent_shifts_[i] != older) offer_shift(recent_shifts_[i]);
        const ByteView rest = target_.subspan(at_);
        if (best_.length < long_enough && rest.size() > least_run && rest[0] == rest[1] && rest[1] == rest[2])
            offer({EditKind::run, at_, 1 + common_prefix(rest, rest.subspan(1))});
        if (best_.length < long_enough && finder_.wants(at_))
            finder_.look_up(
                at_, [&](const Match& match) { offer_place(match); }, [&] { return best_.length >= long_enough; });
        if (best_.length == 0) return pass_over_new();
        if (best_.kind == EditKind::copy_source && best_.from - at_ != shift) go_back_in_step(best_.from - at_);
        take(best_);
    }

    void offer_shift(std::uint64_t shift) {
        const std::uint64_t from = at_ + shift;
        if (from >= stretch_.source.size() || stretch_.source[from] != target_[at_]) return;
        if (const std::uint64_t same = stretch_.same_from(at_, shift); same >= least_match)
            offer({EditKind::copy_source, from, same});
    }

    void offer_place(Match match) {
        const ByteView from = match.kind == EditKind::copy_source ? stretch_.source : target_;
        match.length = common_prefix(from.subspan(match.from), target_.subspan(at_));
        // A long match elsewhere is no gain where the last distance, or the same place, soon leads as far.
        if (match.length < look || (!resumes_soon(stretch_.source, target_, at_, state_.shift, match.length) &&
                                    !resumes_soon(stretch_.source, target_, at_, 0, match.length)))
            offer(match);
    }

    void offer(const Match& match) {
        // Literals that go on behind it have to begin anew.
        const std::int64_t gain =
            costs_.gain(state_, at_, match) - (told_.end() == at_ ? 0 : std::int64_t{costs_.literal_begins()});
        if (gain > best_gain_) best_ = match, best_gain_ = gain;
    }

    /// Fetches from memory what look-ups soon will need: where source and target do not run in step.
    void scout() {
        constexpr std::uint64_t ahead = 32;
        scouted_ = std::max(scouted_, at_);
        while (scouted_ < at_ + ahead && scouted_ < target_.size()) {
            if (same_at(scouted_, state_.shift).count >= depth_.same_of_16) {
                scouted_ += look;
                continue;
            }
            const std::uint64_t end = scouted_ + look, step = finder_.step();
            for (scouted_ += (step - scouted_ % step) % step; scouted_ < end; scouted_ += step)
                if (!finder_.prefetch(scouted_)) return;
        }
    }

    /// Where nothing has matched for long, only places that are looked up are looked at.
    void pass_over_new() {
        const std::uint64_t step = finder_.step();
        pass_over(std::clamp<std::uint64_t>(step - at_ % step, 1, std::max(next_known_, 1U)));
    }

    void pass_over(std::uint64_t bytes) {
        at_ += bytes;
        for (; added_ < std::min<std::uint64_t>(at_, target_.size()); added_ += finder_.stretch_step())
            finder_.add(added_);
    }

    /// A match with a new distance was found at last: where did it begin to hold?
    void go_back_in_step(std::uint64_t shift) {
        std::uint64_t at = at_;
        while (at >= told_.end() + look && same_at(at - look, shift).count >= depth_.same_of_16) at -= least_match * 3;
        if (at_ - at > may_go_back()) return;
        went_back_ += at_ - at;
        unsigned known = look;
        for (; at < at_ && (known = first_four(same_at(at, shift))) == look;) at += looked_through;
        if (known == look || at + known >= at_) return;
        at_ = at + known;
        best_ = {EditKind::copy_source, at_ + shift, stretch_.same_from(at_, shift)};
    }

    /// Bytes may be gone over again, but only so many: or it would be the same ones for each match.
    std::uint64_t may_go_back() const {
        constexpr std::uint64_t in_advance = 64 << 10;
        const std::uint64_t earned = at_ - stretch_.begin + in_advance;
        return earned > went_back_ ? earned - went_back_ : 0;
    }

    void take(Match match) {
        if (match.kind != EditKind::run) begin_earlier(match);
        if (match.length >= depth_.window) finder_.matched();
        state_ = costs_.after(state_, at_, match);
        told_.tell(at_, match);
        if (match.kind == EditKind::copy_source && match.length >= worth_noting) recent_shifts_.note(match.from - at_);
        if (match.length >= long_enough) {
            // The index knows it already, from where it was copied.
            const std::uint64_t step = finder_.stretch_step(), end = at_ + match.length - stretch_.begin;
            added_ = std::max(added_, stretch_.begin + (end + step - 1) / step * step);
        }
        pass_over(match.length);
    }

    /// Grows a match over the literals before it, and a long one over whole edits before those.
    void begin_earlier(Match& match) {
        const std::uint64_t literals = at_ - told_.end();
        std::uint64_t back = stretch_.same_before(match, at_, literals);
        if (back == literals && match.length >= depth_.plenty) {
            const std::uint64_t most = std::min(may_go_back(), at_ - stretch_.begin - literals);
            const std::uint64_t farther = stretch_.same_before(match, at_, literals + most);
            went_back_ += farther - literals;
            back = at_ - told_.give_back(at_ - farther);
        }
        at_ -= back;
        match.from -= back;
        match.length += back;
    }

    const Stretch stretch_;
    const ByteView target_;  ///< of the stretch
    const Depth depth_;
    Costs costs_;
    Ticks ticks_;
    PlaceFinder finder_;
    std::uint64_t at_, added_;  ///< places before the second were added to the index
    ToldEdits told_;
    CopyState state_;
    RecentShifts recent_shifts_;
    unsigned next_known_ = look;  ///< so many bytes ahead, four are the same at the last distance
    Match best_;
    std::int64_t best_gain_ = 0;
    std::uint64_t scouted_ = 0;    ///< buckets of places before were fetched
    std::uint64_t doubtful_ = 0;   ///< from here on, going on in step is
    std::uint64_t went_back_ = 0;  ///< over so many bytes
};

}  // namespace

StretchParser greedy_parser(MatchJob& job, Ticker& ticker) {
    return [&job, &ticker, in_stretch = std::make_shared<PlaceIndex>(stretch_index(job))](std::uint64_t number) {
        return Parsing(job, ticker, *in_stretch, number).edits();
    };
}

}  // namespace hotstitch
