// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "commands/common.h"
#include "hotstitch/patch_jobs.h"
#include "hotstitch/text.h"

namespace hotstitch::cli {
namespace {

constexpr std::size_t ranges_shown = 8;

Report report_of(const OverlapPair& pair, const std::vector<PatchInput>& patches, const std::string& source) {
    Report part("pair");
    const Overlap& found = pair.found;
    const auto &a = patches[pair.first].file.path(), &b = patches[pair.second].file.path();
    const std::string names = fmt::format("{} and {}", shown(a), shown(b));
    Json list = Json::array();
    std::vector<std::string> lines;
    for (const OverlapRange& range : found.first) {
        list.push_back({{"offset", range.offset}, {"length", range.length}, {"agree", range.agree}});
        lines.push_back(fmt::format("{} to {}  {}", offset_text(range.offset),
                                    offset_text(range.offset + range.length - 1),
                                    range.agree ? "the same bytes" : "different bytes"));
    }
    part.detail("patch", Json::array({file_json(a), file_json(b)}));
    const Json value = {{"ranges", found.ranges},
                        {"bytes", found.bytes},
                        {"differing", found.differing_ranges},
                        {"first", std::move(list)}};
    part.detail("both_write", value);
    part.detail("order_matters", found.order_matters());
    part.detail("mend_settles_it", pair.mend_settles_it);
    if (found.ranges != 0)
        part.fact(
            "both_write", "both write",
            fmt::format("{} in {}", counted(found.bytes, "byte", "bytes"), counted(found.ranges, "place", "places")),
            value);
    part.list("both_write", "both write", lines, lines.size(), value, found.ranges);
    part.detail("sizes_differ", found.sizes_differ);
    if (found.sizes_differ) part.fact("sizes_differ", "sizes", "both change the file's size, differently", true);
    if (pair.mend_settles_it) {
        part.good("checks-only", names + ": they contradict each other only in the ROM's own checks.");
        part.next("to make both", fmt::format("hotstitch apply {} {} {} --mend", source, shell_file(a.string()),
                                              shell_file(b.string())));
    } else if (found.order_matters()) {
        part.bad("conflict", names + ": they contradict each other; the one applied last wins.");
        part.next("ask the authors which order is meant, or for a patch that holds both changes");
    } else if (found.ranges != 0) {
        part.good("agree", names + ": they write some of the same places, with the same bytes.");
    } else {
        part.good("apart", names + ": they touch different places.");
    }
    return part;
}

}  // namespace

void run(const OverlapArguments& arguments, const Context& context, Report& report) {
    OverlapJob job(arguments.request, context);
    job.open();
    state_source(job.source(), report);
    std::vector<const PatchInput*> patches;
    for (const PatchInput& patch : job.patches()) patches.push_back(&patch);
    state_patches(patches, report);
    const std::vector<OverlapPair> pairs = job.run(ranges_shown);
    warn_of_reading(report, job.reading());
    const std::string source = shell_file(arguments.request.source);
    for (const OverlapPair& pair : pairs) report.part("pairs", report_of(pair, job.patches(), source));
    const bool settled =
        std::any_of(pairs.begin(), pairs.end(), [](const OverlapPair& pair) { return pair.mend_settles_it; });
    if (!settled && std::any_of(job.patches().begin(), job.patches().end(), [](const PatchInput& patch) {
            return traits_of(patch.reader->facts().format).has_checks;
        }))
        report.next(
            "UPS and BPS patches check their source, so after one is applied the others refuse the result: apply them "
            "in "
            "one call with --mend, or recast them to ips");
    const auto conflicts = std::count_if(pairs.begin(), pairs.end(), [](const OverlapPair& pair) {
        return pair.found.order_matters() && !pair.mend_settles_it;
    });
    if (conflicts == 0)
        report.good("compatible", pairs.size() == 1
                                      ? "They do not contradict each other; the order does not matter."
                                      : fmt::format("None of {} contradict each other; the order does not matter.",
                                                    counted(pairs.size(), "pair", "pairs")));
    else
        report.bad("conflict", pairs.size() == 1
                                   ? "They contradict each other; the order matters."
                                   : fmt::format("{} of {} contradict each other; there the order matters.", conflicts,
                                                 counted(pairs.size(), "pair", "pairs")));
}

}  // namespace hotstitch::cli
