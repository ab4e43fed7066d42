// SPDX-License-Identifier: MIT
#include <unistd.h>

#include <algorithm>

#include <fmt/format.h>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "hotstitch/jobs.h"
#include "known.h"

namespace hotstitch::cli {
namespace {

namespace fs = std::filesystem;

ApplyRequest request_from(const ApplyArguments& arguments, const Context& context) {
    const auto dashes =
        std::count(arguments.patches.begin(), arguments.patches.end(), "-") + (arguments.source == "-" ? 1 : 0);
    if (dashes > 1) throw Error(ErrorCode::usage, "only one of source and patches can come from standard input");
    if (arguments.in_place && !arguments.output.path.empty())
        throw Error(ErrorCode::usage, "--in-place and --output contradict each other");
    if (arguments.in_place && arguments.source == "-")
        throw Error(ErrorCode::usage, "standard input cannot be replaced in place");
    if (dashes != 0 && arguments.output.path.empty())
        throw Error(ErrorCode::usage, "with standard input as an input, the output has to be named")
            .hint("add -o PATH, or -o - for standard output");
    const Allowed& allow = context.common.allow;
    return {.source = arguments.source,
            .patches = arguments.patches,
            .output = arguments.output.path,
            .name_like = arguments.name_like,
            .in_place = arguments.in_place,
            .replace = replace_mode(arguments.output, arguments.in_place),
            .expected = arguments.expect,
            .allow_source = allow.source,
            .allow_target = allow.target,
            .allow_patch = allow.patch,
            .as_is = arguments.as_is,
            .keep_header = arguments.keep_header,
            .mend = arguments.mend,
            .receipt = !arguments.no_receipt,
            .reverse = arguments.keep_reverse,
            .digests = arguments.digests};
}

void state_inputs(const ApplyJob& job, Report& report) {
    const ApplyResult& result = job.result();
    for (const ApplyResult::Readme& readme : result.readmes)
        report.fact("readme", "readme", fmt::format("{} in {}", escaped(readme.name), shown(readme.archive)),
                    as_utf8(readme.name));
    if (result.swapped) report.warn("source and patch were given in swapped places; their content says which is which");
    if (!result.archive.empty())
        report.warn(fmt::format("the source was taken out of the archive {}", shown(result.archive)));
    file_fact(report, "source", job.source().path(), {.size = job.source().size()});
    for (const ApplyStage& stage : job.stages()) {
        file_fact(report, "patch", stage.patch.path(), {.size = stage.patch.size()}, patch_text(stage.reader->facts()));
        checks_fact(report, stage.found);
    }
}

/// Where the checks of a stage come from.
std::string origin_of_checks(const ApplyStage& stage) {
    const PatchFacts& facts = stage.reader->facts();
    return traits_of(facts.format).has_checks ? "the patch's own checksums"
           : facts.checked_windows != 0       ? "the checks of its windows"
           : stage.found                      ? "its checks file"
                                              : "--expect";
}

void state_what_was_checked(const ApplyStage& stage, bool last, Report& report) {
    const ApplyReport& made = stage.made;
    Json checked = Json::array();
    if (made.fit.answer == FitAnswer::fits) {
        checked.push_back("source");
        report.fact("checked_source", "checked",
                    fmt::format("the source is the one the patch {}, by {}",
                                made.fit.reversed ? "makes" : "was made for", origin_of_checks(stage)),
                    true);
    }
    if (made.target_checked && made.overridden.empty()) {
        checked.push_back("target");
        report.fact("checked_target", "checked",
                    fmt::format("the {} is what the patch should make, by {}", last ? "result" : "result so far",
                                origin_of_checks(stage)),
                    true);
    }
    report.detail("checked", std::move(checked));
    report.detail("reversed", made.fit.reversed);
}

void state_what_was_not(const ApplyStage& stage, bool first, Report& report) {
    const ApplyReport& made = stage.made;
    const PatchFacts& facts = stage.reader->facts();
    if ((stage.certain() && made.target_checked) || !made.overridden.empty()) return;
    if (facts.checked_windows != 0 && !made.target_checked)
        return report.unchecked(fmt::format("{} of {} windows: they carry no check",
                                            grouped(facts.windows - facts.checked_windows), grouped(facts.windows)));
    if (stage.certain()) return report.unchecked("the result itself: nothing says what it should be");
    if (!first)
        return report.unchecked(
            fmt::format("whether {} was made for what the patch before it makes", shown(stage.patch.path())));
    report.unchecked(
        "whether this is the source the patch was made for: the patch carries no checks and none were given");
    report.next(
        "if the result misbehaves, get the right source's checksum from the patch's author and pass it with --expect");
}

void state_stage(const ApplyStage& stage, bool first, bool last, Report& report) {
    const ApplyReport& made = stage.made;
    const PatchFacts& facts = stage.reader->facts();
    for (const DigestMismatch& m : made.overridden)
        report.warn(fmt::format("went on although {} is {} where {} was wanted (--allow)", m.name, m.found, m.wanted));
    warn_past_end(report, made.fit);
    if (made.fit.answer == FitAnswer::already_patched) report.warn("the source was already patched");
    if (stage.representation) {
        const std::string words = words_for(*stage.representation);
        report.detail("reading", words);
        report.warn(stage.opinion
                        ? fmt::format("the source was read {}: {} (--as-is takes it as it is)", words,
                                      words_for(*stage.opinion))
                        : fmt::format("the source was read {}; only so it is the one the patch was made for", words));
    }
    if (traits_of(facts.format).has_windows && facts.windows == 0)
        report.warn("the patch has no windows: it makes an empty file");
    if (made.fit.changes_nothing) report.warn("the patch changes nothing: source and result are the same");
    state_what_was_checked(stage, last, report);
    state_what_was_not(stage, first, report);
}

std::string how_it_went(const std::vector<ApplyStage>& stages, bool certain) {
    const ApplyReport &first = stages.front().made, &last = stages.back().made;
    if (first.fit.reversed) return "backwards: the file was already patched, this is its original";
    if (std::any_of(stages.begin(), stages.end(), [](const auto& s) { return !s.made.overridden.empty(); }))
        return "against failed checks";
    if (first.fit.answer == FitAnswer::fits && last.target_checked)
        return certain ? "source and result are right"
                       : "source and result are right, but not every patch could be checked";
    if (first.fit.answer == FitAnswer::fits) return "the source is right";
    if (last.target_checked) return "the result is right";
    return stages.front().opinion ? "the patch carries no checks, but the ROM's own come out right"
                                  : "nothing could be checked";
}

void state_internal_checks(const ApplyResult& result, Report& report) {
    if (result.internal_checks == InternalChecks::not_asked) return;
    if (result.internal_checks == InternalChecks::cannot_be_mended)
        return report.warn(fmt::format("the internal checks could not be mended: {}", escaped(result.mend_failure)));
    const std::string text = words_for(result.internal_checks);
    report.fact("internal_checks", "internal checks", text, text);
}

void state_made(const ApplyJob& job, const fs::path& path, const std::string& place, Report& report) {
    const ApplyResult& result = job.result();
    const std::vector<ApplyStage>& stages = job.stages();
    state_internal_checks(result, report);
    if (result.output)
        report.fact("patch_makes", "patch makes",
                    fmt::format("{}, crc32 {}", size_text(*result.patched.size), result.patched.crc32->hex()),
                    json_of(result.patched));
    output_fact(report, result.output.value_or(result.patched), path);
    for (const ApplyStage& stage : stages)
        state_stage(stage, &stage == &stages.front(), &stage == &stages.back(), report);
    const bool certain = std::all_of(stages.begin(), stages.end(), [](const auto& s) { return s.certain(); });
    std::string how = how_it_went(stages, certain);
    if (result.internal_checks == InternalChecks::mended) how += "; then the ROM's own checks were mended";
    report.conclude(certain ? Mood::good : Mood::unsure, "made", fmt::format("Made {}: {}.", place, how),
                    ExitCode::yes);
}

void state_already_patched(Report& report) {
    report.conclude(Mood::good, "already-patched",
                    "Already patched: the file given is what the patch makes. Nothing was made.", ExitCode::yes);
    report.detail("made", false);
    report.next(
        "to start from the original, look for the file from before; to make a copy all the same, name it with -o");
}

/// Which patch of several it was that could not be applied.
void state_stop(const ApplyJob& job, Report& report) {
    const std::size_t number = job.result().stopped_at, all = job.stages().size();
    if (number == 0 || all < 2) return;
    report.fact("stage", "stopped at",
                fmt::format("patch {} of {}, {}", number, all, shown(job.stages()[number - 1].patch.path())), number);
}

[[noreturn]] void refuse_source(const ApplyJob& job, const ApplyArguments& arguments, const Context& context,
                                Report& report) {
    const ApplyResult& result = job.result();
    const ApplyStage& stage = job.stages()[result.stopped_at - 1];
    reason_facts(report, *result.diagnosis);
    const auto known = read_known(arguments.known, context);
    known_fact(report, known, job.source(), context);
    const Checks checks = joined_checks(stage.found, result.stopped_at == 1 ? arguments.expect : Digests{});
    needed_fact(report, known, joined(stage.reader->facts().source, checks.source));
    state_stop(job, report);
    const Error& refusal = *result.refusal;  // its offset is one of the target, which nobody has
    throw Error(refusal.code(), refusal.what())
        .in(refusal.field())
        .wanted(refusal.wanted())
        .found(refusal.found())
        .hint(stage.representation && stage.representation->harmless()
                  ? "leave out --as-is: read so, the file is the right one"
                  : escaped(words_for_next(*result.diagnosis)));
}

void state_delivery(const ApplyJob& job, const ApplyArguments& arguments, Report& report) {
    const Delivered& delivered = job.result().delivered;
    state_made(job, delivered.output, shown(delivered.output), report);
    state_way_back(delivered, report);
    if (delivered.stood_already) conclude_made_already(delivered.output, report);
    for (const CompanionSet& set : job.result().companions)
        report.next(
            fmt::format("{} go by the name \"{}\"; if they belong to this game, give the output that name "
                        "with --name-like {}",
                        counted(set.files, "file", "files"), escaped(set.stem), shell_word(set.example.string())));
    if (arguments.in_place || !arguments.output.path.empty()) return;
    if (delivered.output.parent_path().filename() != "patched") return;
    // For programs that only start from their own place.
    std::string call = fmt::format("hotstitch apply --in-place {}", shell_file(arguments.source));
    for (const std::string& patch : arguments.patches) call += fmt::format(" {}", shell_file(patch));
    report.next("to use it, put it where the program looks, or run", call);
}

void state_doubt(const ApplyResult& result, const ApplyArguments& arguments, Report& report) {
    if (!result.doubt) return;
    const Representation& other = result.doubt->reading;
    report.warn(
        fmt::format("the patch was perhaps made for the file {}: {}", words_for(other), words_for(*result.doubt)));
    report.next("if the result misbehaves, undo it, and apply the patch to what this makes",
                fmt::format("hotstitch header {} {} -o OUTPUT",
                            other.kind == RepresentationKind::without_front_header ? "strip" : "attach",
                            shell_file(arguments.source)));
}

}  // namespace

void run_apply(ApplyRequest request, const ApplyArguments& arguments, const Context& context, Report& report) {
    const bool to_stream = request.output == "-";
    ApplyJob job(std::move(request), context);
    try {
        job.open();
    } catch (const Error&) {
        for (const ApplyStage& stage : job.stages())
            if (!stage.reader) file_fact(report, "patch", stage.patch.path(), {.size = stage.patch.size()});
        throw;
    }
    state_inputs(job, report);
    std::optional<ScratchFile> scratch;
    if (to_stream) scratch.emplace();
    try {
        scratch ? job.run(*scratch) : job.run();
    } catch (const Error&) {
        state_stop(job, report);
        throw;
    }
    switch (job.result().outcome) {
        case ApplyOutcome::wrong_source: refuse_source(job, arguments, context, report);
        case ApplyOutcome::already_patched: return state_already_patched(report);
        case ApplyOutcome::made:
        case ApplyOutcome::made_already: break;
    }
    state_doubt(job.result(), arguments, report);
    if (!scratch) return state_delivery(job, arguments, report);
    scratch->copy_to(STDOUT_FILENO, context.progress);
    state_made(job, "-", "standard output", report);
}

void run(const ApplyArguments& arguments, const Context& context, Report& report) {
    run_apply(request_from(arguments, context), arguments, context, report);
}

void run(const RenewArguments& arguments, const Context& context, Report& report) {
    RenewPlan plan = plan_renewal(arguments.receipt, arguments.patches, context);
    const fs::path receipt = receipt_path(plan.request.output);
    report.fact("receipt", "by receipt", shown(receipt), as_utf8(receipt.string()));
    if (plan.output_changed) report.warn("the file in place was no longer what had been made; it is kept as a backup");
    ApplyArguments as_typed;
    as_typed.source = plan.request.source;
    as_typed.patches = arguments.patches;
    as_typed.output.path = plan.request.output;
    run_apply(std::move(plan.request), as_typed, context, report);
}

}  // namespace hotstitch::cli
