// SPDX-License-Identifier: MIT
// From a recipe to a working copy: base and patches opened, patches made, steps done. Tested by
// tests/cli/cli_apply_test.cc, tests/job/recipe_test.cc and tests/faults/faults_test.cc.
#include "hotstitch/job.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/error.h"
#include "hotstitch/field_jobs.h"
#include "hotstitch/part_jobs.h"
#include "hotstitch/text.h"
#include "job/job_state.h"
#include "job/opened.h"
#include "job/receipts.h"
#include "source/whole.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

bool is_put(const Step& step) {
    return step.is<step::Put>() || step.is<step::Remove>();
}

}  // namespace

DiskHost::DiskHost(const Job::State& job, WorkOptions options) : StepHost(std::move(options)) {
    mend = job.recipe.mend.value_or(true), allow = job.recipe.allow, tells = true;
    outermost = tracks_of(job.file(), work);
    const std::vector<Step> steps = job.steps();
    if (std::any_of(steps.begin(), steps.end(), [](const Step& step) { return step.is<step::Set>(); }))
        maps.emplace(work, job.file());
}

StepContent DiskHost::open(const std::string& file) {
    auto& opened = files[file];
    if (!opened) opened = std::make_shared<InputFile>(open_file(file, work));
    return {opened, opened->origin()};
}

SharedSource DiskHost::open_patch_file(const std::string& file, Limits& limits) {
    const auto patch = std::make_shared<InputFile>(hotstitch::open_patch_file(file, work).file);
    files[file] = patch;
    limits = limits_for_patch(*patch, work);
    return patch;
}

Limits DiskHost::limits_inside(const Limits& inside) const {
    return maps ? maps->limits_inside(inside) : inside;
}

FileFields DiskHost::fields_of(const SharedSource& content, const Limits& limits) {
    return maps->fields_of(content, limits);
}

std::vector<Step> Job::State::steps() const {
    return {recipe.steps.begin() + static_cast<std::ptrdiff_t>(stages.size()), recipe.steps.end()};
}

namespace {

/// The game in a folder that the patch is for. Where its checksums find several, they are the same: the first.
std::string game_for(const std::string& patch, const std::string& folder, const WorkOptions& work) {
    const PatchInput input = open_patch_input(patch, work);
    bool cut_short = false;
    const std::vector<FoundGame> found = games_in(folder, input, work, Look::below, &cut_short);
    if (found.size() > 1 && !found.front().by_checksums)
        throw Error(ErrorCode::usage, fmt::format("several files in {} may be the one that {} is for", folder, patch))
            .found(fmt::format("{}, {}", found[0].address, found[1].address))
            .hint(fmt::format("name one: {}", shell_file(found.front().address)));
    if (!found.empty()) return found.front().address;
    const Digests wanted = joined(input.reader->facts().source, input.found ? input.found->checks.source : Digests{});
    throw Error(ErrorCode::wrong_source, fmt::format("no file in {} is the one that {} is for", folder, patch))
        .in("source")
        .wanted(wanted.crc32
                    ? fmt::format("{}crc32 {}", wanted.size ? counted(*wanted.size, "byte", "bytes") + ", " : "",
                                  wanted.crc32->hex())
                    : "")
        .hint(cut_short ? "the folder holds more than was looked at in two seconds: name the file"
                        : "name the file, or the folder that it lies in");
}

}  // namespace

void Job::State::open() {
    std::error_code code;
    if (fs::is_directory(recipe.base, code) && std::all_of(recipe.steps.begin(), recipe.steps.end(), is_put))
        return open_folder();
    if (recipe.steps.empty())
        throw Error(ErrorCode::usage, "the recipe has no step, so nothing would be made")
            .in("steps")
            .hint("name what is to be done: a patch to apply, a part to put in, a field to set");
    std::vector<std::string> patches;
    for (const Step& step : recipe.steps) {
        const std::string* const patch =
            (step.is<step::Patch>() || step.is<step::Edit>()) && step.at.empty() ? file_of(step.does) : nullptr;
        if (patch == nullptr) break;
        patches.push_back(*patch);
    }
    const bool is_disc = fs::is_directory(fs::path(recipe.base) / "sys", code);
    if (!patches.empty() && fs::is_directory(recipe.base, code) && !is_disc)
        recipe.base = game_for(patches.front(), recipe.base, work);
    patches.empty() ? open_changed() : open_patched(patches);
    host = std::make_unique<DiskHost>(*this, work);
}

