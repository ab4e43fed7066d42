// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "hotstitch/recast.h"

namespace hotstitch::cli {
namespace {

constexpr std::size_t ranges_shown = 8;

/// A patch, what it writes and what it makes.
struct Candidate {
    InputFile patch;
    std::vector<TouchedRange> ranges;
    ScratchFile target;
};

Candidate make_candidate(const std::string& name, const InputFile& source, const Context& context, Report& report) {
    PatchFile patch = open_patch_file(name, context);
    readme_facts(report, patch);
    Candidate candidate{std::move(patch.file), {}, {}};
    const auto reader = open_patch(candidate.patch, context.limits);
    file_fact(report, "patch", candidate.patch.path(), {.size = candidate.patch.size()}, patch_text(reader->facts()));
    ApplyOptions options;
    const auto found = find_checks(candidate.patch);
    checks_fact(report, found);
    options.checks = joined_checks(found, {});
    options.allow_source = context.common.allow.source;
    options.limits = context.limits;
    options.progress = context.progress;
    apply(candidate.patch, source, candidate.target, options);
    candidate.ranges = written_ranges(*reader, source.size(), context.limits);
    return candidate;
}

Report compare_pair(Candidate& a, Candidate& b, const InputFile& source) {
    Report part("pair");
    const Overlap found = overlap(a.ranges, MemorySource(*a.target.written()), b.ranges,
                                  MemorySource(*b.target.written()), source.size(), ranges_shown);
    const std::string names = fmt::format("{} and {}", shown(a.patch.path()), shown(b.patch.path()));
    Json list = Json::array();
    for (const OverlapRange& range : found.first)
        list.push_back({{"offset", range.offset}, {"length", range.length}, {"agree", range.agree}});
    part.detail("patches", Json::array({as_utf8(a.patch.path().string()), as_utf8(b.patch.path().string())}));
    const Json value = {{"ranges", found.ranges},
                        {"bytes", found.bytes},
                        {"differing", found.differing_ranges},
                        {"first", std::move(list)}};
    part.detail("both_write", value);
    part.detail("order_matters", found.order_matters());
    if (found.ranges != 0)
        part.fact(
            "both_write", "both write",
            fmt::format("{} in {}", counted(found.bytes, "byte", "bytes"), counted(found.ranges, "place", "places")),
            value);
    for (const OverlapRange& range : found.first)
        part.fact("both_write", "both write",
                  fmt::format("{} to {}  {}", offset_text(range.offset), offset_text(range.offset + range.length - 1),
                              range.agree ? "the same bytes" : "different bytes"),
                  value);
    if (found.ranges > found.first.size())
        part.fact("both_write", "both write", fmt::format("and {} more", grouped(found.ranges - found.first.size())),
                  value);
    if (found.sizes_differ) part.fact("sizes_differ", "sizes", "both change the file's size, differently", true);
    if (found.order_matters()) {
        part.conclude(Mood::bad, "conflict", names + ": they contradict each other; the one applied last wins.",
                      ExitCode::no);
        part.next("ask the authors which order is meant, or for a patch that holds both changes");
    } else if (found.ranges != 0) {
        part.conclude(Mood::good, "agree", names + ": they write some of the same places, with the same bytes.",
                      ExitCode::yes);
    } else {
        part.conclude(Mood::good, "apart", names + ": they touch different places.", ExitCode::yes);
    }
    return part;
}

bool any_with_checks(const std::vector<Candidate>& candidates) {
    return std::any_of(candidates.begin(), candidates.end(), [](const Candidate& candidate) {
        return traits_of(*recognise_patch(candidate.patch.bytes())).has_checks;
    });
}

}  // namespace

void run(const OverlapArguments& arguments, const Context& context, Report& report) {
    if (arguments.patches.size() < 2) throw Error(ErrorCode::usage, "an overlap needs two patches at least");
    InputFile packed = open_file(arguments.source, context);
    auto inside = only_member(packed, context);
    if (inside) report.warn(fmt::format("the source was taken out of the archive {}", shown(packed.path())));
    const InputFile source = inside ? std::move(*inside) : std::move(packed);
    file_fact(report, "source", source.path(), {.size = source.size()});
    std::vector<Candidate> candidates;
    for (const std::string& name : arguments.patches)
        candidates.push_back(make_candidate(name, source, context, report));
    if (any_with_checks(candidates))
        report.next(
            "UPS and BPS patches check their source, so after one is applied the others refuse the result; recast them "
            "to ips to apply several");
    std::size_t pairs = 0, conflicts = 0;
    for (std::size_t i = 0; i < candidates.size(); ++i) {
        for (std::size_t j = i + 1; j < candidates.size(); ++j) {
            Report part = compare_pair(candidates[i], candidates[j], source);
            ++pairs;
            conflicts += part.exit_code() == ExitCode::yes ? 0 : 1;
            report.part("pairs", std::move(part));
        }
    }
    if (conflicts == 0)
        report.conclude(Mood::good, "compatible",
                        fmt::format("None of {} contradict each other; the order does not matter.",
                                    counted(pairs, "pair", "pairs")),
                        ExitCode::yes);
    else
        report.conclude(Mood::bad, "conflict",
                        fmt::format("{} of {} contradict each other; there the order matters.", conflicts,
                                    counted(pairs, "pair", "pairs")),
                        ExitCode::no);
}

}  // namespace hotstitch::cli
