// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "commands/common.h"
#include "commands/kit.h"
#include "hotstitch/apply.h"
#include "hotstitch/error.h"
#include "hotstitch/fit.h"
#include "hotstitch/patch_jobs.h"
#include "hotstitch/text.h"
#include "signals.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

namespace {

void conclude_misfit(const VerifiedFile& file, const KnownFile* needed, const std::string& name, Report& part) {
    const Diagnosis& diagnosis = *file.diagnosis;
    if (const Representation* const other = file.harmless_representation()) {
        const std::string words = words_for(*other);
        part.detail("reading", reading_json(*other));
        return part.good("fits", fmt::format("{}: fits, read {}.", name, words));
    }
    mismatch_facts(part, file.fit.mismatches);
    reason_facts(part, diagnosis);
    part.next(
        needed != nullptr && !diagnosis.reading
            ? fmt::format("look for {}: by the list, that is the file the patch was made for", escaped(needed->name))
            : escaped(words_for_next(diagnosis)));
    part.bad("does-not-fit", fmt::format("{}: does not fit.", name));
}

void own_checks_fact(const OwnChecks& own, Report& part) {
    const std::string text = words_for(own.answer, own.cover);
    part.fact("internal_checks", "internal checks", text, Json{{"code", code_of(own.answer)}, {"text", text}});
}

/// A patch without checks: what the ROM's own say of it.
void conclude_by_own_checks(const OwnChecks& own, const std::string& name, Report& part) {
    own_checks_fact(own, part);
    part.unsure("likely", fmt::format("{}: likely the right one, by the ROM's own checks.", name), ExitCode::yes);
}

void conclude_fit(const VerifiedFile& file, const std::string& name, Report& part) {
    const Fit& fit = file.fit;
    if (file.own_checks.speak_for_it()) return conclude_by_own_checks(file.own_checks, name, part);
    if (file.own_checks.answer != InternalChecks::not_asked) own_checks_fact(file.own_checks, part);
    if (fit.answer == FitAnswer::fits) return part.good("fits", fmt::format("{}: fits.", name));
    if (fit.answer == FitAnswer::already_patched)
        return part.good("already-patched", fmt::format("{}: already patched.", name));
    part.unchecked("whether it fits: the patch carries no checks, and none were given");
    part.next(
        "ask the patch's author for the source's checksum and pass it with --expect, or put PATCH.checks.json beside "
        "the patch");
    part.unsure("cannot-be-known", fmt::format("{}: cannot be known.", name), ExitCode::no);
}

/// What the patch reaches for beside what the file has: all the evidence a format without checks leaves.
void state_reach(const PatchReader& patch, std::uint64_t size, Report& part) {
    const PatchFacts& facts = patch.facts();
    part.fact("size", "size", size_text(size), size);
    if (facts.reach != 0 && !traits_of(facts.format).has_checks)
        part.fact("reach", "last write",
                  fmt::format("at offset {}, {}", offset_text(facts.reach - 1),
                              facts.reach > size ? "past the file's end" : "inside the file"),
                  facts.reach);
    if (facts.windows == 0 && traits_of(facts.format).has_windows)
        part.warn("the patch has no windows: it makes an empty file");
    part.fact("would_make", "would make", size_text(patch.target_size(size)), patch.target_size(size));
}

/// What every candidate is held against.
struct Wanted {
    const PatchReader& patch;
    const Checks& checks;
    const std::optional<KnownFiles>& known;
};

Report report_of(const VerifiedFile& file, const Wanted& wanted) {
    Report part("source");
    const Json names =
        file_json(file.from_archive ? fs::path(joined_address(file.name, escaped_part(file.path.filename().string())))
                                    : fs::path(file.error ? file.name : file.path.string()));
    part.detail("path", names["path"]);
    part.detail("part", names["part"]);
    if (file.error) return part.conclude(*file.error), part;
    state_reach(wanted.patch, file.size, part);
    known_fact(part, wanted.known, file.digests);
    warn_past_end(part, file.fit);
    if (file.opinion)
        part.warn(fmt::format("the patch was {} made for the file {}: {}", file.opinion->sure() ? "surely" : "perhaps",
                              words_for(file.opinion->reading), words_for(*file.opinion)));
    const std::string name = shown(file.path);
    if (!file.diagnosis) return conclude_fit(file, name, part), part;
    const Digests needed = joined(wanted.patch.facts().source, wanted.checks.source);
    conclude_misfit(file, wanted.known ? wanted.known->find(needed) : nullptr, name, part);
    return part;
}

/// Is `target` what the patch makes from `source`, byte for byte?
void verify_result(const PatchReader& patch, const InputFile& source, const InputFile& target, const Context& context,
                   Report& report) {
    const TargetComparison result = compare_with_target(patch, source, target, context.limits, context.progress);
    report.detail("same", result.same);
    if (result.same)
        return report.good("is-the-target", fmt::format("{} is what the patch makes from {}, byte for byte.",
                                                        shown(target.path()), shown(source.path())));
    report.fact("made_size", "patch makes", size_text(result.made_size), result.made_size);
    report.fact("target_size", "target has", size_text(target.size()), target.size());
    report.fact("first_difference", "first differs", "offset " + offset_text(result.first_difference),
                result.first_difference);
    report.bad("is-not-the-target",
               fmt::format("{} is not what the patch makes from {}.", shown(target.path()), shown(source.path())));
    report.next("the source may be another one than the target was made from, or the target was changed afterwards");
}

/// Without a source, only checks can tell: the patch's own, those beside it, or those of its windows.
void verify_by_checks(const PatchReader& patch, const InputFile& target, const Checks& checks, const Context& context,
                      Report& report) {
    const TargetChecks found = check_target(patch, target, checks, context.limits, context.progress);
    const std::string name = shown(target.path());
    if (found.by == TargetChecks::By::nothing) {
        report.unsure("cannot-be-known", fmt::format("{}: cannot be known without the source.", name), ExitCode::no);
        return report.next("name the source too", fmt::format("hotstitch verify PATCH SOURCE --target {}",
                                                              shell_file(target.path().string())));
    }
    mismatch_facts(report, found.mismatches);
    const char* const by = found.by == TargetChecks::By::windows ? "by the checks of its windows" : "by its checksums";
    if (found.same) return report.good("is-the-target", fmt::format("{} is what the patch makes, {}.", name, by));
    report.bad("is-not-the-target", fmt::format("{} is not what the patch makes, {}.", name, by));
}

void verify_many(const InputFile& patch, const Wanted& wanted, VerifyRequest request, const Context& context,
                 Report& report) {
    if (wanted.known) request.digests = available(wanted.known->choice());
    const std::vector<VerifiedFile> files = verify_files(patch, wanted.patch, wanted.checks, request, context);
    const bool any_fits = std::any_of(files.begin(), files.end(), [](const VerifiedFile& file) { return file.fits(); });
    std::size_t fitting = 0, likely = 0, patched = 0, passed_over = 0, open = 0;
    ExitCode worst = ExitCode::yes;
    for (const VerifiedFile& file : files) {
        Report part = report_of(file, wanted);
        fitting += part.answer() == "fits" ? 1 : 0;
        likely += part.answer() == "likely" ? 1 : 0;
        open += part.answer() == "cannot-be-known" ? 1 : 0;
        patched += part.answer() == "already-patched" ? 1 : 0;
        const bool misfit = part.exit_code() != ExitCode::yes;
        worst = std::max(worst, file.found && misfit ? ExitCode::no : part.exit_code());
        if (misfit && any_fits) part.forget_next();  // the file to take is there
        // Of what was only found in a folder, the misfits are counted and not told one by one.
        if (file.found && misfit)
            ++passed_over;
        else
            report.part("sources", std::move(part));
    }
    if (passed_over != 0)
        report.fact("others", "others",
                    fmt::format("{} in the folders do not fit", counted(passed_over, "file", "files")), passed_over);
    const std::string all = counted(files.size(), "file", "files");
    if (fitting + patched + likely != 0) {
        std::string sentence = files.size() == 1
                                   ? fmt::format("The file {}", fitting != 0   ? "fits"
                                                                : patched != 0 ? "is already patched"
                                                                               : "is likely the right one")
                                   : fmt::format("{} of {} {}", fitting, all, fitting == 1 ? "fits" : "fit");
        if (files.size() != 1 && fitting == 0 && likely != 0)
            sentence = fmt::format("{} of {} {} likely the right one", likely, all, likely == 1 ? "is" : "are");
        if (patched != 0 && files.size() != 1) sentence += fmt::format(", {} already patched", patched);
        if (fitting + patched == 0) return report.unsure("likely", sentence + ".", ExitCode::yes);
        return report.good(fitting != 0 ? "fits" : "already-patched", sentence + ".");
    }
    if (open == files.size() || (open != 0 && open + passed_over == files.size()))
        return report.unsure("cannot-be-known",
                             files.size() == 1 ? std::string("Whether the file fits cannot be known.")
                                               : fmt::format("Which of {} fits cannot be known.", all),
                             worst);
    report.bad("none-fits",
               files.size() == 1 ? std::string("The file does not fit.") : fmt::format("None of {} fits.", all), worst);
}

bool is_patch(const ReceiptStep& done) {
    return done.read && (done.step.is<step::Patch>() || done.step.is<step::Edit>());
}

/// A large file that was changed where it lies has no receipt: its way back tells as much. False: it has none.
bool verify_by_journal(const fs::path& file, Report& report) {
    std::error_code code;
    if (!fs::is_regular_file(file, code)) return false;
    check_finished(file);
    const std::optional<Journal> journal = journal_of(file);
    if (!journal) return false;
    path_fact(report, "journal", "way back", journal->path);
    Json done = Json::array();
    for (const std::string& one : journal->what) done.push_back(as_utf8(one));
    for (const std::string& one : journal->what) report.fact("done", "done", escaped(one), done);
    report.good("as-made", fmt::format("{} is still what was made, where that wrote.", shown(file)));
    return true;
}

void verify_receipt(const std::string& name, const Context& context, Report& report) {
    const fs::path file = file_of_receipt(name);
    const std::optional<Receipt> found = receipt_of(file);
    if (!found && verify_by_journal(file, report)) return;
    const Receipt receipt = found ? *found : read_receipt(receipt_path(file));  // which throws
    std::error_code code;
    if (fs::exists(receipt_path(file), code)) path_fact(report, "receipt", "receipt", receipt_path(file));
    report.fact("made_at", "made", escaped(receipt.time), as_utf8(receipt.time));
    const auto name_of = [](const ReceiptFile& f) {
        return f.path.empty() ? "what came through a pipe" : escaped(f.path);
    };
    Json made_by = Json::array(), steps = Json::array();
    for (const ReceiptKit& kit : receipt.kits) made_by.push_back(file_json(kit.file.path, kit.file.digests));
    for (const ReceiptKit& kit : receipt.kits)
        report.fact("made_by", "by the kit", escaped(kit.name + (kit.version.empty() ? "" : " " + kit.version)),
                    made_by);
    for (const ReceiptSource& source : receipt.sources) {
        const bool named = !source.edition.empty() && source.edition != "only";
        const ReceiptFile& first = receipt.source().file;
        report.fact("made_of", "of", name_of(source.file) + (named ? ", " + escaped(source.edition) : ""),
                    file_json(first.path, first.digests));
    }
    if (!receipt.part.empty()) report.fact("part", "changed part", escaped(receipt.part), as_utf8(receipt.part));
    for (const ReceiptStep& done : receipt.steps) {
        if (done.read) made_by.push_back(file_json(done.read->path, done.read->digests));
        if (!is_patch(done)) steps.push_back(as_utf8(words_for(done.step)));
    }
    for (const ReceiptStep& done : receipt.steps)
        is_patch(done) ? report.fact("made_by", "by", name_of(*done.read), made_by)
                       : report.fact("done", "done", escaped(words_for(done.step)), steps);
    const bool by_kits = !receipt.kits.empty();
    const std::vector<std::string> wrong = not_as_made(receipt, file, context);
    if (wrong.empty()) return report.good("as-made", fmt::format("{} is still what was made.", shown(file)));
    const auto mismatches =
        by_kits ? std::vector<DigestMismatch>() : compare_file(file, receipt.target().file.digests, context.progress);
    mismatch_facts(report, mismatches);
    if (mismatches.empty()) {
        std::vector<std::string> lines(wrong.size());
        std::transform(wrong.begin(), wrong.end(), lines.begin(), [](const std::string& one) { return escaped(one); });
        report.list("found", "found", lines, 8, Json(lines));
    }
    if (mismatches.empty() && !by_kits)
        return report.bad("not-as-made", fmt::format("What was made beside {} is no longer as it was.", shown(file)));
    if (!by_kits && compare_file(file, receipt.source().file.digests, context.progress).empty())
        report.fact("is_source", "found", "the file is the source again: something has restored it", true);
    if (!by_kits)
        report.next("to make it again, with the patch",
                    fmt::format("hotstitch renew {} PATCH", shell_file(receipt_path(file).string())));
    report.bad("not-as-made", fmt::format("{} is no longer what was made.", shown(file)));
}

}  // namespace

