// SPDX-License-Identifier: MIT
// After the last patch: the ROM's own checks before and after are evidence, may be mended, and the content goes back
// into the source's representation where that is wanted. Tested by tests/cli_cartridge_test.cc.
#include <algorithm>

#include "hotstitch/cartridge.h"
#include "hotstitch/disc.h"
#include "hotstitch/error.h"
#include "hotstitch/mend.h"
#include "source/whole.h"
#include "work/apply_state.h"

namespace hotstitch {
namespace {

Representation representation_of(const std::optional<Representation>& representation) {
    return representation.value_or(Representation{RepresentationKind::without_padding, 0});
}

void replace(ByteSink& sink, ByteView front, const ByteSource& content) {
    sink.clear();
    sink.reserve(front.size() + content.size());
    sink.write(front);
    write_source(content, sink);
}

}  // namespace

void ApplyJob::State::finish_content(ByteSink& sink) {
    const bool certain = std::all_of(stages.begin(), stages.end(), [](const auto& stage) { return stage.certain(); });
    if (request.mend || !certain) look_at_checks(sink);
    put_back(sink);
    if (result.internal_checks == InternalChecks::mended || changed_by_us)
        result.output = digest(WrittenSource(sink), {}, work.progress);
}

/// Right before and wrong after, and made far larger: whoever makes a ROM larger puts its checks right, so the patch
/// was made for another file.
void ApplyJob::State::look_at_checks(ByteSink& sink) {
    const WrittenSource made(sink);
    const auto before = recognise_cartridge(*read_as(*source, representation_of(stages.front().representation)));
    const InternalChecks became = compare_checks(before, before ? recognise_cartridge(made) : std::nullopt);
    const bool were_right = became != InternalChecks::none_in_source && became != InternalChecks::wrong_before &&
                            became != InternalChecks::put_right;
    const bool are_right = became == InternalChecks::right || became == InternalChecks::untouched;
    const Fit& fit = stages.front().made.fit;
    const bool far_larger = fit.starts_past_end > far_past_end || made.size() > 2 * source->size();
    if (stages.size() == 1 && !request.allow_source && is_unchecked(stages.front()) && were_right && !are_right &&
        far_larger && before->certainty == Certainty::certain) {
        result.outcome = ApplyOutcome::wrong_source;
        result.by_plausibility = true;
        result.stopped_at = 1;
        result.refusal = Error(ErrorCode::wrong_source, "this is hardly the source the patch was made for");
        result.diagnosis = contradicting_source(*before, made.size() - std::min(made.size(), source->size()));
        throw WrongSource();
    }
    result.internal_checks = became;
    if (became == InternalChecks::untouched) result.checks_cover = covered_by_checks(*before);
    if (became == InternalChecks::stale && request.mend) mend(sink, made);
}

/// Internal checks that the patch left stale. Those that were wrong before are somebody's choice.
void ApplyJob::State::mend(ByteSink& sink, const ByteSource& made) {
    try {
        const MendPlan plan = plan_mends(made, {{"checksum", {}}}, {.limits = work.limits});
        const Bytes mended = changed(WholeView(made), plan.change);
        replace(sink, {}, MemorySource(mended));
        result.internal_checks = plan.changes() ? InternalChecks::mended : InternalChecks::right;
    } catch (const Error& error) {  // no reason to keep what the patch made from the player
        if (error.code() != ErrorCode::unsupported && error.code() != ErrorCode::usage) throw;
        result.mend_failure = error.what();
        result.internal_checks = InternalChecks::cannot_be_mended;
    }
}

/// Other user data in the source's own sectors.
void ApplyJob::State::put_into_sectors(ByteSink& sink) {
    const std::unique_ptr<ByteSink> plain = scratch_of(work.limits);
    write_source(WrittenSource(sink), *plain);
    const auto user = std::make_shared<WrittenSource>(*plain);
    replace(sink, {}, ChangedSource(*source, with_user_data(borrowed(*source), user)));
    changed_by_us = true;
}

/// The tracks that follow the data track follow what was made of it.
void ApplyJob::State::put_before_tracks(ByteSink& sink) {
    const std::uint64_t track = read_as(*source, *stages.front().representation)->size();
    write_source(SliceSource(borrowed(*source), track, source->size() - track), sink);
    changed_by_us = true;
}

void ApplyJob::State::put_back(ByteSink& sink) {
    const auto& representation = stages.front().representation;
    if (!keeps_form || !representation) return;
    if (representation->kind == RepresentationKind::user_data) return put_into_sectors(sink);
    if (representation->kind == RepresentationKind::data_track) return put_before_tracks(sink);
    const auto bytes = static_cast<std::size_t>(representation->bytes);
    Bytes front;
    std::optional<Representation> back;
    switch (representation->kind) {
        case RepresentationKind::without_front_header: front = head_of(*source, bytes); break;
        case RepresentationKind::with_front_header:
            back = Representation{RepresentationKind::without_front_header, bytes};
            break;
        case RepresentationKind::de_interleaved:
            front = head_of(*source, bytes);
            back = Representation{RepresentationKind::interleaved};
            break;
        case RepresentationKind::in_whole_sectors: back = Representation{RepresentationKind::user_data}; break;
        case RepresentationKind::interleaved: back = Representation{RepresentationKind::de_interleaved}; break;
        case RepresentationKind::pairs_swapped:
        case RepresentationKind::words_reversed:
        case RepresentationKind::halves_swapped: back = Representation{representation->kind}; break;
        default: return;  // padding and line ends belong to no representation
    }
    Bytes made(static_cast<std::size_t>(sink.written_size()));
    sink.read_back(0, made);
    const auto content = read_as(made, back.value_or(Representation{RepresentationKind::without_padding, 0}));
    replace(sink, front, *content);
    changed_by_us = true;
}

}  // namespace hotstitch
