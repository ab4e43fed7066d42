// SPDX-License-Identifier: MIT
// A patch in another format, and patches held against each other. Both begin alike: a source, out of its archive where
// it lies in one, and patches with what lies beside them. Tested by tests/format/recast_test.cc and
// tests/cli/cli_streams_test.cc.
#include <fmt/format.h>

#include "hotstitch/cartridge.h"
#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "hotstitch/patch_jobs.h"
#include "hotstitch/transaction.h"
#include "job/combine.h"
#include "job/opened.h"
#include "source/whole.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

/// What a patch without checks cannot be meant for.
Error misfit(const Diagnosis& why) {
    return Error(ErrorCode::wrong_source, "this cannot be the source the patch was made for")
        .in("source")
        .found(words_for(why.reasons.front()))
        .hint(words_for_next(why));
}

}  // namespace

struct RecastJob::State {
    RecastRequest request;
    WorkOptions work;
    PatchFormat format{};
    std::optional<SourceFile> source;
    std::optional<PatchInput> patch;
    bool swapped = false;

    RecastResult into(ByteSink& sink) const;
};

RecastJob::RecastJob(RecastRequest request, WorkOptions options)
    : state_(std::make_unique<State>(State{std::move(request), std::move(options), {}, {}, {}, false})) {}
RecastJob::~RecastJob() = default;

void RecastJob::open() {
    const RecastRequest& request = state_->request;
    const auto by_name = format_by_extension(fs::path(request.output).extension().string());
    if (!request.format && !by_name)
        throw Error(ErrorCode::usage, "the new format is not named")
            .as(ErrorId::no_format_named)
            .hint("name it, or an output with its extension");
    state_->format = request.format ? *request.format : *by_name;
    InputFile source = open_file(request.source, state_->work);
    state_->swapped =
        request.source != "-" && request.patch != "-" && are_swapped(source, open_file(request.patch, state_->work));
    if (state_->swapped) source = open_file(request.patch, state_->work);
    state_->patch.emplace(open_patch_input(state_->swapped ? request.source : request.patch, state_->work, &source));
    state_->source.emplace(source_for(std::move(source), *state_->patch->reader,
                                      joined_checks(state_->patch->found, request.expected), state_->work));
}

const SourceFile& RecastJob::source() const {
    return opened(state_->source);
}
bool RecastJob::swapped() const noexcept {
    return state_->swapped;
}
const PatchInput& RecastJob::patch() const {
    return opened(state_->patch);
}

RecastResult RecastJob::State::into(ByteSink& sink) const {
    ApplyOptions options;
    options.checks = joined_checks(patch->found, request.expected);
    options.allow_source = request.allow_source;
    options.allow_target = request.allow_target;
    options.allow_patch = request.allow_patch;
    options.limits = patch->limits;
    options.progress = work.progress;
    RecastResult result;
    result.reading = reading_for(*patch->reader, source->file, options.checks, work);
    if (const auto& why = result.reading.diagnosis; why && result.reading.by_plausibility && !request.allow_source)
        throw misfit(*why);
    result.report = recast(patch->file, *result.reading.of(source->file), format, sink, options);
    return result;
}

RecastResult RecastJob::run() {
    opened(state_->source);
    const fs::path beside = fs::path(state_->patch->file.path()).replace_extension(traits_of(state_->format).extension);
    const fs::path path = output_path(state_->request.output, beside);
    refuse_inputs(path, {&state_->source->file, &state_->patch->file}, "name another output");
    refuse_inputs(path, state_->work.read);
    RecastResult result;
    const WrittenFile written = write_file(
        path, {.replace = state_->request.replace}, [&](ByteSink& out) { result = state_->into(out); },
        state_->work.progress);
    result.stood_already = written.stood_already, result.backup = written.backup, result.path = written.path;
    return result;
}

RecastResult RecastJob::run(ByteSink& sink) {
    opened(state_->source);
    return state_->into(sink);
}

struct OverlapJob::State {
    OverlapRequest request;
    WorkOptions work;
    std::optional<SourceFile> source;
    std::vector<PatchInput> patches;
    SourceReading reading;

    void settle_reading();
};

void OverlapJob::State::settle_reading() {
    std::optional<std::string> first;
    for (const PatchInput& patch : patches) {
        SourceReading found = reading_for(*patch.reader, source->file, joined_checks(patch.found, {}), work);
        if (found.diagnosis && found.by_plausibility && !request.allow_source) throw misfit(*found.diagnosis);
        const std::string code = found.reading ? code_of(*found.reading) : std::string();
        if (first && *first != code)
            throw Error(ErrorCode::wrong_source, "the patches were made for different forms of the file")
                .in("source")
                .found(fmt::format("{} is for the file {}", patch.file.path().string(),
                                   found.reading ? words_for(*found.reading) : std::string("as it is")))
                .hint("hold them against each other in one form: recast one of them for the other's");
        first = code;
        reading = std::move(found);
    }
}

const SourceReading& OverlapJob::reading() const noexcept {
    return state_->reading;
}

OverlapJob::OverlapJob(OverlapRequest request, WorkOptions options)
    : state_(std::make_unique<State>(State{std::move(request), std::move(options), {}, {}, {}})) {}
OverlapJob::~OverlapJob() = default;

void OverlapJob::open() {
    const OverlapRequest& request = state_->request;
    if (request.patches.size() < 2) throw Error(ErrorCode::usage, "an overlap needs two patches at least");
    InputFile file = open_file(request.source, state_->work);
    auto inside = only_member(file, state_->work);
    const fs::path archive = inside ? file.path() : fs::path();
    state_->source.emplace(SourceFile{inside ? *std::move(inside) : std::move(file), archive});
    for (const std::string& name : request.patches) state_->patches.push_back(open_patch_input(name, state_->work));
}

const SourceFile& OverlapJob::source() const {
    return opened(state_->source);
}
const std::vector<PatchInput>& OverlapJob::patches() const noexcept {
    return state_->patches;
}

std::vector<OverlapPair> OverlapJob::run(std::size_t most) {
    struct Made {
        std::vector<ByteRange> ranges;
        std::unique_ptr<ByteSink> target;
    };
    opened(state_->source);
    state_->settle_reading();
    const SharedSource read = state_->reading.of(state_->source->file);
    const ByteSource& source = *read;
    std::vector<Made> made;
    for (const PatchInput& patch : state_->patches) {
        made.push_back({{}, scratch_of(state_->work.limits)});
        ApplyOptions options;
        options.checks = joined_checks(patch.found, {});
        options.allow_source = state_->request.allow_source;
        options.limits = patch.limits;
        options.progress = state_->work.progress;
        apply(*patch.reader, source, *made.back().target, options);
        made.back().ranges = written_ranges(*PatchForSource(*patch.reader, source), source.size(), state_->work.limits);
    }
    std::vector<OverlapPair> pairs;
    for (std::size_t i = 0; i < made.size(); ++i)
        for (std::size_t j = i + 1; j < made.size(); ++j) {
            const WrittenSource a(*made[i].target), b(*made[j].target);
            OverlapPair pair{i, j, overlap(made[i].ranges, a, made[j].ranges, b, source.size(), most)};
            pair.mend_settles_it =
                pair.found.order_matters() && source.size() <= largest_cartridge &&
                combined(WholeView(source), WholeView(a), WholeView(b), state_->work.limits).has_value();
            pairs.push_back(std::move(pair));
        }
    return pairs;
}

}  // namespace hotstitch
