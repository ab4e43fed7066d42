// SPDX-License-Identifier: MIT
#include "hotstitch/recast.h"

#include <fmt/format.h>
#include <unistd.h>

#include "commands/common.h"
#include "hotstitch/error.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

namespace {

PatchFormat wanted_format(const RecastArguments& arguments) {
    if (arguments.format) return *arguments.format;
    const auto by_name = format_by_extension(fs::path(arguments.output.path).extension().string());
    if (!by_name)
        throw Error(ErrorCode::usage, "the new format is not named").hint("add --format, or -o with its extension");
    return *by_name;
}

}  // namespace

void run(const RecastArguments& arguments, const Context& context, Report& report) {
    InputFile packed = open_file(arguments.source, context);
    const PatchFile found_patch = open_patch_file(arguments.patch, context);
    readme_facts(report, found_patch);
    const InputFile& patch = found_patch.file;
    const PatchFormat format = wanted_format(arguments);
    const auto reader = open_patch(patch, context.limits);
    const auto found = find_checks(patch);
    ApplyOptions options;
    options.checks = joined_checks(found, arguments.expect);
    const InputFile source = stated_source(std::move(packed), *reader, options.checks, context, report);
    file_fact(report, "source", source.path(), {.size = source.size()});
    file_fact(report, "patch", patch.path(), {.size = patch.size()}, patch_text(reader->facts()));
    checks_fact(report, found);
    options.allow_source = context.common.allow.source;
    options.allow_target = context.common.allow.target;
    options.allow_patch = context.common.allow.patch;
    options.limits = context.limits;
    options.progress = context.progress;

    RecastReport made;
    bool stood_already = false;
    std::string place = "the patch on standard output";
    fs::path path = "-";
    if (arguments.output.path == "-") {
        ScratchFile scratch;
        made = recast(patch, source, format, scratch, options);
        scratch.copy_to(STDOUT_FILENO, context.progress);
    } else {
        path =
            output_path(arguments.output.path, fs::path(patch.path()).replace_extension(traits_of(format).extension));
        refuse_inputs(path, {&source, &patch}, "name another output with -o");
        OutputFile file(path, {.replace = replace_mode(arguments.output)});
        made = recast(patch, source, format, file, options);
        stood_already = file.stands_already();
        if (const auto backup = file.commit(context.progress))
            report.fact("backup", "backup", shown(*backup), as_utf8(backup->string()));
        path = file.path();
        place = shown(path);
    }
    file_fact(report, "recast", path, {.size = made.created.facts.patch_size}, patch_text(made.created.facts));
    report.fact("checked", "checked", "applied to the source, both make the same target, byte for byte",
                Json::array({"result"}));
    if (!made.metadata_kept)
        report.warn(fmt::format("{} has no place for the patch's metadata; it is left out", traits_of(format).title));
    if (made.applied.fit.reversed)
        report.warn("the file given is this patch's target: the new patch goes from there back to the source");
    const bool certain = made.applied.fit.answer == FitAnswer::fits;
    if (!certain)
        report.unchecked(
            "whether this is the source the old patch was made for; if it is not, the new patch carries the mistake "
            "on");
    if (stood_already) return conclude_made_already(path, report);
    report.conclude(certain ? Mood::good : Mood::unsure, "made",
                    fmt::format("Made {}: the same change as {}.", place, traits_of(format).title), ExitCode::yes);
}

}  // namespace hotstitch::cli
