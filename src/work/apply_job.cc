// SPDX-License-Identifier: MIT
// One source, one or several patches in the order given, one target. What the patches before the last one make is kept
// in unnamed temporary files only. Tested by tests/cli_apply_test.cc, tests/receipt_test.cc and tests/faults_test.cc.

#include "hotstitch/cartridge.h"
#include "hotstitch/error.h"
#include "hotstitch/jobs.h"
#include "hotstitch/mend.h"
#include "hotstitch/words.h"
#include "source/whole.h"
#include "work/header_sinks.h"
#include "work/made_target.h"
#include "work/receipts.h"

namespace hotstitch {

namespace fs = std::filesystem;

struct ApplyJob::State {
    ApplyRequest request;
    WorkOptions work;
    std::optional<InputFile> source;
    std::vector<ApplyStage> stages;
    std::vector<std::vector<DigestMismatch>> patch_mismatches;  ///< of each stage, allowed
    ApplyResult result;
    DigestChoice receipt_digests{.crc32 = false};  ///< to be taken while the bytes go by

    void open();
    void swap_if_unmistakable();
    void open_stage(ApplyStage& stage);
    ApplyOptions options_for(const ApplyStage& stage) const;
    fs::path output_path() const;
    void deliver();

    void make(ByteSink& target);
    void make_stage(ApplyStage& stage, const ByteSource& file, ByteSink& target);
    ApplyReport apply_stage(const ApplyStage& stage, const ByteSource& file, ByteSink& target,
                            const ApplyOptions& options);
    void make_as_read(ApplyStage& stage, const ByteSource& file, ByteSink& target, const ApplyOptions& options);
    bool make_as_before(ApplyStage& stage, const ByteSource& file, ByteSink& target, const ApplyOptions& options);
    bool goes_by_opinion(ApplyStage& stage, const ApplyOptions& options);
    void diagnose_stage(ApplyStage& stage, const ByteSource& file, const Error& error, const ApplyOptions& options);
    void finish_content(ByteSink& sink);
    void mend(ByteSink& sink);
    Receipt receipt_for(const fs::path& folder) const;
    std::vector<CompanionSet> companions_of(const fs::path& output) const;
    bool is_already_patched() const;
    bool header_kept = false;
    Bytes made;  ///< of the first stage, where a trial has made it
};

namespace {

/// Thrown and caught in this file: the diagnosis stands in the result.
struct WrongSource {};

Representation representation_of(const std::optional<Representation>& representation) {
    return representation.value_or(Representation{RepresentationKind::without_padding, 0});
}

}  // namespace

void ApplyJob::State::open() {
    if (request.patches.empty()) throw Error(ErrorCode::usage, "no patch is named");
    if (request.in_place && !request.output.empty())
        throw Error(ErrorCode::usage, "in place and to another output contradict each other");
    source.emplace(open_file(request.source, work));
    for (const std::string& name : request.patches) {
        PatchInput patch{open_patch_file(name, work), nullptr, {}};
        stages.push_back({std::move(patch)});
    }
    swap_if_unmistakable();
    for (ApplyStage& stage : stages) open_stage(stage);
    if (request.as_is) return;
    SourceFile found = source_for(*std::move(source), *stages.front().reader, options_for(stages.front()).checks, work);
    source.emplace(std::move(found.file));
    result.archive = std::move(found.archive);
}

/// Content decides which is which: a patch where the source should be, and none where the patch should be.
void ApplyJob::State::swap_if_unmistakable() {
    InputFile& patch = stages.front().file;
    if (source->is_same_file(patch.path())) throw Error(ErrorCode::usage, "source and patch are the same file");
    const auto is_patch = [](const InputFile& file) { return recognise_patch(head_of(file)).has_value(); };
    if (stages.size() != 1 || !is_patch(*source) || is_patch(patch)) return;
    std::swap(*source, patch);
    result.swapped = true;
}

/// All patches are read before the first is applied, so that a damaged one stops at once.
void ApplyJob::State::open_stage(ApplyStage& stage) {
    stage.reader = open_patch(stage.file, work.limits);
    stage.found = find_checks(stage.file);
    const Digests wanted = stage.found ? stage.found->checks.patch : Digests{};
    patch_mismatches.push_back(compare(wanted, digest(stage.file, choice_for(wanted), work.progress)));
    if (!patch_mismatches.back().empty() && !request.allow_patch)
        throw patch_is_another(patch_mismatches.back().front());
}

ApplyOptions ApplyJob::State::options_for(const ApplyStage& stage) const {
    const bool first = &stage == &stages.front(), last = &stage == &stages.back();
    ApplyOptions options;
    options.checks = joined_checks(stage.found, first ? request.expected : Digests{});
    options.allow_source = request.allow_source;
    options.allow_target = request.allow_target;
    options.make_when_already_patched = stages.size() > 1 || !request.output.empty();
    if (first) options.source_digests = receipt_digests;
    if (last) options.target_digests = receipt_digests;
    options.limits = work.limits;
    options.progress = work.progress;
    return options;
}

fs::path ApplyJob::State::output_path() const {
    fs::path place = default_apply_output(*source, stages.back().file.path());
    if (!request.name_like.empty())
        place.replace_filename(companion_stem(request.name_like) + source->path().extension().string());
    return request.in_place ? source->path() : hotstitch::output_path(request.output, place);
}

void ApplyJob::State::make(ByteSink& target) {
    std::unique_ptr<ByteSink> before;
    for (ApplyStage& stage : stages) {
        const bool last = &stage == &stages.back();
        const MemorySource made_before(before ? *before->written() : ByteView());
        std::unique_ptr<ByteSink> scratch = last ? nullptr : scratch_of(work.limits);
        result.stopped_at = static_cast<std::size_t>(&stage - stages.data()) + 1;
        make_stage(stage, before ? static_cast<const ByteSource&>(made_before) : *source, last ? target : *scratch);
        const auto& mismatches = patch_mismatches[result.stopped_at - 1];
        stage.made.overridden.insert(stage.made.overridden.begin(), mismatches.begin(), mismatches.end());
        before = std::move(scratch);
    }
    result.stopped_at = 0;
    result.patched = stages.back().made.target;
}

/// Once the target was made to see whether the patch was made for this file, it is not made again.
ApplyReport ApplyJob::State::apply_stage(const ApplyStage& stage, const ByteSource& file, ByteSink& target,
                                         const ApplyOptions& options) {
    const Bytes ready = std::exchange(made, {});
    return ready.empty() ? apply(*stage.reader, file, target, options)
                         : apply(MadeTarget(*stage.reader, ready), file, target, options);
}

void ApplyJob::State::make_stage(ApplyStage& stage, const ByteSource& file, ByteSink& target) {
    const ApplyOptions options = options_for(stage);
    const bool first = &stage == &stages.front();
    if (first && make_as_before(stage, file, target, options)) return;
    if (first && goes_by_opinion(stage, options)) return make_as_read(stage, file, target, options);
    try {
        stage.made = apply_stage(stage, file, target, options);
    } catch (const Error& error) {
        if (error.code() != ErrorCode::wrong_source) throw;
        diagnose_stage(stage, file, error, options);
        make_as_read(stage, file, target, options);
    }
}

/// A newer patch is most likely made for the source in the same representation as the one before; if it is not, it is
/// one like any other.
bool ApplyJob::State::make_as_before(ApplyStage& stage, const ByteSource& file, ByteSink& target,
                                     const ApplyOptions& options) {
    if (!request.renews || !request.renews->representation) return false;
    stage.representation = request.renews->representation;
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

/// Returns where the file can be taken in another representation.
void ApplyJob::State::diagnose_stage(ApplyStage& stage, const ByteSource& file, const Error& error,
                                     const ApplyOptions& options) {
    OtherPatches others;
    for (const ApplyStage& other : stages)
        if (&other != &stage) others.add(other.file, *other.reader);
    others.add_beside(stage.file, work);
    Diagnosis diagnosis = diagnose(*stage.reader, file, {options.checks, others.list(), work.limits, work.progress});
    stage.representation = diagnosis.reading;
    if (stage.representation && stage.representation->harmless() && !request.as_is) return;
    result.outcome = ApplyOutcome::wrong_source;
    result.refusal = error;
    result.diagnosis = std::move(diagnosis);
    throw WrongSource();
}

void ApplyJob::State::make_as_read(ApplyStage& stage, const ByteSource& file, ByteSink& target,
                                   const ApplyOptions& options) {
    const Representation& representation = *stage.representation;
    const auto read = read_as(file, representation);
    const auto bytes = static_cast<std::size_t>(request.keep_header ? representation.bytes : 0);
    const bool added = representation.kind == RepresentationKind::with_front_header;
    const bool taken = representation.kind == RepresentationKind::without_front_header;
    target.clear();
    const Bytes front = head_of(file, taken ? bytes : 0);
    HeaderKeeper with_header(target, front);
    HeaderDropper without_header(target, added ? bytes : 0);
    header_kept = bytes != 0 && (added || taken);
    stage.made = apply_stage(stage, *read, added ? static_cast<ByteSink&>(without_header) : with_header, options);
}

/// A patch without checks may all the same show that it was made for the file with, or without, a front header.
bool ApplyJob::State::goes_by_opinion(ApplyStage& stage, const ApplyOptions& options) {
    const PatchFacts& facts = stage.reader->facts();
    if (request.as_is || !facts.source.empty() || !options.checks.source.empty() || facts.checked_windows != 0)
        return false;
    RepresentationTrial trial = opinion_on_representation(*stage.reader, *source, work.limits);
    made = std::move(trial.made);
    if (!trial.opinion) return false;
    if (!trial.opinion->sure()) return result.doubt = std::move(trial.opinion), false;
    stage.representation = trial.opinion->reading;
    stage.opinion = std::move(trial.opinion);
    return true;
}

/// What is done to the whole content after the last patch.
void ApplyJob::State::finish_content(ByteSink& sink) {
    if (request.mend) mend(sink);
    if (result.internal_checks == InternalChecks::mended || header_kept)
        result.output = digest(MemorySource(sink.written().value()), {}, work.progress);
}

/// Internal checks that the patch left stale. Those that were wrong before are somebody's choice.
void ApplyJob::State::mend(ByteSink& sink) {
    const MemorySource made(sink.written().value());
    const auto found = [&](InternalChecks what) { result.internal_checks = what; };
    const auto before = recognise_cartridge(*read_as(*source, representation_of(stages.front().representation)));
    if (!before) return found(InternalChecks::none_in_source);
    if (!all_checks_right(*before)) return found(InternalChecks::wrong_before);
    const auto after = recognise_cartridge(made);
    if (!after) return found(InternalChecks::none_in_result);
    if (all_checks_right(*after)) return found(InternalChecks::right);
    try {
        const MendPlan plan = plan_mends(made, {{"checksum", {}}}, {{}, work.limits});
        const Bytes mended = changed(sink.written().value(), plan.change);
        sink.clear();
        sink.reserve(mended.size());
        sink.write(mended);
        found(plan.changes() ? InternalChecks::mended : InternalChecks::right);
    } catch (const Error& error) {  // no reason to keep what the patch made from the player
        if (error.code() != ErrorCode::unsupported && error.code() != ErrorCode::usage) throw;
        result.mend_failure = error.what();
        found(InternalChecks::cannot_be_mended);
    }
}

Receipt ApplyJob::State::receipt_for(const fs::path& folder) const {
    Receipt receipt;
    if (!request.receipt) return receipt;
    for (const ApplyStage& stage : stages)
        receipt.patches.push_back(receipt_file(stage.file, folder, request.digests, work.progress));
    if (result.internal_checks == InternalChecks::mended) receipt.mends = {"checksum"};
    receipt.representation = stages.front().representation;
    if (!receipt.representation) receipt.source.digests = stages.front().made.fit.source;
    if (!result.output) receipt.target.digests = result.patched;
    return receipt;
}

/// Sound tracks and the like that go by another name than the output would not be found by the game.
std::vector<CompanionSet> ApplyJob::State::companions_of(const fs::path& output) const {
    std::vector<CompanionSet> all;
    if (!request.name_like.empty() || request.in_place) return all;
    std::vector<fs::path> folders{source->path().parent_path()};
    if (const fs::path other = stages.back().file.path().parent_path(); other != folders.front())
        folders.push_back(other);
    for (const fs::path& folder : folders)
        for (CompanionSet& set : companions_in(folder))
            if (set.stem != output.stem()) all.push_back(std::move(set));
    return all;
}

bool ApplyJob::State::is_already_patched() const {
    if (stages.size() != 1 || !request.output.empty()) return false;
    const ApplyStage& stage = stages.front();
    return fit(*stage.reader, *source, options_for(stage).checks, work.progress, work.limits).answer ==
           FitAnswer::already_patched;
}

void ApplyJob::State::deliver() {
    if (request.in_place && source->is_unpacked())
        throw Error(ErrorCode::usage, "a file inside an archive cannot be replaced in place")
            .in("in place in an archive")
            .hint("leave out the request to replace it: the output then lies beside the archive");
    const fs::path path = output_path();
    std::vector<const InputFile*> inputs{&*source};
    for (const ApplyStage& stage : stages) inputs.push_back(&stage.file);
    if (!request.in_place)
        refuse_inputs(path, inputs, "name another output, or replace the source in place (it is kept as a backup)",
                      "output or in place");
    Delivery delivery(*source, path,
                      {.replace = request.replace,
                       .in_place = request.in_place,
                       .receipt = request.receipt,
                       .reverse = request.reverse,
                       .digests = request.digests,
                       .renews = request.renews ? &*request.renews : nullptr},
                      work);
    receipt_digests = delivery.wanted_of(source->size());
    make(delivery.output());
    if (!stages.back().made.made) {
        result.outcome = ApplyOutcome::already_patched;
        return;
    }
    finish_content(delivery.output());
    result.delivered = delivery.finish(receipt_for(delivery.output().path().parent_path()));
    if (result.delivered.stood_already) result.outcome = ApplyOutcome::made_already;
    result.companions = companions_of(result.delivered.output);
}

ApplyJob::ApplyJob(ApplyRequest request, WorkOptions options)
    : state_(std::make_unique<State>(State{std::move(request), std::move(options), {}, {}, {}, {}})) {
    if (!state_->work.limits.scratch) state_->work.limits.scratch = [] { return std::make_unique<ScratchFile>(); };
}
ApplyJob::~ApplyJob() = default;

void ApplyJob::open() {
    state_->open();
}
fs::path ApplyJob::output_path() const {
    return state_->output_path();
}
const InputFile& ApplyJob::source() const noexcept {
    return *state_->source;
}
const std::vector<ApplyStage>& ApplyJob::stages() const noexcept {
    return state_->stages;
}
const ApplyResult& ApplyJob::result() const noexcept {
    return state_->result;
}

const ApplyResult& ApplyJob::run() {
    State& s = *state_;
    try {
        s.deliver();
    } catch (const WrongSource&) {  // the result says so
    } catch (const Error& error) {
        // Often the place is taken by the result of the same patch: then that is what to say.
        const bool taken = error.code() == ErrorCode::usage || error.code() == ErrorCode::exists;
        if (!taken || !s.is_already_patched()) throw;
        s.result.outcome = ApplyOutcome::already_patched;
    }
    return s.result;
}

const ApplyResult& ApplyJob::run(ByteSink& sink) {
    State& s = *state_;
    try {
        s.make(sink);
        s.finish_content(sink);
    } catch (const WrongSource&) {  // the result says so
    }
    return s.result;
}

}  // namespace hotstitch
