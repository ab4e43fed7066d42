// SPDX-License-Identifier: MIT
#include <unistd.h>

#include <algorithm>

#include <fmt/format.h>

#include "changing.h"
#include "commands/common.h"
#include "commands/kit.h"
#include "hotstitch/error.h"
#include "hotstitch/job.h"
#include "hotstitch/text.h"

namespace hotstitch::cli {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t steps_shown = 24;

Recipe recipe_from(const ApplyArguments& arguments) {
    const std::vector<std::string>& patches = arguments.patches;
    Recipe recipe = arguments.recipe;
    Destination& place = recipe.to;
    const auto dashes = std::count(patches.begin(), patches.end(), "-") + (recipe.base == "-" ? 1 : 0);
    if (dashes > 1)
        throw Error(ErrorCode::usage, "only one of source and patches can come from standard input")
            .hint("save the others as files, and name those");
    if (place.in_place && !place.file.empty())
        throw Error(ErrorCode::usage, "--in-place and --output contradict each other").hint("keep one of them");
    if (place.in_place && recipe.base == "-")
        throw Error(ErrorCode::usage, "standard input cannot be replaced in place").hint("name an output with -o");
    if (dashes != 0 && place.file.empty())
        throw Error(ErrorCode::usage, "with standard input as an input, the output has to be named")
            .hint("add -o PATH, or -o - for standard output");
    for (std::size_t i = 1; i < patches.size(); ++i) {
        std::error_code code;
        const std::string& name = patches[i];
        if (name != "-" && !fs::exists(name, code) && !address_of(name).names_part() && place.file.empty())
            throw Error(ErrorCode::io, fmt::format("cannot open {}: No such file or directory", name))
                .hint(fmt::format("if that is to be the output: -o {}", shell_file(name)));
    }
    recipe.steps.reserve(patches.size());
    for (const std::string& patch : patches) recipe.steps.push_back({.does = step::Patch{patch, arguments.room}});
    if (arguments.mend) recipe.mend = true;
    place.replace = arguments.flags.mode(place.in_place);
    return recipe;
}

void state_inputs(const Job& job, const std::string& named, Report& report) {
    std::error_code code;
    if (fs::is_directory(named, code))
        report.note(
            fmt::format("of the files in {}, {} is the one that fits", escaped(named), escaped(job.recipe().base)));
    if (job.outcome().swapped) warn_of_swap(report);
    state_source(job.source(), job.outcome().archive, report);
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

void state_internal_checks(const Outcome& result, Report& report) {
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

void state_made(const Job& job, const fs::path& path, const std::string& place, Report& report) {
    const Outcome& result = job.outcome();
    const std::vector<ApplyStage>& stages = job.stages();
    state_internal_checks(result, report);
    if (result.output)
        report.fact("patch_makes", "patch makes",
                    fmt::format("{}, crc32 {}", size_text(*result.patched.size), result.patched.crc32->hex()),
                    json_of(result.patched));
    for (const StepReport& step : result.steps)
        if (const auto* const put = std::get_if<PutReport>(&step.did))
            report.fact("put", "put back", words_for_put(*put),
                        Json{{"part", as_utf8(put->address)}, {"how", put->how}});
    output_fact(report, result.output.value_or(result.patched), path);
    for (const ApplyStage& stage : stages)
        state_stage(stage, &stage == &stages.front(), &stage == &stages.back(), report);
    const bool certain = std::all_of(stages.begin(), stages.end(), [](const auto& s) { return s.certain(); });
    std::string how = words_for(stages, result.internal_checks);
    if (result.internal_checks == InternalChecks::mended) how += "; then the ROM's own checks were mended";
    report.conclude(certain ? Mood::good : Mood::unsure, "made", fmt::format("Made {}: {}.", place, how),
                    ExitCode::yes);
}

void state_already_patched(const Job& job, const ApplyArguments& arguments, Report& report) {
    report.good("already-patched", "Already patched: the file given is what the patch makes. Nothing was made.");
    report.detail("made", false);
    if (traits_of(job.stages().front().reader->facts().format).reversible)
        return report.next("to go back to the original",
                           fmt::format("hotstitch undo {} {}", shell_file(arguments.recipe.base),
                                       shell_file(arguments.patches.front())));
    report.next(
        "to start from the original, look for the file from before; to make a copy all the same, name it with -o");
}

/// Which patch of several it was that could not be applied.
void state_stop(const Job& job, Report& report) {
    const std::size_t number = job.outcome().stopped_at, all = job.stages().size();
    if (number == 0 || all < 2) return;
    report.fact("stage", "stopped at",
                fmt::format("patch {} of {}, {}", number, all, shown(job.stages()[number - 1].file.path())), number);
}

/// The right one may lie beside the wrong one, or beside the patch.
bool state_what_fits(const Job& job, const ApplyStage& stage, const Context& context, Report& report) {
    if (job.outcome().stopped_at != 1 || job.source().is_unpacked()) return false;
    bool any = false;
    std::vector<fs::path> folders{job.source().path().parent_path()};
    const fs::path by_patch = stage.file.path().parent_path();
    std::error_code code;
    const auto here = [](const fs::path& folder) { return folder.empty() ? fs::path(".") : folder; };
    if (!stage.file.is_unpacked() && !fs::equivalent(here(folders.front()), here(by_patch), code))
        folders.push_back(by_patch);
    for (const fs::path& folder : folders)
        for (const FoundGame& found : games_in(folder, stage, context, Look::here)) {
            std::string call = fmt::format("hotstitch apply {}", shell_file(found.address));
            for (const Step& step : job.recipe().steps)
                if (const std::string* const file = file_of(step.does)) call += " " + shell_file(*file);
            report.next(fmt::format("{}, beside it, fits", escaped(found.address)), call);
            any = true;
        }
    return any;
}

[[noreturn]] void refuse_source(const Job& job, const ApplyArguments& arguments, const Context& context,
                                Report& report) {
    const Outcome& result = job.outcome();
    const ApplyStage& stage = job.stages()[result.stopped_at - 1];
    reason_facts(report, *result.diagnosis);
    const auto known = read_known(arguments.known, context);
    known_fact(report, known, job.source(), std::nullopt, context);
    const Checks checks = joined_checks(stage.found, result.stopped_at == 1 ? arguments.recipe.expected : Digests{});
    needed_fact(report, known, joined(stage.reader->facts().source, checks.source));
    state_stop(job, report);
    if (result.by_plausibility) report.next("if you are sure that it is the right one, add --allow source");
    const bool fits_beside = state_what_fits(job, stage, context, report);
    const Error& refusal = *result.refusal;  // its offset is one of the target, which nobody has
    throw Error(refusal.code(), refusal.what())
        .in(refusal.field())
        .wanted(refusal.wanted())
        .found(refusal.found())
        .hint(fits_beside ? ""
              : stage.representation && stage.representation->harmless()
                  ? "leave out --as-is: read so, the file is the right one"
                  : escaped(words_for_next(*result.diagnosis)));
}

void state_delivery(const Job& job, const ApplyArguments& arguments, Report& report) {
    const Delivered& delivered = job.outcome().delivered;
    state_made(job, delivered.output, shown(delivered.output), report);
    state_way_back(delivered, report);
    if (delivered.other_names != 0) report.warn(words_for_other_names(delivered.other_names));
    if (delivered.stood_already) conclude_made_already(delivered.output, report);
    if (const auto& tracks = job.outcome().left_out; !tracks.empty())
        report.warn(fmt::format(
            "the output is a plain image, without {} of the disc; to keep them, name a sheet: -o {}",
            fmt::join(tracks, ", "), shell_file(fs::path(delivered.output).replace_extension(".cue").string())));
    for (const CompanionSet& set : job.outcome().companions)
        report.next(
            fmt::format("{} go by the name \"{}\"; if they belong to this game, give the output that name "
                        "with --name-like {}",
                        counted(set.files, "file", "files"), escaped(set.stem), shell_word(set.example.string())));
    // Where tracks are left out, the sheet that is advised above names all of them.
    for (const SheetBeside& sheet : job.outcome().cue_sheets)
        if (job.outcome().left_out.empty())
            report.next(
                fmt::format("{} names \"{}\", and so not the output: write the output's name into its FILE line, or "
                            "let the same call write a sheet with --with-sheet",
                            shown(sheet.path), escaped(sheet.names)));
    if (arguments.recipe.to.in_place || !arguments.recipe.to.file.empty()) return;
    if (delivered.output.parent_path().filename() != "patched") return;
    // For programs that only start from their own place.
    std::string call = fmt::format("hotstitch apply --in-place {}", shell_file(arguments.recipe.base));
    for (const std::string& patch : arguments.patches) call += fmt::format(" {}", shell_file(patch));
    report.next("to use it, put it where the program looks, or run", call);
}

void state_doubt(const Outcome& result, const ApplyArguments& arguments, Report& report) {
    if (!result.doubt) return;
    const Representation& other = result.doubt->reading;
    report.warn(
        fmt::format("the patch was perhaps made for the file {}: {}", words_for(other), words_for(*result.doubt)));
    const std::string file = shell_file(arguments.recipe.base);
    const std::string call =
        other.kind == RepresentationKind::without_front_header ? fmt::format("header strip {}", file)
        : other.kind == RepresentationKind::with_front_header  ? fmt::format("header attach {}", file)
        : other.kind == RepresentationKind::de_interleaved     ? fmt::format("mend {} de-interleave", file)
                                                               : fmt::format("mend {} byte-order", file);
    report.next("if the result misbehaves, undo it, and apply the patch to what this makes",
                fmt::format("hotstitch {} -o OUTPUT", call));
}

}  // namespace

void run_apply(Job& job, bool to_stream, const ApplyArguments& arguments, const Context& context, Report& report) {
    try {
        if (job.stages().empty()) job.open();
    } catch (const Error&) {
        std::vector<const PatchInput*> unread;
        for (const ApplyStage& stage : job.stages())
            if (!stage.reader) unread.push_back(&stage);
        if (!unread.empty()) state_patches(unread, report);
        throw;
    }
    state_inputs(job, arguments.recipe.base, report);
    std::optional<ScratchFile> scratch;
    if (to_stream) scratch.emplace();
    try {
        scratch ? job.run(*scratch) : job.run();
    } catch (const Error&) {
        state_stop(job, report);
        throw;
    }
    switch (job.outcome().answer) {
        case Answer::wrong_source: refuse_source(job, arguments, context, report);
        case Answer::already_patched: return state_already_patched(job, arguments, report);
        case Answer::made:
        case Answer::made_already:
        case Answer::unchanged:
        case Answer::conflict: break;
    }
    state_doubt(job.outcome(), arguments, report);
    if (!scratch) return state_delivery(job, arguments, report);
    scratch->copy_to(STDOUT_FILENO, context.progress);
    state_made(job, "-", "standard output", report);
}

void run(const ApplyArguments& arguments, const Context& context, Report& report) {
    std::vector<std::string> names = arguments.patches;
    names.insert(names.begin(), arguments.recipe.base);
    if (const NamedKits named = kits_among(names, context); !named.kits.empty())
        return apply_kits(named, arguments, context, report);
    if (arguments.plan)
        throw Error(ErrorCode::usage, "--plan is for kits, and none is named").hint("leave it out, or name a kit");
    Job job(recipe_from(arguments), context);
    run_apply(job, arguments.recipe.to.file == "-", arguments, context, report);
}

void run(const RenewArguments& arguments, const Context& context, Report& report) {
    if (!kits_among(arguments.patches, context).kits.empty()) return renew_kits(arguments, context, report);
    if (const auto by_kits = receipt_of(arguments.receipt);
        by_kits && !by_kits->kits.empty() && arguments.patches.empty())
        throw Error(ErrorCode::usage, "no newer kit is named").hint("name it behind the receipt");
    RenewPlan plan = plan_renewal(arguments.receipt, arguments.patches, context);
    const fs::path receipt = receipt_path(plan.recipe.to.file);
    path_fact(report, "by_receipt", "by receipt", receipt);
    if (plan.output_changed) report.warn("the file in place was no longer what had been made; it is kept as a backup");
    plan.recipe.allow_source = arguments.recipe.allow_source;
    plan.recipe.allow_target = arguments.recipe.allow_target;
    plan.recipe.allow_patch = arguments.recipe.allow_patch;
    Job job(plan.recipe, context, plan.renews);
    ApplyArguments again;
    again.recipe = plan.recipe;
    for (const Step& step : plan.recipe.steps)
        if (const std::string* const file = file_of(step.does)) again.patches.push_back(*file);
    job.open();
    if (!job.stages().empty()) return run_apply(job, false, again, context, report);
    file_fact(report, "source", job.file().path(), {.size = job.file().size()});
    if (!job.inside().empty()) report.fact("part", "part", escaped(job.inside()), as_utf8(job.inside()));
    std::vector<std::string> lines;
    for (const StepReport& step : job.plan()) {
        const auto* const put = std::get_if<PutReport>(&step.did);
        lines.push_back(put != nullptr ? words_for_put(*put) : escaped(words_for(step.step)));
    }
    report.list("done", "done", lines, steps_shown, Json(lines));
    if (const auto place = finish_change(job, {"unchanged", "The steps change nothing."}, context, report))
        report.good("made",
                    fmt::format("Made {} again: {}.", *place, counted(plan.recipe.steps.size(), "step", "steps")));
}

}  // namespace hotstitch::cli