void Job::State::open_folder() {
    FolderDisc disc = disc_of_folder(recipe.base, recipe.steps, work);
    source.emplace(std::move(disc.begin));
    laid_out.emplace(std::move(disc.change));
    outcome.files = disc.files;
    work.read.insert(work.read.end(), disc.read.begin(), disc.read.end());
    for (const Step& step : recipe.steps)
        if (const std::string* const file = file_of(step.does)) work.read.emplace_back(address_of(*file).file);
    host = std::make_unique<DiskHost>(*this, work);
    check_destination();
}

void Job::State::open_patched(const std::vector<std::string>& named) {
    if (recipe.to.in_place && !recipe.to.file.empty())
        throw Error(ErrorCode::usage, "in place and to another output contradict each other");
    if (!recipe.to.as.empty() && (recipe.to.in_place || !recipe.to.file.empty() || !recipe.to.name_like.empty()))
        throw Error(ErrorCode::usage, "a pattern of the output's name and another place contradict each other")
            .in("as");
    const Destination& to = recipe.to;
    if (!to.patch.empty() && (to.in_place || !to.file.empty() || !to.as.empty()))
        throw Error(ErrorCode::usage, "more than one place is named for the result")
            .as(ErrorId::several_places_named)
            .hint("keep one of them");
    std::vector<std::string> patches = named;
    if (patches.size() == 1 && archives_are_swapped(recipe.base, patches.front(), work)) {
        std::swap(recipe.base, patches.front());
        outcome.swapped = true;
    }
    source.emplace(open_file(recipe.base, work));
    if (ChangedFile changed = open_to_change(recipe.base, work, Left::packed); !changed.inside.empty()) {
        around.emplace(std::move(changed.file));
        inside = joined_address(changed.inside);
    }
    for (const std::string& name : patches) {
        PatchInput patch{open_patch_file(name, work, patches.size() == 1 ? &*source : nullptr), nullptr, {}, {}};
        stages.push_back({std::move(patch)});
    }
    swap_if_unmistakable();
    for (ApplyStage& stage : stages) open_stage(stage);
    if (source->is_computed()) outcome.archive = source->computed_from().path();
    if (recipe.as_is || around || source->is_computed()) return;
    SourceFile found = source_for(*std::move(source), *stages.front().reader, options_for(stages.front()).checks, work);
    source.emplace(std::move(found.file));
    outcome.archive = std::move(found.archive);
}

/// A part of a file is changed by changing the file. What a patch or a mend is for may lie in a file that is only read;
/// parts and fields are looked for in the file that is named.
void Job::State::open_changed() {
    const bool of_whole = std::any_of(recipe.steps.begin(), recipe.steps.end(), [](const Step& step) {
        return step.is<step::Mend>() || step.is<step::StripHeader>() || step.is<step::AttachHeader>();
    });
    ChangedFile changed = open_to_change(recipe.base, work, of_whole ? Left::compressed : Left::archives);
    inside = joined_address(changed.inside);
    source.emplace(std::move(changed.file));
    check_destination(of_whole);
}

/// Content decides which is which: a patch where the source should be, and none where the patch should be.
void Job::State::swap_if_unmistakable() {
    InputFile& patch = stages.front().file;
    if (source->is_same_file(patch.path()))
        throw Error(ErrorCode::usage, "source and patch are the same file").hint("name the game first, then the patch");
    if (stages.size() != 1 || !are_swapped(*source, patch)) return;
    std::swap(*source, patch);
    outcome.swapped = true;
}

/// All patches are read before the first is applied, so that a damaged one stops at once.
void Job::State::open_stage(ApplyStage& stage) {
    stage.limits = limits_for_patch(stage.file, work);
    stage.reader = open_patch(stage.file, stage.limits);
    stage.found = find_checks(stage.file);
    const Digests wanted = stage.found ? stage.found->checks.patch : Digests{};
    patch_mismatches.push_back(compare(wanted, digest(stage.file, choice_for(wanted), work.progress)));
    if (!patch_mismatches.back().empty() && !recipe.allow_patch)
        throw patch_is_another(patch_mismatches.back().front());
}

