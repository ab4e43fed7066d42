// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "changing.h"
#include "commands/common.h"
#include "hotstitch/cartridge.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch::cli {
namespace {

void state_header(const FrontHeader& header, const InputFile& file, Report& report) {
    report.fact("front_header", "front header", header.size == 0 ? "none" : counted(header.size, "byte", "bytes"),
                header.size);
    if (!header.platform.empty())
        report.fact("platform_title", "platform", std::string(header.platform), header.platform);
    report.detail("sure", header.sure);
    const std::vector<std::string> reasons = words_for(header);
    for (const std::string& reason : reasons) report.fact("reasons", "because", reason, Json(reasons));
    if (header.size == 0) return;
    const std::string first = bytes_text(head_of(file, 16));
    report.fact("first_bytes", "begins", first, first);
}

std::string sentence_of_none(const FrontHeader& header, const InputFile& file) {
    return fmt::format("{} has no front header{}.", shown(file.path()),
                       header.platform.empty() ? " that is known" : "");
}

void show(const InputFile& file, Report& report) {
    const FrontHeader header = front_header_of(file);
    report.detail("made", false);
    state_header(header, file, report);
    const std::string name = shown(file.path());
    if (header.size == 0) return report.good("no-front-header", sentence_of_none(header, file));
    if (!header.sure)
        report.next("to take it off all the same", fmt::format("hotstitch header strip {} --size {} -o OUTPUT",
                                                               shell_file(file.path().string()), header.size));
    report.conclude(header.sure ? Mood::good : Mood::unsure, header.sure ? "front-header" : "perhaps",
                    fmt::format("{} {} a front header of {}.", name, header.sure ? "has" : "may have",
                                counted(header.size, "byte", "bytes")),
                    ExitCode::yes);
}

void strip(const HeaderArguments& arguments, const InputFile& part, const Context& context, Report& report) {
    Job job(recipe_of(arguments.change, arguments.file, {{.does = step::StripHeader{arguments.header.size}}}), context);
    job.open();
    state_steps(job.plan(), report);
    const auto& plan = std::get<StripPlan>(job.plan().front().did);
    if (plan.answer == StripPlan::Answer::not_sure) {
        report.detail("made", false);
        state_header(plan.present, part, report);
        report.next(
            fmt::format("if you know that these bytes are a front header, say so: --size {}", plan.present.size));
        return report.unsure("not-sure",
                             "What speaks for a front header is weak, so none was taken off. Nothing was written.",
                             ExitCode::no);
    }
    const std::string& kept = arguments.change.recipe.to.header;
    const bool any = !plan.header.empty();
    if (any && kept.empty() && (!all_equal(plan.header) || plan.header[0] != std::byte{0}))
        report.note("the header is not all zero; --keep FILE would have kept it, to be attached again");
    const auto place = finish_change(job, {"no-front-header", sentence_of_none(plan.present, part)}, context, report);
    if (any && !kept.empty()) path_fact(report, "kept", "header kept", std::filesystem::path(kept));
    if (place)
        report.good("stripped", fmt::format("Made {}: without its front header of {}.", *place,
                                            counted(plan.header.size(), "byte", "bytes")));
}

void attach(const HeaderArguments& arguments, const Context& context, Report& report) {
    Job job(recipe_of(arguments.change, arguments.file, {{.does = arguments.header}}), context);
    job.open();
    job.plan();
    const ChangeList* const change = job.change();
    const std::uint64_t size = std::get<AttachReport>(job.plan().front().did).size;
    std::vector<std::string> warnings;
    if (!arguments.header.nes.empty() && job.inside().empty())
        warnings = identify(ChangedSource(job.file(), *change)).warnings;
    const auto place = finish_change(job, {}, context, report);
    for (const std::string& warning : warnings) report.warn(warning);
    if (place)
        report.good("attached",
                    fmt::format("Made {}: with a front header of {}.", *place, counted(size, "byte", "bytes")));
}

}  // namespace

void run(const HeaderArguments& arguments, const Context& context, Report& report) {
    const bool stripping = arguments.action == "strip", attaching = arguments.action == "attach";
    if (!stripping && !arguments.change.recipe.to.header.empty())
        throw Error(ErrorCode::usage, "--keep belongs to header strip");
    if (!attaching && (!arguments.header.file.empty() || !arguments.header.nes.empty()))
        throw Error(ErrorCode::usage, "--from and --nes belong to header attach");
    const InputFile file = open_file(arguments.file, context);
    file_fact(report, "file", file.path(), {.size = file.size()});
    if (!stripping && !attaching) return show(file, report);
    stripping ? strip(arguments, file, context, report) : attach(arguments, context, report);
}

}  // namespace hotstitch::cli
