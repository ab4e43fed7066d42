// SPDX-License-Identifier: MIT
#include <unistd.h>

#include <algorithm>

#include <fmt/format.h>

#include "commands/common.h"
#include "commands/kit.h"
#include "hotstitch/error.h"
#include "hotstitch/jobs.h"

namespace hotstitch::cli {
namespace {

namespace fs = std::filesystem;

ApplyRequest request_from(const ApplyArguments& arguments) {
    ApplyRequest request = arguments.request;
    const auto dashes =
        std::count(request.patches.begin(), request.patches.end(), "-") + (request.source == "-" ? 1 : 0);
    if (dashes > 1)
        throw Error(ErrorCode::usage, "only one of source and patches can come from standard input")
            .hint("save the others as files, and name those");
    if (request.in_place && !request.output.empty())
        throw Error(ErrorCode::usage, "--in-place and --output contradict each other").hint("keep one of them");
    if (request.in_place && request.source == "-")
        throw Error(ErrorCode::usage, "standard input cannot be replaced in place").hint("name an output with -o");
    if (dashes != 0 && request.output.empty())
        throw Error(ErrorCode::usage, "with standard input as an input, the output has to be named")
            .hint("add -o PATH, or -o - for standard output");
    for (std::size_t i = 1; i < request.patches.size(); ++i) {
        std::error_code code;
        const std::string& name = request.patches[i];
        if (name != "-" && !fs::exists(name, code) && !address_of(name).names_part() && request.output.empty())
            throw Error(ErrorCode::io, fmt::format("cannot open {}: No such file or directory", name))
                .hint(fmt::format("if that is to be the output: -o {}", shell_file(name)));
    }
    request.replace = arguments.flags.mode(request.in_place);
    return request;
}

void state_inputs(const ApplyJob& job, Report& report) {
    if (job.result().swapped) warn_of_swap(report);
    state_source(job.source(), job.result().archive, report);
    std::vector<const PatchInput*> patches;
    for (const ApplyStage& stage : job.stages()) patches.push_back(&stage);
    state_patches(patches, report);
}

void state_what_was_checked(const ApplyStage& stage, bool last, Report& report) {
    const ApplyReport& made = stage.made;
    Json checked = Json::array();
    if (made.fit.answer == FitAnswer::fits) {
        checked.push_back("source");
        report.fact("checked_source", "checked",
                    fmt::format("the source is the one the patch was made for, by {}", words_for_checks_of(stage)),
                    true);
    }
    if (made.target_checked && made.overridden.empty()) {
        checked.push_back("target");
        report.fact("checked_target", "checked",
                    fmt::format("the {} is what the patch should make, by {}", last ? "result" : "result so far",
                                words_for_checks_of(stage)),
                    true);
    }
    report.detail("checked", checked);
}

void state_stage(const ApplyStage& stage, bool first, bool last, Report& report) {
    const ApplyReport& made = stage.made;
    const PatchFacts& facts = stage.reader->facts();
    for (const DigestMismatch& m : made.overridden)
        report.warn(fmt::format("went on although {} is {} where {} was wanted (--allow)", m.name, m.found, m.wanted));
    warn_past_end(report, made.fit);
    if (made.fit.answer == FitAnswer::already_patched) report.warn("the source was already patched");
    if (stage.undoes != 0)
        report.warn(fmt::format("{} takes back all changes from patch {} on", shown(stage.file.path()), stage.undoes));
    if (stage.combined)
        report.note(
            fmt::format("{} was made for the source as well; both write different bytes only into checks that "
                        "are mended",
                        shown(stage.file.path())));
    if (stage.representation) {
        const std::string words = words_for(*stage.representation);
        report.detail("reading", reading_json(*stage.representation));
        report.warn(stage.opinion
                        ? fmt::format("the source was read {}: {} (--as-is takes it as it is)", words,
                                      words_for(*stage.opinion))
                        : fmt::format("the source was read {}; only so it is the one the patch was made for", words));
    }
    if (traits_of(facts.format).has_windows && facts.windows == 0)
        report.warn("the patch has no windows: it makes an empty file");
    if (made.fit.changes_nothing) report.warn("the patch changes nothing: source and result are the same");
    state_what_was_checked(stage, last, report);
    if (const std::string open = words_for_unchecked(stage, first); !open.empty()) report.unchecked(escaped(open));
    if (first && !stage.certain() && made.overridden.empty() && facts.checked_windows == 0)
        report.next(
            "if the result misbehaves, get the right source's checksum from the patch's author and pass it with "
            "--expect");
}

void state_internal_checks(const ApplyResult& result, Report& report) {
    if (result.internal_checks == InternalChecks::not_asked) return;
    if (result.internal_checks == InternalChecks::cannot_be_mended)
        return report.warn(fmt::format("the internal checks could not be mended: {}", escaped(result.mend_failure)));
    const std::string text = words_for(result.internal_checks, result.checks_cover);
    report.fact("internal_checks", "internal checks", text,
                Json{{"code", code_of(result.internal_checks)}, {"text", text}});
    if (result.internal_checks == InternalChecks::stale) {
        report.next("if the game does not run, look for the revision and region that the patch's author names");
        report.next("if it runs, the same call with --mend puts the ROM's own checks right");
    }
}

void state_made(const ApplyJob& job, const fs::path& path, const std::string& place, Report& report) {
    const ApplyResult& result = job.result();
    const std::vector<ApplyStage>& stages = job.stages();
    state_internal_checks(result, report);
    if (result.output)
        report.fact("patch_makes", "patch makes",
                    fmt::format("{}, crc32 {}", size_text(*result.patched.size), result.patched.crc32->hex()),
                    json_of(result.patched));
    for (const PutStep& step : result.put)
        report.fact("put", "put back", words_for_put(step), Json{{"part", as_utf8(step.address)}, {"how", step.how}});
    output_fact(report, result.output.value_or(result.patched), path);
    for (const ApplyStage& stage : stages)
        state_stage(stage, &stage == &stages.front(), &stage == &stages.back(), report);
    const bool certain = std::all_of(stages.begin(), stages.end(), [](const auto& s) { return s.certain(); });
    std::string how = words_for(stages, result.internal_checks);
    if (result.internal_checks == InternalChecks::mended) how += "; then the ROM's own checks were mended";
    report.conclude(certain ? Mood::good : Mood::unsure, "made", fmt::format("Made {}: {}.", place, how),
                    ExitCode::yes);
}

void state_already_patched(const ApplyJob& job, const ApplyArguments& arguments, Report& report) {
    report.good("already-patched", "Already patched: the file given is what the patch makes. Nothing was made.");
    report.detail("made", false);
    if (traits_of(job.stages().front().reader->facts().format).reversible)
        return report.next("to go back to the original",
                           fmt::format("hotstitch undo {} {}", shell_file(arguments.request.source),
                                       shell_file(arguments.request.patches.front())));
    report.next(
        "to start from the original, look for the file from before; to make a copy all the same, name it with -o");
}

/// Which patch of several it was that could not be applied.
void state_stop(const ApplyJob& job, Report& report) {
    const std::size_t number = job.result().stopped_at, all = job.stages().size();
    if (number == 0 || all < 2) return;
    report.fact("stage", "stopped at",
                fmt::format("patch {} of {}, {}", number, all, shown(job.stages()[number - 1].file.path())), number);
}

[[noreturn]] void refuse_source(const ApplyJob& job, const ApplyArguments& arguments, const Context& context,
                                Report& report) {
    const ApplyResult& result = job.result();
    const ApplyStage& stage = job.stages()[result.stopped_at - 1];
    reason_facts(report, *result.diagnosis);
    const auto known = read_known(arguments.known, context);
    known_fact(report, known, job.source(), std::nullopt, context);
    const Checks checks = joined_checks(stage.found, result.stopped_at == 1 ? arguments.request.expected : Digests{});
    needed_fact(report, known, joined(stage.reader->facts().source, checks.source));
    state_stop(job, report);
    if (result.by_plausibility) report.next("if you are sure that it is the right one, add --allow source");
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
    if (delivered.other_names != 0) report.warn(words_for_other_names(delivered.other_names));
    if (delivered.stood_already) conclude_made_already(delivered.output, report);
    if (const auto& tracks = job.result().left_out; !tracks.empty())
        report.warn(fmt::format(
            "the output is a plain image, without {} of the disc; to keep them, name a sheet: -o {}",
            fmt::join(tracks, ", "), shell_file(fs::path(delivered.output).replace_extension(".cue").string())));
    for (const CompanionSet& set : job.result().companions)
        report.next(
            fmt::format("{} go by the name \"{}\"; if they belong to this game, give the output that name "
                        "with --name-like {}",
                        counted(set.files, "file", "files"), escaped(set.stem), shell_word(set.example.string())));
    // Where tracks are left out, the sheet that is advised above names all of them.
    for (const SheetBeside& sheet : job.result().cue_sheets)
        if (job.result().left_out.empty())
            report.next(
                fmt::format("{} names \"{}\", and so not the output: write the output's name into its FILE line, or "
                            "let the same call write a sheet with --with-sheet",
                            shown(sheet.path), escaped(sheet.names)));
    if (arguments.request.in_place || !arguments.request.output.empty()) return;
    if (delivered.output.parent_path().filename() != "patched") return;
    // For programs that only start from their own place.
    std::string call = fmt::format("hotstitch apply --in-place {}", shell_file(arguments.request.source));
    for (const std::string& patch : arguments.request.patches) call += fmt::format(" {}", shell_file(patch));
    report.next("to use it, put it where the program looks, or run", call);
}

void state_doubt(const ApplyResult& result, const ApplyArguments& arguments, Report& report) {
    if (!result.doubt) return;
    const Representation& other = result.doubt->reading;
    report.warn(
        fmt::format("the patch was perhaps made for the file {}: {}", words_for(other), words_for(*result.doubt)));
    const std::string file = shell_file(arguments.request.source);
    const std::string call =
        other.kind == RepresentationKind::without_front_header ? fmt::format("header strip {}", file)
        : other.kind == RepresentationKind::with_front_header  ? fmt::format("header attach {}", file)
        : other.kind == RepresentationKind::de_interleaved     ? fmt::format("mend {} de-interleave", file)
                                                               : fmt::format("mend {} byte-order", file);
    report.next("if the result misbehaves, undo it, and apply the patch to what this makes",
                fmt::format("hotstitch {} -o OUTPUT", call));
}

}  // namespace

void run_apply(ApplyRequest request, const ApplyArguments& arguments, const Context& context, Report& report) {
    const bool to_stream = request.output == "-";
    ApplyJob job(std::move(request), context);
    try {
        job.open();
    } catch (const Error&) {
        std::vector<const PatchInput*> unread;
        for (const ApplyStage& stage : job.stages())
            if (!stage.reader) unread.push_back(&stage);
        if (!unread.empty()) state_patches(unread, report);
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
        case ApplyOutcome::already_patched: return state_already_patched(job, arguments, report);
        case ApplyOutcome::made:
        case ApplyOutcome::made_already: break;
    }
    state_doubt(job.result(), arguments, report);
    if (!scratch) return state_delivery(job, arguments, report);
    scratch->copy_to(STDOUT_FILENO, context.progress);
    state_made(job, "-", "standard output", report);
}

void run(const ApplyArguments& arguments, const Context& context, Report& report) {
    std::vector<std::string> names = arguments.request.patches;
    names.insert(names.begin(), arguments.request.source);
    if (const NamedKits named = kits_among(names, context); !named.kits.empty())
        return apply_kits(named, arguments, context, report);
    if (arguments.plan)
        throw Error(ErrorCode::usage, "--plan is for kits, and none is named").hint("leave it out, or name a kit");
    run_apply(request_from(arguments), arguments, context, report);
}

void run(const RenewArguments& arguments, const Context& context, Report& report) {
    if (!kits_among(arguments.request.patches, context).kits.empty()) return renew_kits(arguments, context, report);
    RenewPlan plan = plan_renewal(arguments.receipt, arguments.request.patches, context);
    const fs::path receipt = receipt_path(plan.request.output);
    path_fact(report, "by_receipt", "by receipt", receipt);
    if (plan.output_changed) report.warn("the file in place was no longer what had been made; it is kept as a backup");
    plan.request.allow_source = arguments.request.allow_source;
    plan.request.allow_target = arguments.request.allow_target;
    plan.request.allow_patch = arguments.request.allow_patch;
    run_apply(plan.request, {plan.request, {}, {}}, context, report);
}

}  // namespace hotstitch::cli
