// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include "commands/common.h"
#include "hotstitch/patch_jobs.h"

namespace hotstitch::cli {

void run(const RecastArguments& arguments, const Context& context, Report& report) {
    RecastRequest request = arguments.request;
    request.replace = arguments.flags.mode();
    RecastJob job(std::move(request), context);
    job.open();
    if (job.swapped()) warn_of_swap(report);
    state_source(job.source(), report);
    state_patch(job.patch(), report);
    const RecastResult result =
        through_stream(arguments.request.output, context, [&](auto&... sink) { return job.run(sink...); });
    warn_of_reading(report, result.reading, "; the new patch is for the file so read");
    const RecastReport& made = result.report;
    const FormatTraits& format = traits_of(made.created.facts.format);
    file_fact(report, "recast", result.path.empty() ? "-" : result.path, {.size = made.created.facts.patch_size},
              words_for(made.created.facts));
    warn_of_extension(report, result.path, made.created.facts.format);
    path_fact(report, "backup", "backup", result.backup);
    report.fact("checked", "checked", "applied to the source, both make the same target, byte for byte",
                Json::array({"result"}));
    if (!made.metadata_kept)
        report.warn(fmt::format("{} has no place for the patch's metadata; it is left out", format.title));
    if (!result.certain())
        report.unchecked(
            "whether this is the source the old patch was made for; if it is not, the new patch carries the mistake "
            "on");
    if (result.stood_already) return conclude_made_already(result.path, report);
    report.conclude(
        result.certain() ? Mood::good : Mood::unsure, "made",
        fmt::format("Made {}: the same change as {}.",
                    result.path.empty() ? "the patch on standard output" : shown(result.path), format.title),
        ExitCode::yes);
}

}  // namespace hotstitch::cli
