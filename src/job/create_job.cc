// SPDX-License-Identifier: MIT
// Tested by tests/cli/cli_create_test.cc.
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>

#include "hotstitch/checks.h"
#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "hotstitch/patch_jobs.h"
#include "hotstitch/transaction.h"
#include "job/opened.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

std::uint64_t default_memory() {
    constexpr std::uint64_t most = std::uint64_t{1} << 30;
    const long pages = ::sysconf(_SC_PHYS_PAGES), page = ::sysconf(_SC_PAGESIZE);
    if (pages <= 0 || page <= 0) return most / 4;
    return std::min(static_cast<std::uint64_t>(pages) / 4 * static_cast<std::uint64_t>(page), most);
}

}  // namespace

struct CreateJob::State {
    CreateRequest request;
    WorkOptions work;
    std::optional<InputFile> source, target;
    fs::path archive;

    void open();
    CreateOptions options_for(PatchFormat format, Bytes& names) const;
    CreateResult into(PatchFormat format, ByteSink& sink) const;
    CreateResult into_file(PatchFormat format) const;
    template <class Make>
    CreateResult in_fitting_format(const Make& make) const;
};

/// Two archives may be data files of their own (many games keep theirs so). One archive beside a plain file is a packed
/// copy: its only file is meant.
void CreateJob::State::open() {
    source.emplace(open_file(request.source, work));
    target.emplace(open_file(request.target, work));
    // Matches are looked for everywhere at once.
    for (auto* const file : {&source, &target})
        if ((*file)->is_computed()) file->emplace(InputFile::written_out(**file));
    if (is_archive(*source) == is_archive(*target)) return;
    InputFile& packed = is_archive(*source) ? *source : *target;
    auto inside = only_member(packed, work);
    if (!inside) return;
    archive = packed.path();
    packed = std::move(*inside);
}

CreateOptions CreateJob::State::options_for(PatchFormat format, Bytes& names) const {
    Limits limits = work.limits;
    limits.memory = request.memory != 0 ? request.memory : default_memory();
    // Four fields with slashes between them; the tags stay empty.
    if (request.names) {
        const std::string text =
            fmt::format("{}//{}/", target->path().filename().string(), source->path().filename().string());
        names.assign(bytes_of(text).begin(), bytes_of(text).end());
    }
    return {.format = format,
            .effort = request.effort,
            .metadata = request.names ? ByteView(names) : ByteView(request.metadata),
            .vcdiff = request.vcdiff,
            .limits = limits,
            .progress = work.progress};
}

CreateResult CreateJob::State::into(PatchFormat format, ByteSink& sink) const {
    Bytes names;
    CreateResult result;
    result.report = create(*source, *target, sink, options_for(format, names));
    if (request.count_shared) {
        const WrittenSource written(sink);
        result.shared = count_shared(*open_patch(written, work.limits), *source, work.limits, work.progress);
    }
    return result;
}

CreateResult CreateJob::State::into_file(PatchFormat format) const {
    fs::path beside = target->path();
    beside.replace_extension(traits_of(format).extension);
    const fs::path path = output_path(request.output, beside);
    refuse_inputs(path, {&*source, &*target}, "name another output");
    refuse_inputs(path, work.read);
    Transaction outputs(work.progress);
    auto& file = outputs.file(path, {.replace = request.replace});
    auto* const checks =
        request.checks ? &outputs.file(checks_path(file.path()), {.replace = request.replace}) : nullptr;
    CreateResult result = into(format, file);
    result.path = file.path();
    if (checks != nullptr) {
        const DigestChoice all = available({true, true, true, true});
        const Checks expected{digest(WrittenSource(file), {}), digest(*source, all, work.progress),
                              digest(*target, all, work.progress)};
        checks->write(bytes_of(checks_to_json(expected)));
        result.checks = checks->path();
    }
    result.stood_already = file.stands_already();
    outputs.commit();
    result.backup = file.keep_backup();
    return result;
}

PatchFormat format_for(const CreateRequest& request) noexcept {
    if (request.format) return *request.format;
    return format_by_extension(fs::path(request.output).extension().string()).value_or(CreateOptions{}.format);
}

/// When no format was named and the one chosen by the extension cannot reach far enough, in a larger one.
template <class Make>
CreateResult CreateJob::State::in_fitting_format(const Make& make) const {
    const PatchFormat format = format_for(request);
    try {
        return make(format);
    } catch (const Error& error) {
        const bool reach =
            error.code() == ErrorCode::usage && (error.field() == "offset" || error.field() == "cut length");
        const PatchFormat larger = traits_of(format).larger;
        if (request.format || larger == format || !reach) throw;
        CreateResult result = make(larger);
        result.outgrown = error;
        return result;
    }
}

CreateJob::CreateJob(CreateRequest request, WorkOptions options)
    : state_(std::make_unique<State>(State{std::move(request), std::move(options), {}, {}, {}})) {}
CreateJob::~CreateJob() = default;

void CreateJob::open() {
    state_->open();
}
const InputFile& CreateJob::source() const {
    return opened(state_->source);
}
const InputFile& CreateJob::target() const {
    return opened(state_->target);
}
const fs::path& CreateJob::archive() const noexcept {
    return state_->archive;
}

CreateResult CreateJob::run() {
    opened(state_->target);
    return state_->in_fitting_format([&](PatchFormat format) { return state_->into_file(format); });
}

CreateResult CreateJob::run(ByteSink& sink) {
    opened(state_->target);
    return state_->in_fitting_format([&](PatchFormat format) {
        sink.clear();
        return state_->into(format, sink);
    });
}

}  // namespace hotstitch
