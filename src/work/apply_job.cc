// SPDX-License-Identifier: MIT
// From a request to what stands in its place: inputs opened, the output named, made, and put there with its receipt.
// Tested by tests/cli_apply_test.cc, tests/receipt_test.cc and tests/faults_test.cc.
#include <fmt/format.h>

#include "base/letters.h"
#include "hotstitch/disc.h"
#include "hotstitch/error.h"
#include "hotstitch/field_jobs.h"
#include "work/apply_state.h"
#include "work/opened.h"
#include "work/receipts.h"
#include "work/sheets.h"

namespace hotstitch {

namespace fs = std::filesystem;

void ApplyJob::State::open() {
    if (request.patches.empty()) throw Error(ErrorCode::usage, "no patch is named");
    if (request.in_place && !request.output.empty())
        throw Error(ErrorCode::usage, "in place and to another output contradict each other");
    if (!request.as.empty() && (request.in_place || !request.output.empty() || !request.name_like.empty()))
        throw Error(ErrorCode::usage, "a pattern of the output's name and another place contradict each other")
            .in("as");
    if (request.patches.size() == 1 && archives_are_swapped(request.source, request.patches.front(), work)) {
        std::swap(request.source, request.patches.front());
        result.swapped = true;
    }
    source.emplace(open_file(request.source, work));
    around = file_around();
    for (const std::string& name : request.patches) {
        PatchInput patch{
            open_patch_file(name, work, request.patches.size() == 1 ? &*source : nullptr), nullptr, {}, {}};
        stages.push_back({std::move(patch)});
    }
    swap_if_unmistakable();
    for (ApplyStage& stage : stages) open_stage(stage);
    if (source->is_computed()) result.archive = source->computed_from().path();
    if (request.as_is || around || source->is_computed()) return;
    SourceFile found = source_for(*std::move(source), *stages.front().reader, options_for(stages.front()).checks, work);
    source.emplace(std::move(found.file));
    result.archive = std::move(found.archive);
}

/// Content decides which is which: a patch where the source should be, and none where the patch should be.
void ApplyJob::State::swap_if_unmistakable() {
    InputFile& patch = stages.front().file;
    if (source->is_same_file(patch.path()))
        throw Error(ErrorCode::usage, "source and patch are the same file").hint("name the game first, then the patch");
    if (stages.size() != 1 || !are_swapped(*source, patch)) return;
    std::swap(*source, patch);
    result.swapped = true;
}

/// All patches are read before the first is applied, so that a damaged one stops at once.
void ApplyJob::State::open_stage(ApplyStage& stage) {
    stage.limits = limits_for_patch(stage.file, work);
    stage.reader = open_patch(stage.file, stage.limits);
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
    options.make_when_already_patched = stages.size() > 1 || !request.output.empty() || !request.as.empty();
    if (first) options.source_digests = receipt_digests;
    options.source_digests.crc32 |= stages.size() > 1;
    if (last) options.target_digests = receipt_digests;
    options.limits = work.limits;
    options.progress = work.progress;
    return options;
}

/// Whether nothing says what the source has to be.
bool ApplyJob::State::is_unchecked(const ApplyStage& stage) const {
    const PatchFacts& facts = stage.reader->facts();
    return facts.source.empty() && options_for(stage).checks.source.empty() && facts.checked_windows == 0;
}

/// What a patch without checks cannot be meant for.
void ApplyJob::State::refuse_implausible() {
    const ApplyStage& stage = stages.front();
    if (request.allow_source || !is_unchecked(stage)) return;
    std::optional<Representation> reading = request.renews ? request.renews->representation : std::nullopt;
    if (!reading && !request.as_is)
        if (const auto& opinion = trial_of(stage).opinion; opinion && opinion->sure()) reading = opinion->reading;
    auto diagnosis = implausible_source(*stage.reader, *source, source->path().filename().string(), reading);
    if (!diagnosis || (request.as_is && diagnosis->reasons.front().why == Why::archive)) return;
    result.outcome = ApplyOutcome::wrong_source;
    result.refusal = Error(ErrorCode::wrong_source, "this cannot be the source the patch was made for");
    result.diagnosis = std::move(diagnosis);
    result.by_plausibility = true;
    result.stopped_at = 1;
    throw WrongSource();
}

/// The source's, or that of what the output is: a dump in another order, or behind a copier's header, is usually kept
/// under another one.
std::string ApplyJob::State::output_extension() {
    std::string as_source = source->path().extension().string();
    if (std::string other = disc_extension(); !other.empty()) return other;
    if (request.as_is || keeps_form || !is_dump_extension(as_source)) return as_source;
    const Identity identity = identify(*source);
    if (!identity.reading) return as_source;
    const std::string_view other = extension_when_read(identity, as_source);
    if (other.empty()) return as_source;
    const ApplyStage& stage = stages.front();
    if (is_unchecked(stage)) {
        const auto& opinion = trial_of(stage).opinion;
        return std::string(opinion && opinion->sure() ? other : as_source);
    }
    const Fit found = fit(*stage.reader, *source, options_for(stage).checks, work.limits, work.progress);
    return std::string(found.answer == FitAnswer::does_not_fit ? other : as_source);
}

/// Of a disc image in another form than the patch was made for, which becomes what the patch makes. Empty: the
/// source's.
std::string ApplyJob::State::disc_extension() const {
    const ApplyStage& stage = stages.front();
    const auto wanted = joined(stage.reader->facts().source, options_for(stage).checks.source).size;
    if (request.as_is || keeps_form || !wanted || *wanted == source->size()) return {};
    if (!identify(*source).is("disc")) return {};
    const SharedSource user = user_data_of(borrowed(*source));
    if (user.get() != &*source) return *wanted == user->size() ? ".iso" : "";
    return *wanted == read_as(*source, {RepresentationKind::in_whole_sectors, 1})->size() ? ".bin" : "";
}

fs::path ApplyJob::State::output_path() {
    keeps_form = request.keep_representation || request.in_place || around.has_value();
    if (!source->sheet().empty() && !around) {
        // A sheet stands for whole sectors and all tracks; whoever names a plain image wants that.
        const std::string& named = request.as.empty() ? request.output : request.as;
        keeps_form = keeps_form || lower(fs::path(named).extension().string()) != ".iso";
    }
    fs::path path = plain_output_path();
    if (around || request.in_place || lower(path.extension().string()) != ".cue") {
        const bool named = !request.as.empty() || (!request.output.empty() && path == fs::path(request.output));
        if (!around && !request.in_place && !source->sheet().empty() && keeps_form && (!named || request.with_sheet))
            sheet_out = {fs::path(path).replace_extension(".cue"), path};
        return path;
    }
    if (source->sheet().empty())
        throw Error(ErrorCode::usage, "a cue sheet cannot be made: the source has none")
            .in("output")
            .found(path.string())
            .hint("name the sheet as the source, or an image as the output");
    sheet_out = {path, fs::path(path).replace_extension(source->path().extension())};
    return sheet_out.file;
}

fs::path ApplyJob::State::plain_output_path() {
    if (around)
        return request.in_place ? around->first.path()
               : !request.as.empty()
                   ? placed_as(request.as, identify(around->first),
                               default_apply_output(around->first, stages.back().file.path()))
                   : hotstitch::output_path(request.output,
                                            default_apply_output(around->first, stages.back().file.path()));
    if (request.in_place) return source->path();
    if (!request.as.empty())
        return placed_as(request.as, identify(*source), default_apply_output(*source, stages.back().file.path()));
    fs::path place = default_apply_output(*source, stages.back().file.path());
    std::error_code code;
    if (!request.name_like.empty() && !fs::exists(request.name_like, code))
        throw Error(ErrorCode::io,
                    fmt::format("there is no file {} whose name the output could take", request.name_like));
    std::optional<CueSheet> sheet;
    if (!request.name_like.empty()) sheet = sheet_in(InputFile::regular(request.name_like));
    if (sheet)  // the name that it wants
        place.replace_filename(fs::path(sheet->files[sheet->data_track() ? sheet->data_track()->file : 0]).filename());
    else if (!request.name_like.empty())
        place.replace_filename(companion_stem(request.name_like) + source->path().extension().string());
    if (request.output.empty() || hotstitch::output_path(request.output, place) != fs::path(request.output))
        if (const std::string extension = output_extension(); extension != source->path().extension().string())
            place.replace_extension(extension);
    return hotstitch::output_path(request.output, place);
}

Receipt ApplyJob::State::receipt_for(const fs::path& folder) const {
    Receipt receipt;
    if (!request.receipt) return receipt;
    for (const ApplyStage& stage : stages)
        receipt.patches.push_back(receipt_file(stage.file, folder, request.digests, work.progress));
    if (result.internal_checks == InternalChecks::mended) receipt.mends = {"checksum"};
    receipt.representation = stages.front().representation;
    receipt.keeps_representation = keeps_form && receipt.representation.has_value();
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

std::optional<fs::path> ApplyJob::State::add_sheet(Delivery& delivery) {
    if (!sheet_out.sheet.empty()) {
        write_sheet(*source, sheet_out, request.replace, delivery);
        return sheet_out.sheet;
    }
    if (!request.with_sheet || request.in_place) return std::nullopt;
    const fs::path& output = delivery.output().path();
    if (stages.front().representation && !keeps_form)
        throw Error(ErrorCode::usage, "the output is in another form than the sheet says")
            .as(ErrorId::sheet_of_another_form)
            .hint("keep the source's form as well (keep representation), or leave the sheet out");
    std::vector<fs::path> sheets;
    for (const SheetBeside& sheet : cue_sheets_naming(source->path())) sheets.push_back(sheet.path);
    if (sheets.empty())
        throw Error(ErrorCode::usage, fmt::format("no cue sheet beside {} names it", source->path().string()))
            .as(ErrorId::sheet_of_another_form)
            .hint("leave that request out, or name the sheet instead of the file");
    const auto text = sheet_naming(sheets.front(), source->path(), output.filename().string());
    if (!text) throw Error(ErrorCode::io, fmt::format("{} names another file", sheets.front().string()));
    fs::path sheet = fs::path(output).replace_extension(".cue");
    delivery.add(sheet, {.replace = request.replace}).write(bytes_of(*text));
    return sheet;
}

/// A plain image holds its data track alone.
void ApplyJob::State::name_left_out() {
    const auto& reading = stages.front().representation;
    if (keeps_form || !reading || source->sheet().empty()) return;
    if (reading->kind != RepresentationKind::user_data && reading->kind != RepresentationKind::data_track) return;
    const auto sheet = sheet_in(InputFile::regular(source->sheet()));
    if (!sheet) return;
    const CueTrack* const data = sheet->data_track();
    for (const CueTrack& track : sheet->tracks)
        if (data == nullptr || track.number != data->number)
            result.left_out.push_back(fmt::format("track {}", track.number));
}

bool ApplyJob::State::is_already_patched() const {
    if (stages.size() != 1 || !request.output.empty() || !request.as.empty()) return false;
    const ApplyStage& stage = stages.front();
    return fit(*stage.reader, *source, options_for(stage).checks, work.limits, work.progress).answer ==
           FitAnswer::already_patched;
}

void ApplyJob::State::deliver() {
    if (around) return deliver_around();
    if (request.in_place && source->is_unpacked())
        throw Error(ErrorCode::usage, "a file inside an archive cannot be replaced in place")
            .as(ErrorId::archived_in_place)
            .hint("leave out the request to replace it: the output then lies beside the archive");
    refuse_implausible();
    const fs::path path = output_path();
    std::vector<const InputFile*> inputs{&*source};
    for (const ApplyStage& stage : stages) inputs.push_back(&stage.file);
    if (!request.in_place)
        refuse_inputs(path, inputs, "name another output, or replace the source in place (it is kept as a backup)",
                      ErrorId::output_is_input);
    if (!request.in_place) refuse_packed_name(path, *source);
    for (const ApplyStage& stage : stages)
        if (stage.found) refuse_inputs(path, {stage.found->path});
    refuse_inputs(path, work.read);
    if (goes_by_journal()) return deliver_by_journal();
    deliver_copy({});
}

/// `write`: what was made already; empty: it is made right into the output.
void ApplyJob::State::deliver_copy(const std::function<void(ByteSink&)>& write) {
    Delivery delivery(*source, output_path(),
                      {.replace = request.replace,
                       .in_place = request.in_place,
                       .receipt = request.receipt,
                       .reverse = request.reverse,
                       .digests = request.digests,
                       .renews = request.renews ? &*request.renews : nullptr},
                      work);
    if (write) {
        write(delivery.output());
    } else {
        receipt_digests = delivery.wanted_of(source->size());
        make(delivery.output());
        if (!stages.back().made.made) {
            result.outcome = ApplyOutcome::already_patched;
            return;
        }
        finish_content(delivery.output());
    }
    const std::optional<fs::path> sheet = add_sheet(delivery);
    result.delivered = delivery.finish(receipt_for(delivery.output().path().parent_path()));
    result.delivered.sheet = sheet;
    if (result.delivered.stood_already) result.outcome = ApplyOutcome::made_already;
    result.companions = companions_of(result.delivered.output);
    name_left_out();
    if (!request.in_place && !result.delivered.sheet && result.delivered.output.filename() != source->path().filename())
        result.cue_sheets = cue_sheets_naming(source->path());
}

ApplyJob::ApplyJob(ApplyRequest request, WorkOptions options)
    : state_(std::make_unique<State>(
          State{std::move(request), std::move(options), {}, {}, {}, {}, {}, {}, false, {}, {}, false})) {
    if (!state_->work.limits.scratch) state_->work.limits.scratch = [] { return std::make_unique<ScratchFile>(); };
}
ApplyJob::~ApplyJob() = default;

void ApplyJob::open() {
    state_->open();
}
fs::path ApplyJob::output_path() {
    opened(state_->source);
    return state_->output_path();
}
const InputFile& ApplyJob::source() const {
    return opened(state_->source);
}
const std::vector<ApplyStage>& ApplyJob::stages() const noexcept {
    return state_->stages;
}
const ApplyResult& ApplyJob::result() const noexcept {
    return state_->result;
}

const ApplyResult& ApplyJob::run() {
    State& s = *state_;
    opened(s.source);
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
    opened(s.source);
    s.keeps_form = s.request.keep_representation;
    try {
        s.refuse_implausible();
        s.make(sink);
        s.finish_content(sink);
    } catch (const WrongSource&) {  // the result says so
    }
    return s.result;
}

}  // namespace hotstitch
