// SPDX-License-Identifier: MIT
// One source, one or several patches in the order given, one target. What the patches before the last one make is kept
// in unnamed temporary files only. Tested by tests/cli/cli_apply_test.cc and tests/job/receipt_test.cc.
#include "hotstitch/error.h"
#include "job/combine.h"
#include "job/job_state.h"
#include "job/made_target.h"
#include "source/whole.h"

namespace hotstitch {

void Job::State::make(ByteSink& target) {
    std::unique_ptr<ByteSink> before;
    for (ApplyStage& stage : stages) {
        const bool last = &stage == &stages.back();
        const SharedSource made_before = before ? std::make_shared<WrittenSource>(*before) : nullptr;
        std::unique_ptr<ByteSink> scratch = last ? nullptr : scratch_of(work.limits);
        outcome.stopped_at = static_cast<std::size_t>(&stage - stages.data()) + 1;
        make_stage(stage, before ? *made_before : *source, last ? target : *scratch);
        const auto& mismatches = patch_mismatches[outcome.stopped_at - 1];
        stage.made.overridden.insert(stage.made.overridden.begin(), mismatches.begin(), mismatches.end());
        for (const ApplyStage* earlier = stages.data(); earlier != &stage; ++earlier)
            if (stage.made.made && stage.made.target.crc32 == earlier->made.fit.source.crc32 &&
                stage.made.target.size == earlier->made.fit.source.size)
                stage.undoes = static_cast<std::size_t>(earlier - stages.data()) + 1;
        before = std::move(scratch);
    }
    outcome.stopped_at = 0;
    outcome.patched = stages.back().made.target;
}

/// Once the target was made to see whether the patch was made for this file, it is not made again.
ApplyReport Job::State::apply_stage(const ApplyStage& stage, const ByteSource& file, ByteSink& target,
                                    const ApplyOptions& options) {
    const Bytes ready = trial && &stage == &stages.front() ? std::exchange(trial->made, {}) : Bytes();
    return ready.empty() ? apply(*stage.reader, file, target, options)
                         : apply(MadeTarget(*stage.reader, ready), file, target, options);
}

void Job::State::make_stage(ApplyStage& stage, const ByteSource& file, ByteSink& target) {
    const ApplyOptions options = options_for(stage);
    const bool first = &stage == &stages.front();
    if (first && make_as_before(stage, file, target, options)) return;
    if (first && goes_by_opinion(stage)) return make_as_read(stage, file, target, options);
    try {
        stage.made = apply_stage(stage, file, target, options);
    } catch (const Error& error) {
        if (error.code() != ErrorCode::wrong_source) throw;
        if (!first && make_combined(stage, file, target, options)) return;
        diagnose_stage(stage, file, error, options);
        make_as_read(stage, file, target, options);
    }
}

/// A newer patch is most likely made for the source in the same representation as the one before; if it is not, it is
/// one like any other.
bool Job::State::make_as_before(ApplyStage& stage, const ByteSource& file, ByteSink& target,
                                const ApplyOptions& options) {
    if (!renews || !renews->source().reading) return false;
    stage.representation = renews->source().reading;
    try {
        make_as_read(stage, file, target, options);
        return true;
    } catch (const Error& error) {
        if (error.code() != ErrorCode::wrong_source) throw;
        stage.representation.reset();
        target.clear();
        return false;
    }
}

/// A mod of the same source as those before it: where both write different bytes only into what the mend computes, the
/// result holds both.
bool Job::State::make_combined(ApplyStage& stage, const ByteSource& file, ByteSink& target,
                               const ApplyOptions& options) {
    if (!mends_patched() || stages.front().representation || !source->whole()) return false;
    const std::unique_ptr<ByteSink> alone = scratch_of(work.limits);
    try {
        stage.made = apply(*stage.reader, *source, *alone, options);
    } catch (const Error& error) {
        if (error.code() != ErrorCode::wrong_source) throw;
        return false;  // made for neither
    }
    const auto both = combined(WholeView(*source), WholeView(file), WholeView(WrittenSource(*alone)), work.limits);
    if (!both) return false;
    target.clear();
    target.reserve(both->size());
    target.write(*both);
    stage.made.target = digest(MemorySource(*both), {.crc32 = true}, work.progress);
    stage.made.target_checked = false;
    stage.combined = true;
    return true;
}

/// Returns where the file can be taken in another representation.
void Job::State::diagnose_stage(ApplyStage& stage, const ByteSource& file, const Error& error,
                                const ApplyOptions& options) {
    OtherPatches others;
    for (const ApplyStage& other : stages)
        if (&other != &stage) others.add(other.file, *other.reader);
    others.add_beside(stage.file, work);
    const bool first = &stage == &stages.front();
    Diagnosis diagnosis = diagnose(*stage.reader, file,
                                   {options.checks, others.list(), work.limits, work.progress,
                                    first ? source->path().filename().string() : std::string()});
    stage.representation = diagnosis.reading;
    if (stage.representation && stage.representation->harmless() && !recipe.as_is) return;
    outcome.answer = Answer::wrong_source;
    outcome.refusal = error;
    outcome.diagnosis = std::move(diagnosis);
    throw WrongSource();
}

void Job::State::make_as_read(ApplyStage& stage, const ByteSource& file, ByteSink& target,
                              const ApplyOptions& options) {
    const auto read = read_as(file, *stage.representation);
    target.clear();
    stage.made = apply_stage(stage, *read, target, options);
}

const RepresentationTrial& Job::State::trial_of(const ApplyStage& stage) {
    if (!trial) trial.emplace(opinion_on_representation(*stage.reader, *source, work.limits));
    return *trial;
}

/// A patch without checks may all the same show that it was made for the file in another representation.
bool Job::State::goes_by_opinion(ApplyStage& stage) {
    if (recipe.as_is || !is_unchecked(stage)) return false;
    const auto& opinion = trial_of(stage).opinion;
    if (!opinion) return false;
    if (!opinion->sure()) return outcome.doubt = opinion, false;
    stage.representation = opinion->reading;
    stage.opinion = opinion;
    return true;
}

}  // namespace hotstitch
