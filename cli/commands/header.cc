// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "commands/common.h"
#include "hotstitch/cartridge.h"
#include "hotstitch/error.h"
#include "rewriting.h"

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

/// What is done to what the address names, as a change of the file around it.
ChangeList around(const ChangedFile& changed, const ChangeList& change, const Context& context) {
    return change_in(
        changed, [&](const SharedSource&, const Limits&) { return change; }, {}, context);
}

void strip(const HeaderArguments& arguments, const ChangedFile& changed, const InputFile& part, const Context& context,
           Report& report) {
    const InputFile& file = changed.file;
    const StripPlan plan = plan_strip(part, arguments.size);
    if (plan.answer == StripPlan::Answer::none)
        return pass_on_unchanged(file, "no-front-header", sentence_of_none(plan.present, part), arguments.rewrite,
                                 context, report);
    if (plan.answer == StripPlan::Answer::not_sure) {
        report.detail("made", false);
        state_header(plan.present, part, report);
        report.next(
            fmt::format("if you know that these bytes are a front header, say so: --size {}", plan.present.size));
        return report.unsure("not-sure",
                             "What speaks for a front header is weak, so none was taken off. Nothing was written.",
                             ExitCode::no);
    }
    RewriteRequest request = rewrite_request(arguments.rewrite, file);
    if (plan.other_size)
        report.warn(
            fmt::format("by all that is known, the front header has {}", counted(plan.present.size, "byte", "bytes")));
    if (request.aside.empty() && (!all_equal(plan.header) || plan.header[0] != std::byte{0}))
        report.note("the header is not all zero; --keep FILE would have kept it, to be attached again");
    if (plan.still_interleaved)
        report.warn("what is left is still interleaved; the mend de-interleave of the whole file takes both off");
    request.what = {fmt::format("strip-header {}", plan.header.size())};
    request.aside_bytes = plan.header;
    const auto place = write_rewritten(file, around(changed, plan.change, context), request, context, report);
    if (!request.aside.empty()) path_fact(report, "kept", "header kept", request.aside);
    if (place)
        report.good("stripped", fmt::format("Made {}: without its front header of {}.", *place,
                                            counted(plan.header.size(), "byte", "bytes")));
}

/// The header to attach: kept, described, or empty for the one of the platform.
Bytes header_to_attach(const HeaderArguments& arguments, const Context& context) {
    const int ways = (arguments.from.empty() ? 0 : 1) + (arguments.nes.empty() ? 0 : 1) + (arguments.size == 0 ? 0 : 1);
    if (ways > 1)
        throw Error(ErrorCode::usage, "--from, --nes and --size are three ways to say the same")
            .hint("keep one of them");
    if (!arguments.nes.empty()) return nes_front_header(arguments.nes);
    if (arguments.from.empty())
        return Bytes(static_cast<std::size_t>(std::min(arguments.size, largest_front_header + 1)));
    const InputFile from(arguments.from, context.limits, context.progress);
    if (from.size() == 0 || from.size() > largest_front_header)
        throw Error(ErrorCode::usage, "this is no front header")
            .wanted("1 byte to 1 MiB, as header strip --keep wrote it")
            .found(size_text(from.size()));
    return {from.bytes().begin(), from.bytes().end()};
}

void attach(const HeaderArguments& arguments, const ChangedFile& changed, const InputFile& part, const Context& context,
            Report& report) {
    const InputFile& file = changed.file;
    const ChangeList change = plan_attach(part, header_to_attach(arguments, context));
    const std::uint64_t size = change.result_size() - part.size();
    RewriteRequest request = rewrite_request(arguments.rewrite, file);
    if (!arguments.from.empty()) request.read.emplace_back(arguments.from);
    request.what = {fmt::format("attach-header {}", size)};
    const auto place = write_rewritten(file, around(changed, change, context), request, context, report);
    if (!arguments.nes.empty())
        for (const std::string& warning : identify(ChangedSource(part, change)).warnings) report.warn(warning);
    if (place)
        report.good("attached",
                    fmt::format("Made {}: with a front header of {}.", *place, counted(size, "byte", "bytes")));
}

}  // namespace

void run(const HeaderArguments& arguments, const Context& context, Report& report) {
    const bool stripping = arguments.action == "strip", attaching = arguments.action == "attach";
    if (!stripping && !arguments.rewrite.request.aside.empty())
        throw Error(ErrorCode::usage, "--keep belongs to header strip");
    if (!attaching && (!arguments.from.empty() || !arguments.nes.empty()))
        throw Error(ErrorCode::usage, "--from and --nes belong to header attach");
    const InputFile file = open_file(arguments.file, context);
    file_fact(report, "file", file.path(), {.size = file.size()});
    if (!stripping && !attaching) return show(file, report);
    const ChangedFile changed = open_to_change(arguments.file, context);
    if (stripping) return strip(arguments, changed, file, context, report);
    attach(arguments, changed, file, context, report);
}

}  // namespace hotstitch::cli
