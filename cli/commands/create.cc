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
    report.detail("demands",
                  Json{{"grows", demands.grows}, {"cuts", demands.cuts}, {"past_16_mib", demands.past_16_mib}});
    if (ips && demands.any())
        report.warn(fmt::format("the patch {}, which some old IPS appliers get wrong", words_for(demands)));
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
    const bool has_checks = traits_of(facts.format).has_checks || facts.source.has_checksum() ||
                            (facts.windows != 0 && facts.checked_windows == facts.windows);
    if (vcdiff)
        report.fact("compression", "sections",
                    facts.compressor.empty() ? "plain" : fmt::format("{}-compressed", facts.compressor),
                    facts.compressor.empty() ? Json(nullptr) : Json(facts.compressor));
    file_fact(report, "patch", created.path.empty() ? fs::path("-") : created.path, {.size = facts.patch_size},
              words_for(facts));
    path_fact(report, "backup", "backup", created.backup);
    path_fact(report, "checks_file", "checks", created.checks);
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
    CreateRequest request = arguments.request;
    if (request.names && !arguments.metadata.empty())
        throw Error(ErrorCode::usage, "--names and --metadata want the same place in the patch")
            .hint("keep one of them");
    if (request.source == "-" && request.target == "-")
        throw Error(ErrorCode::usage, "source and target cannot both come from standard input")
            .hint("save one of them as a file, and name that");
    if (request.output == "-" && request.checks)
        throw Error(ErrorCode::usage, "--checks writes a file beside the patch, so the patch needs a name")
            .hint("use -o PATH");
    if (request.target == "-" && request.output.empty())
        throw Error(ErrorCode::usage, "with the target from standard input, the output has to be named")
            .hint("add -o PATH");
    request.replace = arguments.flags.mode();
    // Not for the verdict alone: beside much new data it takes longer than the patch.
    request.count_shared = !context.common.quiet || context.common.json;
    if (request.names && !traits_of(format_for(request)).has_windows)
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
    const bool to_stream = arguments.request.output == "-";
    const CreateResult created =
        through_stream(arguments.request.output, context, [&](auto&... sink) { return job.run(sink...); });
    if (created.outgrown)
        report.warn(fmt::format("chose {}, because {}; not every applier knows it",
                                traits_of(created.report.facts.format).name, created.outgrown->what()));
    state_patch(created, report);
    warn_of_extension(report, created.path, created.report.facts.format);
    if (created.report.changes_nothing) report.warn("source and target are the same: the patch changes nothing");
    if (created.stood_already) return conclude_made_already(created.path, report);
    report.good("made", fmt::format("Made {}: it makes the target.",
                                    to_stream ? "the patch on standard output" : shown(created.path)));
}

}  // namespace hotstitch::cli
