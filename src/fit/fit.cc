// SPDX-License-Identifier: MIT
// Tested by tests/job/diagnose_test.cc.
#include "hotstitch/fit.h"
#include "hotstitch/text.h"

#include <fmt/format.h>

#include <algorithm>

#include "fit/windows.h"

namespace hotstitch {
namespace {

/// Does the source hold, at the same place, every byte that the edits make? And where does the first stored byte past
/// the source's end stand: runs of 00 there may just be the filled gap. Stops when both are known.
class SamePlaceCheck final : public EditSink {
public:
    SamePlaceCheck(const ByteSource& source, bool writes_past_end)
        : source_(source), scratch_(64 << 10), looks_past_end_(writes_past_end) {}

    Flow put(const Edit& edit) override {
        const std::uint64_t begin = at_;
        at_ += edit.length;
        if (edit.kind == EditKind::copy_source && edit.offset == begin) return Flow::go_on;
        writes_ = true;
        same_ = same_ && at_ <= source_.size() && holds(edit, begin);
        const bool gap = edit.kind == EditKind::run && edit.value == std::byte{0};
        if (looks_past_end_ && begin >= source_.size() && !gap && edit.kind != EditKind::copy_source) {
            starts_past_ = begin - source_.size();
            looks_past_end_ = false;
        }
        return same_ || looks_past_end_ ? Flow::go_on : Flow::stop;
    }

    bool same() const noexcept { return same_; }
    bool writes() const noexcept { return writes_; }
    std::uint64_t starts_past() const noexcept { return starts_past_; }

private:
    bool holds(const Edit& edit, std::uint64_t begin) {
        if (edit.kind != EditKind::literal && edit.kind != EditKind::run) return false;
        for (std::uint64_t done = 0; done < edit.length;) {
            const auto length = static_cast<std::size_t>(std::min<std::uint64_t>(edit.length - done, scratch_.size()));
            const ByteView have = source_.read(begin + done, length, scratch_);
            const bool same = edit.kind == EditKind::run
                                  ? have.front() == edit.value && all_equal(have)
                                  : common_prefix(have, edit.bytes.subspan(done, length)) == length;
            if (!same) return false;
            done += length;
        }
        return true;
    }

    const ByteSource& source_;
    Bytes scratch_;
    bool looks_past_end_, same_ = true, writes_ = false;
    std::uint64_t at_ = 0, starts_past_ = 0;
};

/// What of `wanted` the file is not, each check told once.
std::vector<DigestMismatch> mismatches_of(const Digests& in_patch, const Digests& beside, const Digests& found) {
    std::vector<DigestMismatch> all = compare(in_patch, found);
    for (DigestMismatch& other : compare(beside, found))
        if (std::none_of(all.begin(), all.end(),
                         [&](const auto& m) { return m.name == other.name && m.wanted == other.wanted; }))
            all.push_back(std::move(other));
    return all;
}

/// What only the edits themselves can tell: does the file hold them already, do they begin far past its end.
void look_at_edits(const PatchReader& patch, const ByteSource& source, Fit& result, bool& holds_all) {
    SamePlaceCheck same_place(source, patch.facts().reach > source.size());
    patch.read(source.size(), same_place);
    result.starts_past_end = same_place.starts_past();
    holds_all = same_place.same() && patch.target_size(source.size()) == source.size();
    result.changes_nothing = holds_all && !same_place.writes();
}

}  // namespace

Fit fit_by_sums(const PatchReader& any_patch, const ByteSource& source, const Checks& wanted, const Progress& progress,
                DigestChoice also) {
    const PatchForSource bound(any_patch, source);
    const PatchReader& patch = *bound;
    const PatchFacts& facts = patch.facts();
    const Digests target = joined(facts.target, wanted.target);
    const bool any_source_check = !facts.source.empty() || !wanted.source.empty() || facts.old_values != 0;
    Fit result;
    // Where the size alone says no, nothing is gained by reading the whole file.
    const Digests wanted_source = joined(facts.source, wanted.source);
    const auto size_fits = [&](const Digests& wish) { return !wish.size || *wish.size == source.size(); };
    DigestChoice choice = also;
    if (size_fits(wanted_source)) choice = either(choice, either(choice_for(facts.source), choice_for(wanted.source)));
    if (size_fits(wanted_source) || size_fits(target)) choice = either(choice, choice_for(target));
    result.source = digest(source, choice, progress, Phase::checking_source);
    result.mismatches = mismatches_of(facts.source, wanted.source, result.source);
    result.mismatches.insert(result.mismatches.end(), facts.differs.begin(), facts.differs.end());
    if (facts.source_reach > source.size() && facts.differs.empty())
        result.mismatches.push_back({"reach", fmt::format("at least {}", counted(facts.source_reach, "byte", "bytes")),
                                     counted(source.size(), "byte", "bytes")});
    bool is_target = !target.empty() && size_fits(target) && compare(target, result.source).empty();
    if (traits_of(facts.format).has_windows) {
        // Of the target, the patch itself states the size and what the windows' checks say.
        if (!target.has_checksum()) is_target = is_target && holds_all_windows(patch, source);
        if (is_target) {
            SamePlaceCheck same_place(source, false);
            patch.read(source.size(), same_place);
            result.changes_nothing = !same_place.writes();
        }
    } else if (!traits_of(facts.format).has_checks) {
        bool holds_all = false;
        look_at_edits(patch, source, result, holds_all);
        if (target.empty()) is_target = holds_all;
    } else {
        result.changes_nothing = compare(facts.source, facts.target).empty();
    }
    // An edit list finds its new values by their names, and then has nothing left to write.
    const bool all_new = facts.already_new != 0 && facts.already_new == facts.differs.size();
    if (any_source_check && result.mismatches.empty()) {
        result.answer = FitAnswer::fits;
    } else if (is_target && (!result.changes_nothing || all_new)) {
        result.reversible = traits_of(facts.format).reversible;
        result.answer = FitAnswer::already_patched;
    } else if (!result.mismatches.empty()) {
        result.answer = FitAnswer::does_not_fit;
    }
    source.check_intact();
    return result;
}

Fit fit(const PatchReader& patch, const ByteSource& source, const Checks& wanted, const Limits& limits,
        const Progress& progress) {
    Fit result = fit_by_sums(patch, source, wanted, progress);
    if (result.answer != FitAnswer::unknown || patch.facts().checked_windows == 0) return result;
    const WindowResults windows = check_windows(patch, source, false, limits, progress);
    if (windows.wrong == 0) {
        result.answer = FitAnswer::fits;
    } else {
        result.answer = FitAnswer::does_not_fit;
        result.mismatches.push_back(mismatch_of(windows));
    }
    source.check_intact();
    return result;
}

}  // namespace hotstitch
