// SPDX-License-Identifier: MIT

#include <fmt/format.h>
#include <unistd.h>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "hotstitch/patch_jobs.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

namespace {

void state_demands(const PatchDemands& demands, bool ips, Report& report) {
    std::string list;
    const auto add = [&](bool wanted, std::string_view text) {
        if (wanted) list += fmt::format("{}{}", list.empty() ? "" : ", ", text);
    };
    add(demands.grows, "grows the file");
    add(demands.cuts, "cuts the file shorter");
    add(demands.past_16_mib, "writes past 16 MiB");
    report.detail("demands",
                  Json{{"grows", demands.grows}, {"cuts", demands.cuts}, {"past_16_mib", demands.past_16_mib}});
    if (ips && demands.any()) report.warn(fmt::format("the patch {}, which some old IPS appliers get wrong", list));
}

/// For --verbose.
void note_matching(const MatchFacts& matching, Report& report) {
    if (matching.index_step == 0) return report.note("matching: the source needed no index");
    report.note(fmt::format("matching: {} of the source in an index of {}, {}",
                            matching.index_step == 1 ? "each place" : fmt::format("1 place in {}", matching.index_step),
                            size_text(matching.index_memory), counted(matching.threads, "thread", "threads")));
}

void state_patch(const CreateResult& created, Report& report) {
    const PatchFacts& facts = created.report.facts;
    const bool vcdiff = traits_of(facts.format).has_windows;
    const bool has_checks =
        traits_of(facts.format).has_checks || (facts.windows != 0 && facts.checked_windows == facts.windows);
    if (vcdiff)
        report.fact("compression", "sections",
                    facts.compressor.empty() ? "plain" : fmt::format("{}-compressed", facts.compressor),
                    facts.compressor.empty() ? Json(nullptr) : Json(facts.compressor));
    file_fact(report, "patch", created.path.empty() ? fs::path("-") : created.path, {.size = facts.patch_size},
              patch_text(facts));
    if (created.backup) report.fact("backup", "backup", shown(*created.backup), as_utf8(created.backup->string()));
    if (created.checks) report.fact("checks_file", "checks", shown(*created.checks), as_utf8(created.checks->string()));
    if (created.shared) shared_fact(report, *created.shared);
    report.fact("checked", "checked", "applied to the source, it makes the target, byte for byte",
                Json::array({"result"}));
    if (created.report.matching.threads != 0) note_matching(created.report.matching, report);
    state_demands(created.report.demands, !has_checks && !vcdiff, report);
    if (!has_checks && !created.checks)
        report.next(
            "publish the source's checksum with the patch, or add --checks: the format itself cannot tell a wrong "
            "source");
}

CreateRequest request_from(const CreateArguments& arguments, const Context& context) {
    if (arguments.names && !arguments.metadata.empty())
        throw Error(ErrorCode::usage, "--names and --metadata want the same place in the patch");
    if (arguments.source == "-" && arguments.target == "-")
        throw Error(ErrorCode::usage, "source and target cannot both come from standard input");
    if (arguments.output.path == "-" && arguments.checks)
        throw Error(ErrorCode::usage, "--checks writes a file beside the patch, so the patch needs a name")
            .hint("use -o PATH");
    if (arguments.target == "-" && arguments.output.path.empty())
        throw Error(ErrorCode::usage, "with the target from standard input, the output has to be named")
            .hint("add -o PATH");
    CreateRequest request{.source = arguments.source,
                          .target = arguments.target,
                          .output = arguments.output.path,
                          .format = arguments.format,
                          .replace = replace_mode(arguments.output),
                          .checks = arguments.checks,
                          .names = arguments.names,
                          // Not for the verdict alone: beside much new data it takes longer than the patch.
                          .count_shared = !context.common.quiet || context.common.json,
                          .effort = arguments.effort,
                          .memory = arguments.memory,
                          .vcdiff = arguments.vcdiff};
    if (arguments.names && !traits_of(format_for(request)).has_windows)
        throw Error(ErrorCode::usage, "--names is for vcdiff patches only")
            .hint("add --format vcdiff, or leave out --names");
    if (!arguments.metadata.empty()) {
        const InputFile metadata(arguments.metadata, context.limits, context.progress);
        request.metadata.assign(metadata.bytes().begin(), metadata.bytes().end());
    }
    return request;
}

}  // namespace

void run(const CreateArguments& arguments, const Context& context, Report& report) {
    CreateJob job(request_from(arguments, context), context);
    job.open();
    if (!job.archive().empty()) {
        const bool is_source = job.source().is_unpacked();
        report.warn(
            fmt::format("{} was taken out of the archive {}; to compare the archive itself, unpack or pack both",
                        shown((is_source ? job.source() : job.target()).path().filename()), shown(job.archive())));
    }
    file_fact(report, "source", job.source().path(), {.size = job.source().size()});
    file_fact(report, "target", job.target().path(), {.size = job.target().size()});
    const bool to_stream = arguments.output.path == "-";
    std::optional<ScratchFile> scratch;
    if (to_stream) scratch.emplace();
    const CreateResult created = to_stream ? job.run(*scratch) : job.run();
    if (to_stream) scratch->copy_to(STDOUT_FILENO, context.progress);
    if (created.outgrown)
        report.warn(fmt::format("chose {}, because {}; not every applier knows it",
                                traits_of(created.report.facts.format).name, created.outgrown->what()));
    state_patch(created, report);
    if (created.report.changes_nothing) report.warn("source and target are the same: the patch changes nothing");
    if (created.stood_already) return conclude_made_already(created.path, report);
    report.conclude(
        Mood::good, "made",
        fmt::format("Made {}: it makes the target.", to_stream ? "the patch on standard output" : shown(created.path)),
        ExitCode::yes);
}

}  // namespace hotstitch::cli
