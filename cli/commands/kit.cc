// SPDX-License-Identifier: MIT
// Kits: where a patch may stand, so may they; and what only kits have.
#include "commands/kit.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "hotstitch/kit_jobs.h"
#include "hotstitch/summary.h"
#include "hotstitch/text.h"
#include "hotstitch/transaction.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

namespace {

std::string title_of(const Kit& kit) {
    return escaped(kit.name) + (kit.version.empty() ? "" : " " + escaped(kit.version));
}

std::string titles_of(const KitJob& job) {
    std::string all;
    for (const KitInput& kit : job.kits()) all += (all.empty() ? "" : " and ") + title_of(kit.kit());
    return all;
}

void state_kits(const KitJob& job, Report& report) {
    std::vector<const KitInput*> kits;
    for (const KitInput& kit : job.kits()) kits.push_back(&kit);
    kit_fact(report, kits);
    bases_fact(report, job.bases());
}

void state_made(const KitJob& job, Report& report) {
    const KitResult& result = job.result();
    made_facts(report, result);
    for (const DigestMismatch& m : result.overridden)
        report.warn(fmt::format("went on although {} is {} where {} was wanted (--allow)", m.name, m.found, m.wanted));
    const bool stood =
        std::all_of(result.made.begin(), result.made.end(), [](const auto& m) { return m.stood_already; });
    const std::string what =
        result.made.size() == 1 ? shown(result.made.front().path) : counted(result.made.size(), "output", "outputs");
    const bool checked = std::any_of(result.made.begin(), result.made.end(), [](const auto& m) { return m.checked; });
    if (stood)
        return report.good("made", fmt::format("{} {} there already, the same bytes: {}.", what,
                                               result.made.size() == 1 ? "stood" : "stand", titles_of(job)));
    const bool unchecked =
        std::any_of(result.made.begin(), result.made.end(), [](const auto& m) { return m.from_base && !m.checked; });
    if (unchecked) report.unchecked("what comes out of the base: the kit names no checksum of it");
    for (const KitInput& kit : job.kits()) {
        const std::string readme = kit.is_folder()
                                       ? (kit.path() / kit.kit().readme).string()
                                       : joined_address(kit.path().string(), escaped_part(kit.kit().readme));
        if (kit.is_folder())
            report.next(fmt::format("read {}", escaped(readme)));
        else
            report.next(fmt::format("read what the maker of {} says", title_of(kit.kit())),
                        fmt::format("hotstitch take {} -o -", shell_file(readme)));
    }
    report.conclude(result.overridden.empty() ? Mood::good : Mood::unsure, "made",
                    fmt::format("Made {}: {}{}.", what, titles_of(job), checked ? "; all is as the kit says" : ""),
                    ExitCode::yes);
}

}  // namespace

NamedKits kits_among(const std::vector<std::string>& names, const Context& context) {
    NamedKits all;
    for (const std::string& name : names) (is_kit(name, context) ? all.kits : all.others).push_back(name);
    return all;
}

void apply_kits(const NamedKits& named, const ApplyArguments& arguments, const Context& context, Report& report) {
    KitRequest request;
    request.kits = named.kits, request.given = named.others;
    const Recipe& asked = arguments.recipe;
    const Destination& place = asked.to;
    if (!place.as.empty() || !place.name_like.empty() || place.with_sheet || asked.as_is || place.keep_representation ||
        arguments.mend || place.reverse || !asked.expected.empty() || asked.allow_source || asked.allow_patch ||
        arguments.room != Room::any || !arguments.known.empty())
        throw Error(ErrorCode::usage, "an option of this call is for patches, and a kit says such things itself")
            .wanted(
                "of apply's options, a kit takes -o, --in-place, --replace, --no-backup, --plan, --no-receipt, "
                "--allow target and --then")
            .hint("leave the others out");
    if (place.file == "-")
        throw Error(ErrorCode::usage, "what a kit makes has names of its own, and does not go to standard output")
            .hint("name a folder with -o FOLDER/");
    request.output = place.file;
    request.in_place = place.in_place;
    request.replace = arguments.flags.mode(request.in_place);
    request.receipt = place.receipt;
    request.digests = place.digests;
    request.allow_target = asked.allow_target;
    run_kits(std::move(request), arguments.plan, context, report);
}

void run_kits(KitRequest request, bool only_plan, const Context& context, Report& report) {
    KitJob job(std::move(request), context);
    job.open();
    state_kits(job, report);
    const KitPlan& plan = job.plan();
    if (only_plan) {
        plan_facts(report, plan);
        job.refuse_conflicts();
        report.detail("made", false);
        return report.good("planned", fmt::format("{} can be made of this. Nothing was written.", titles_of(job)));
    }
    report.detail("made", false);
    if (const auto& refusal = job.run().refusal) throw Error(*refusal);
    report.detail("made", true);
    state_made(job, report);
}