ApplyOptions Job::State::options_for(const ApplyStage& stage) const {
    const bool first = &stage == &stages.front(), last = &stage == &stages.back();
    ApplyOptions options;
    options.checks = joined_checks(stage.found, first ? recipe.expected : Digests{});
    options.allow_source = recipe.allow_source;
    options.allow_target = recipe.allow_target;
    options.make_when_already_patched = stages.size() > 1 || !recipe.to.file.empty() || !recipe.to.as.empty();
    if (first) options.source_digests = receipt_digests;
    options.source_digests.crc32 |= stages.size() > 1;
    if (last) options.target_digests = receipt_digests;
    options.limits = work.limits;
    options.progress = work.progress;
    return options;
}

/// Whether nothing says what the source has to be.
bool Job::State::is_unchecked(const ApplyStage& stage) const {
    const PatchFacts& facts = stage.reader->facts();
    return facts.source.empty() && options_for(stage).checks.source.empty() && facts.checked_windows == 0;
}

/// What a patch without checks cannot be meant for.
void Job::State::refuse_implausible() {
    const ApplyStage& stage = stages.front();
    if (recipe.allow_source || !is_unchecked(stage)) return;
    std::optional<Representation> reading = renews ? renews->source().reading : std::nullopt;
    if (!reading && !recipe.as_is)
        if (const auto& opinion = trial_of(stage).opinion; opinion && opinion->sure()) reading = opinion->reading;
    auto diagnosis = implausible_source(*stage.reader, *source, source->path().filename().string(), reading);
    if (!diagnosis || (recipe.as_is && diagnosis->reasons.front().why == Why::archive)) return;
    outcome.answer = Answer::wrong_source;
    outcome.refusal = Error(ErrorCode::wrong_source, "this cannot be the source the patch was made for");
    outcome.diagnosis = std::move(diagnosis);
    outcome.by_plausibility = true;
    outcome.stopped_at = 1;
    throw WrongSource();
}

bool Job::State::is_already_patched() const {
    if (stages.size() != 1 || !recipe.to.file.empty() || !recipe.to.as.empty()) return false;
    const ApplyStage& stage = stages.front();
    return fit(*stage.reader, *source, options_for(stage).checks, work.limits, work.progress).answer ==
           FitAnswer::already_patched;
}

/// What the patches make becomes the content of the whole or, of a part, lies in its file again.
bool Job::State::plan_patches() {
    if (!recipe.to.patch.empty()) keeps_form = true;
    if (recipe.to.patch.empty() && !into_sink) output_path();
    refuse_implausible();
    if (around && recipe.to.reverse)
        throw Error(ErrorCode::usage, "no reverse patch is kept where a part of a file is patched")
            .in("reverse")
            .hint("leave that request out");
    // Of a large file, on its own disk.
    const bool beside = !around && goes_by_journal();
    const std::shared_ptr<ByteSink> sink =
        beside ? std::make_shared<ScratchFile>(really_absolute(source->path()).parent_path())
               : std::shared_ptr<ByteSink>(scratch_of(work.limits));
    make(*sink);
    if (!stages.back().made.made) {
        outcome.answer = Answer::already_patched;
        return false;
    }
    finish_content(*sink);
    const SharedSource content = held(sink);
    if (!around) {
        working.file->replace(content);
        return true;
    }
    // Of what is patched, where it lies is told as of a part that is put in.
    class Made final : public StepHost {
    public:
        Made(SharedSource content, const StepHost& like) : StepHost(like.work), content_(std::move(content)) {
            outermost = like.outermost, mend = true, tells = true;
        }
        StepContent open(const std::string&) override { return {content_, {}}; }
        SharedSource open_patch_file(const std::string&, Limits&) override { return nullptr; }
        FileFields fields_of(const SharedSource& file, const Limits& limits) override { return {file, limits}; }

    private:
        SharedSource content_;
    } made_host(content, *host);
    step::Put put;
    if (const auto* const first = recipe.steps.front().as<step::Patch>()) put.room = first->room;
    const Step step{.does = std::move(put), .at = inside};
    outcome.steps.push_back({step, run_step({working, split_address(inside), step, made_host})});
    return true;
}