void run(const VerifyArguments& arguments, const Context& context, Report& report) {
    if (!arguments.receipt.empty()) return verify_receipt(arguments.receipt, context, report);
    std::vector<std::string> sources = arguments.request.files;
    std::string patch_name = arguments.patch;
    if (arguments.patch.empty())
        throw Error(ErrorCode::usage, "the patch to verify is not named")
            .hint("hotstitch verify PATCH SOURCE, or --receipt FILE for what was made");
    std::vector<std::string> names = sources;
    names.push_back(patch_name);
    if (const NamedKits named = kits_among(names, context); !named.kits.empty())
        return verify_kits(named, context, report);
    if (sources.empty() && arguments.target.empty())
        throw Error(ErrorCode::usage, "there is nothing to verify the patch against")
            .hint("name a SOURCE, or --target FILE");
    if (!arguments.target.empty() && sources.size() > 1)
        throw Error(ErrorCode::usage, "--target takes one SOURCE at most")
            .hint("verify the others in calls of their own");
    std::error_code code;
    const bool one_file = sources.size() == 1 && !std::filesystem::is_directory(sources[0], code);
    const bool folder = std::filesystem::is_directory(patch_name, code);
    std::optional<InputFile> source;  // of several patches, the one for it is meant
    if (one_file && sources[0] != "-") source.emplace(open_file(sources[0], context));
    if (source && !folder && patch_name != "-" && are_swapped(*source, open_file(patch_name, context))) {
        std::swap(sources[0], patch_name);
        source.emplace(open_file(sources[0], context));
        warn_of_swap(report);
    }
    const PatchInput patch = open_patch_input(patch_name, context, source ? &*source : nullptr);
    state_patch(patch, report);
    const InputFile& file = patch.file;
    const Checks checks = joined_checks(patch.found, arguments.expected);
    for (const DigestMismatch& m : compare(checks.patch, digest(file, choice_for(checks.patch))))
        throw patch_is_another(m);

    if (!arguments.target.empty()) {
        const InputFile target = open_file(arguments.target, context);
        if (sources.empty()) return verify_by_checks(*patch.reader, target, checks, context, report);
        return verify_result(*patch.reader, open_file(sources.front(), context), target, context, report);
    }
    const std::optional<KnownFiles> known = read_known(arguments.known, context);
    needed_fact(report, known, joined(patch.reader->facts().source, checks.source));
    VerifyRequest request = arguments.request;
    request.files = std::move(sources);
    verify_many(file, {*patch.reader, checks, known}, std::move(request), context, report);
}

}  // namespace hotstitch::cli
