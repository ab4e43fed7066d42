// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "hotstitch/part_jobs.h"
#include "rewriting.h"

namespace hotstitch::cli {
namespace {

std::pair<std::string, std::string> part_and_content(const std::string& text) {
    const std::size_t equals = text.find('=');
    if (equals == std::string::npos || equals == 0 || equals + 1 == text.size())
        throw Error(ErrorCode::usage, fmt::format("\"{}\" does not say which part gets what", text))
            .wanted("PART=FILE");
    return {text.substr(0, equals), text.substr(equals + 1)};
}

std::string words_for(const PutStep& step) {
    std::string text = escaped(step.address);
    if (step.outer.offset)
        text += fmt::format(" at {}, in its place: {} changed", offset_text(*step.outer.offset),
                            counted(step.changed, "byte", "bytes"));
    else
        text += fmt::format(": {} changed; packed as it was, into {} (was {})", counted(step.changed, "byte", "bytes"),
                            counted(step.size_after, "byte", "bytes"), grouped(step.size_before));
    if (step.mended != 0)
        text +=
            fmt::format("; outside it, {} of the file's own checks kept right", counted(step.mended, "byte", "bytes"));
    return text;
}

void state_steps(const PutPlan& plan, Report& report) {
    Json list = Json::array();
    for (const PutStep& step : plan.steps)
        list.push_back({{"name", as_utf8(step.address)},
                        {"from", as_utf8(step.from)},
                        {"offset", step.part.offset ? Json(*step.part.offset) : Json(nullptr)},
                        {"size", step.part.size.value_or(0)},
                        {"size_before", step.size_before},
                        {"size_after", step.size_after},
                        {"changed_bytes", step.changed},
                        {"mended_bytes", step.mended}});
    for (const PutStep& step : plan.steps) report.fact("parts", "put", words_for(step), list);
}

}  // namespace

void run(const PutArguments& arguments, const Context& context, Report& report) {
    // A part of a file is changed by changing the file.
    const auto [name, inside] = split_file(arguments.file);
    const InputFile file = open_file(name, context);
    RewriteRequest request = rewrite_request(arguments.rewrite, file);
    file_fact(report, "file", file.path(), {.size = file.size()});
    std::vector<std::pair<std::string, std::string>> parts;
    for (const std::string& text : arguments.parts) {
        parts.push_back(part_and_content(text));
        if (!inside.empty()) parts.back().first.insert(0, inside + ":");
    }
    const PutPlan plan = plan_put(file, parts, arguments.options, context);
    state_steps(plan, report);
    for (const PutStep& step : plan.steps) request.what.push_back("put " + step.address);
    if (plan.change.empty())
        return pass_on_unchanged(file, "nothing-to-put",
                                 fmt::format("Nothing changes: {} holds these bytes already.", shown(file.path())),
                                 arguments.rewrite, context, report);
    std::uint64_t bytes = 0;
    for (const PutStep& step : plan.steps) bytes += step.changed + step.mended;
    for (const ByteRange& range : differing_ranges(file, ChangedSource(file, plan.change)))
        report.note(fmt::format("{} at {}", counted(range.length, "byte", "bytes"), offset_text(range.offset)));
    const auto place = write_rewritten(file, plan.change, request, context, report);
    if (!place) return;
    report.good("put", request.patch.empty()
                           ? fmt::format("Made {}: {} changed.", *place, counted(bytes, "byte", "bytes"))
                           : fmt::format("Made {}, a patch that changes {}.", *place, counted(bytes, "byte", "bytes")));
}

}  // namespace hotstitch::cli
