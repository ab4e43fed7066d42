// SPDX-License-Identifier: MIT
// After the last patch: the ROM's own checks before and after are evidence, may be mended, and the content goes back
// into the source's representation where that is wanted. Tested by tests/cli/cli_cartridge_test.cc.
#include <algorithm>

#include "fit/readings.h"
#include "hotstitch/cartridge.h"
#include "hotstitch/error.h"
#include "hotstitch/mend.h"
#include "job/job_state.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

Representation representation_of(const std::optional<Representation>& representation) {
    return representation.value_or(Representation{RepresentationKind::without_padding, 0});
}

void replace(ByteSink& sink, const ByteSource& content) {
    sink.clear();
    sink.reserve(content.size());
    write_source(content, sink);
}

}  // namespace

void Job::State::finish_content(ByteSink& sink) {
    const bool certain = std::all_of(stages.begin(), stages.end(), [](const auto& stage) { return stage.certain(); });
    if (mends_patched() || !certain) look_at_checks(sink);
    put_back(sink);
    if (outcome.internal_checks == InternalChecks::mended || changed_by_us)
        outcome.output = digest(WrittenSource(sink), {}, work.progress);
}

/// Right before and wrong after, and made far larger: whoever makes a ROM larger puts its checks right, so the patch
/// was made for another file.
void Job::State::look_at_checks(ByteSink& sink) {
    const WrittenSource made(sink);
    const auto before = recognise_cartridge(*read_as(*source, representation_of(stages.front().representation)));
    const InternalChecks became = compare_checks(before, before ? recognise_cartridge(made) : std::nullopt);
    const bool were_right = became != InternalChecks::none_in_source && became != InternalChecks::wrong_before &&
                            became != InternalChecks::put_right;
    const bool are_right = became == InternalChecks::right || became == InternalChecks::untouched;
    const Fit& fit = stages.front().made.fit;
    const bool far_larger = fit.starts_past_end > far_past_end || made.size() > 2 * source->size();
    if (stages.size() == 1 && !recipe.allow_source && is_unchecked(stages.front()) && were_right && !are_right &&
        far_larger && before->certainty == Certainty::certain) {
        outcome.answer = Answer::wrong_source;
        outcome.by_plausibility = true;
        outcome.stopped_at = 1;
        outcome.refusal = Error(ErrorCode::wrong_source, "this is hardly the source the patch was made for");
        outcome.diagnosis = contradicting_source(*before, made.size() - std::min(made.size(), source->size()));
        throw WrongSource();
    }
    outcome.internal_checks = became;
    if (became == InternalChecks::untouched) outcome.checks_cover = covered_by_checks(*before);
    if (became == InternalChecks::stale && mends_patched()) mend(sink, made);
}

/// Internal checks that the patch left stale. Those that were wrong before are somebody's choice.
void Job::State::mend(ByteSink& sink, const ByteSource& made) {
    try {
        const MendPlan plan = plan_mends(made, {{"checksum", {}}}, {.limits = work.limits});
        const Bytes mended = changed(WholeView(made), plan.change);
        replace(sink, MemorySource(mended));
        outcome.internal_checks = plan.changes() ? InternalChecks::mended : InternalChecks::right;
    } catch (const Error& error) {  // no reason to keep what the patch made from the player
        if (error.code() != ErrorCode::unsupported && error.code() != ErrorCode::usage) throw;
        outcome.mend_failure = error.what();
        outcome.internal_checks = InternalChecks::cannot_be_mended;
    }
}

void Job::State::put_back(ByteSink& sink) {
    const auto& reading = stages.front().representation;
    if (!keeps_form || !reading) return;
    const std::shared_ptr<ByteSink> content = scratch_of(work.limits);
    write_source(WrittenSource(sink), *content);
    const SharedSource back = in_form_of(borrowed(*source), *reading, held(content));
    if (!back) return;
    replace(sink, *back);
    changed_by_us = true;
}

}  // namespace hotstitch
