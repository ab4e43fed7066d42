// SPDX-License-Identifier: MIT
// Where two files differ, or what a patch changes, as a picture.
#include "hotstitch/chart.h"

#include <fmt/format.h>

#include "commands/common.h"
#include "hotstitch/apply.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "hotstitch/transaction.h"
#include "render/chart_text.h"
#include "render/style.h"

namespace hotstitch::cli {
namespace {

void state_chart(const Chart& chart, Report& report) {
    Json places = Json::array(), regions = Json::array();
    for (const ChartRegion& region : chart.regions)
        if (region.changed != 0) regions.push_back(region_json(region, region.names));
    for (const ChartPlace& place : chart.first)
        places.push_back({{"region", as_utf8(place.region)},
                          {"offset", place.source.offset},
                          {"length", place.source.length},
                          {"new_offset", place.target.offset},
                          {"new_length", place.target.length}});
    report.detail("changed_bytes", chart.changed);
    report.detail("grown_bytes", chart.grown);
    report.detail("places", chart.places);
    report.detail("cells", Json(chart.cells));
    report.detail("regions", regions);
    if (!chart.first.empty()) report.detail("first", places);
    contents_fact(report, chart);
}

void write_picture(const ChartArguments& arguments, const Chart& chart, const std::string& title, Report& report) {
    refuse_inputs(arguments.svg, {arguments.source, arguments.other});
    const WrittenFile written = write_file(arguments.svg, {.replace = arguments.flags.mode()}, chart_svg(chart, title));
    path_fact(report, "backup", "backup", written.backup);
    path_fact(report, "picture", "picture", std::filesystem::path(arguments.svg));
    report.output_is(arguments.svg);
}

void state_verdict(const Chart& chart, const InputFile& source, Report& report) {
    Json added = Json::array();
    for (const auto& [name, size] : chart.added) added.push_back({{"name", as_utf8(name)}, {"size", size}});
    std::vector<std::string> lines;
    for (const auto& [name, size] : chart.added)
        lines.push_back(fmt::format("{}, {}", escaped(name), counted(size, "byte", "bytes")));
    report.list("added", "new files", lines, 10, added);
    report.good(
        chart.places + chart.added.size() == 0 ? "same" : "drawn",
        chart.places + chart.added.size() == 0
            ? "Nothing differs."
            : fmt::format("{} changed in {}: {} of {}{}.", counted(chart.changed, "byte", "bytes"),
                          counted(chart.places, "place", "places"), share_text(chart.changed, chart.source_size),
                          shown(source.path()),
                          chart.grown == 0 ? std::string()
                                           : fmt::format("; {} come in", counted(chart.grown, "byte", "bytes"))));
}

}  // namespace

void run(const ChartArguments& arguments, const Context& context, Report& report) {
    InputFile source = open_file(arguments.source, context);
    const InputFile other = open_file(arguments.other, context);
    ChartOptions options{.places = arguments.hex, .limits = context.limits, .progress = context.progress};
    const bool is_patch = recognise_patch(head_of(other)).has_value() || is_archive(other);
    std::optional<PatchInput> patch;
    if (is_patch && !recognise_patch(head_of(source)))
        patch.emplace(open_patch_input(arguments.other, context, &source));
    ScratchFile made;
    std::optional<WrittenSource> target;
    SourceReading reading;
    SharedSource read;
    Chart chart;
    if (patch) {
        SourceFile meant = source_for(std::move(source), *patch->reader, joined_checks(patch->found, {}), context);
        source = std::move(meant.file);
        const Checks checks = joined_checks(patch->found, {});
        reading = reading_for(*patch->reader, source, checks, context);
        warn_of_reading(report, reading, "; places are those of the file so read");
        read = reading.of(source);
        const Fit found = fit(*patch->reader, *read, checks, context.limits, context.progress);
        if (!reading.fits()) report.warn("the patch is for another file: verify says why");
        if (found.answer == FitAnswer::already_patched) report.warn("the file holds these changes already");
        options.limits = patch->limits;  // an edit list, with the maps beside it
        chart = chart_of(*read, *patch->reader, options);
        if (arguments.hex != 0) {
            apply(*patch->reader, *read, made,
                  {.allow_source = true,
                   .allow_target = true,
                   .backwards = true,
                   .limits = context.limits,
                   .progress = context.progress});
            target.emplace(made);
        }
    } else {
        chart = chart_of(source, other, options);
    }
    state_source(source, {}, report);
    if (patch)
        state_patch(*patch, report);
    else
        file_fact(report, "target", other.path(), {.size = other.size()});
    state_chart(chart, report);
    const bool colour = wants_colour(context.common.colour, STDOUT_FILENO);
    const std::size_t width = width_of(STDOUT_FILENO);
    if (chart.places != 0) report.block(text_of_chart(chart, width == 0 ? 80 : width, colour));
    const ByteSource& changed = target ? static_cast<const ByteSource&>(*target) : other;
    if (arguments.hex != 0 && (target || !patch))
        report.block(text_of_places(chart, read ? *read : source, changed, colour));
    const std::string title =
        fmt::format("What differs: {} and {}", source.path().filename().string(), other.path().filename().string());
    if (!arguments.svg.empty()) write_picture(arguments, chart, title, report);
    if (chart.by_files) report.note("the files stand elsewhere on the other disc: they are compared one by one");
    state_verdict(chart, source, report);
}

}  // namespace hotstitch::cli