/// Neighbouring puts and removals are one layout, where their container can do that.
void Job::State::run_steps() {
    const std::vector<std::string> outer = split_address(inside);
    const std::vector<Step> all = expanded(*working.file->now(work), outer, steps(), *host);
    for (auto at = all.begin(); at != all.end();) {
        const auto end = is_put(*at) ? std::find_if_not(at, all.end(), is_put) : at + 1;
        const std::span<const Step> group(&*at, static_cast<std::size_t>(end - at));
        if (is_put(*at)) refuse_contradictions(group);
        at = end;
        if (is_put(group.front()))
            if (auto reports = put_at_once(*working.file, outer, group, *host)) {
                std::move(reports->begin(), reports->end(), std::back_inserter(outcome.steps));
                continue;
            }
        for (const Step& step : group) {
            std::vector<std::string> names = outer;
            for (std::string& name : split_address(step.at)) names.push_back(std::move(name));
            outcome.steps.push_back({step, run_step({working, std::move(names), step, *host})});
        }
    }
    file().check_intact();
}

bool Job::State::plan() {
    if (planned) return outcome.answer != Answer::already_patched && outcome.answer != Answer::wrong_source;
    try {
        planned = true;
        return do_steps();
    } catch (const WrongSource&) {
        throw;
    } catch (...) {  // half of the steps are no result
        planned = false;
        outcome.steps.clear();
        throw;
    }
}

bool Job::State::do_steps() {
    working.input = std::shared_ptr<const InputFile>(std::shared_ptr<void>(), &file());
    working.file = std::make_shared<WorkingFile>(borrowed(file()));
    if (laid_out) return working.file->change(*laid_out), true;
    if (!stages.empty() && !plan_patches()) return false;
    run_steps();
    return true;
}

Job::Job(Recipe recipe, WorkOptions options, std::optional<Receipt> renews) : state_(std::make_unique<State>()) {
    State& s = *state_;
    s.recipe = std::move(recipe), s.work = std::move(options), s.renews = std::move(renews);
    if (!s.work.limits.scratch) s.work.limits.scratch = [] { return std::make_unique<ScratchFile>(); };
}
Job::~Job() = default;

void Job::open() {
    state_->open();
}
fs::path Job::output_path() {
    opened(state_->source);
    return state_->output_path();
}
const Recipe& Job::recipe() const noexcept {
    return state_->recipe;
}
const InputFile& Job::source() const {
    return opened(state_->source);
}
const InputFile& Job::file() const {
    opened(state_->source);
    return state_->file();
}
const std::string& Job::inside() const noexcept {
    return state_->inside;
}
const std::vector<ApplyStage>& Job::stages() const noexcept {
    return state_->stages;
}
const Outcome& Job::outcome() const noexcept {
    return state_->outcome;
}
const std::vector<std::string>& Job::maps() const noexcept {
    static const std::vector<std::string> none;
    return state_->host && state_->host->maps ? state_->host->maps->titles() : none;
}
const std::vector<std::string>& Job::broken_maps() const noexcept {
    static const std::vector<std::string> none;
    return state_->host && state_->host->maps ? state_->host->maps->broken() : none;
}
const ChangeList* Job::change() const {
    refuse_unopened(state_->planned);
    return state_->working.file->known_change();
}

const std::vector<StepReport>& Job::plan() {
    opened(state_->source);
    try {
        state_->plan();
    } catch (const WrongSource&) {  // the outcome says so
    }
    return state_->outcome.steps;
}

const Outcome& Job::run() {
    State& s = *state_;
    opened(s.source);
    try {
        s.deliver();
    } catch (const WrongSource&) {  // the outcome says so
    } catch (const Error& error) {
        // Often the place is taken by the result of the same patch: then that is what to say.
        const bool taken = error.code() == ErrorCode::usage || error.code() == ErrorCode::exists;
        if (!taken || !s.is_already_patched()) throw;
        s.outcome.answer = Answer::already_patched;
    }
    return s.outcome;
}

const Outcome& Job::run(ByteSink& sink) {
    State& s = *state_;
    opened(s.source);
    try {
        s.write_into(sink);
    } catch (const WrongSource&) {  // the outcome says so
    }
    return s.outcome;
}

}  // namespace hotstitch