void verify_kits(const NamedKits& named, const Context& context, Report& report) {
    KitRequest request;
    request.kits = named.kits, request.given = named.others;
    KitJob job(std::move(request), context);
    job.open();
    state_kits(job, report);
    plan_facts(report, job.plan());
    job.refuse_conflicts();
    const bool folders = std::any_of(job.bases().begin(), job.bases().end(), [](const auto& of_kit) {
        return std::any_of(of_kit.begin(), of_kit.end(), [](const KitBaseFound& one) { return one && !one.file; });
    });
    if (folders) job.try_steps();  // a folder is known by some of its files, and the steps may read others
    report.good("fits", fmt::format("The {}: {}.", named.kits.size() == 1 ? "kit fits" : "kits fit, and go together",
                                    titles_of(job)));
}

void renew_kits(const RenewArguments& arguments, const Context& context, Report& report) {
    KitRequest request = plan_kit_renewal(arguments.receipt, arguments.patches);
    if (arguments.replace) request.replace = Replace::keep_backup;
    run_kits(std::move(request), false, context, report);
}

namespace {

void check(const KitArguments& arguments, const Context& context, Report& report) {
    const KitInput kit(arguments.kit, context);
    kit_fact(report, {&kit});
    std::vector<std::string> unused;
    const std::vector<std::string> wrong = check_kit(kit, &unused);
    report.detail("made", false);
    if (!unused.empty()) {
        std::vector<std::string> lines(unused.size());
        std::transform(unused.begin(), unused.end(), lines.begin(),
                       [](const std::string& one) { return escaped(one); });
        report.list("unused", "named nowhere", lines, 8, Json(unused));
    }
    if (!wrong.empty()) {
        std::string all;
        for (const std::string& one : wrong) all += (all.empty() ? "" : "\n") + one;
        throw Error(ErrorCode::damaged,
                    fmt::format("the kit is not right: {}", counted(wrong.size(), "mistake", "mistakes")))
            .in("kit")
            .found(all);
    }
    if (!arguments.bases.empty()) {
        const auto found = find_kit_bases(kit.kit(), arguments.bases, context);
        bases_fact(report, {found});
        shared_fact(report, count_kit_shared(kit, found, context));
    }
    report.good("right", fmt::format("{} is right: {}, {}, {}.", title_of(kit.kit()),
                                     counted(kit.kit().bases.size(), "base", "bases"),
                                     counted(kit.kit().steps.size(), "step", "steps"),
                                     counted(kit.kit().outputs.size(), "output", "outputs")));
}

void pack(const KitArguments& arguments, const Context& context, Report& report) {
    const KitInput kit(arguments.kit, context);
    kit_fact(report, {&kit});
    if (const std::vector<std::string> wrong = check_kit(kit); !wrong.empty())
        throw Error(ErrorCode::damaged, fmt::format("the kit is not right: {}", wrong.front()))
            .hint("hotstitch kit check says all that is wrong");
    report.detail("made", false);
    if (arguments.output == "-") {
        ScratchFile packed;
        pack_kit(kit, packed);
        file_fact(report, "packed", "-", digest(WrittenSource(packed), {}));
        packed.copy_to(STDOUT_FILENO, context.progress);
        report.detail("made", true);
        return report.good("made", "Made standard output.");
    }
    const fs::path beside = kit.is_folder() ? with_own_name(kit.path()).concat(kit_extension)
                                            : fs::path(kit.path()).replace_extension(kit_extension);
    Digests digests;
    const auto write = [&](ByteSink& out) {
        pack_kit(kit, out);
        digests = digest(WrittenSource(out), {});
    };
    const WrittenFile written =
        write_file(output_path(arguments.output, beside), {.replace = arguments.flags.mode()}, write, context.progress);
    report.detail("made", !written.stood_already);
    file_fact(report, "packed", written.path, digests);
    path_fact(report, "backup", "backup", written.backup);
    report.output_is(written.path.string());
    report.good("made", fmt::format("{} {}.", written.stood_already ? "There already, the same bytes:" : "Made",
                                    shown(written.path)));
}

}  // namespace

void run(const KitArguments& arguments, const Context& context, Report& report) {
    if (!is_kit(arguments.kit, context) && !fs::exists(arguments.kit))
        throw Error(ErrorCode::io, fmt::format("there is no {}", arguments.kit));
    arguments.action == "pack" ? pack(arguments, context, report) : check(arguments, context, report);
}

}  // namespace hotstitch::cli
