// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "rewriting.h"

namespace hotstitch::cli {
namespace {

PutItem part_and_content(const std::string& text) {
    const std::size_t equals = text.find('=');
    if (equals == std::string::npos || equals == 0 || equals + 1 == text.size())
        throw Error(ErrorCode::usage, fmt::format("\"{}\" does not say which part gets what", text))
            .wanted("PART=FILE");
    return {.part = text.substr(0, equals), .from = text.substr(equals + 1)};
}

void state_steps(const PutPlan& plan, Report& report) {
    Json list = Json::array();
    for (const PutStep& step : plan.steps)
        list.push_back({{"name", as_utf8(step.address)},
                        {"from", as_utf8(step.from)},
                        {"how", step.how.empty() ? (step.outer.offset ? "in-place" : "packed") : step.how},
                        {"moved_to", step.how != "in-place" && step.to_offset ? Json(*step.to_offset) : Json(nullptr)},
                        {"moved_sectors", step.moved_sectors},
                        {"offset", step.part.offset ? Json(*step.part.offset) : Json(nullptr)},
                        {"size", step.part.size.value_or(0)},
                        {"size_before", step.size_before},
                        {"size_after", step.size_after},
                        {"changed_bytes", step.changed},
                        {"mended_bytes", step.mended}});
    std::vector<std::string> lines;
    for (const PutStep& step : plan.steps) {
        lines.push_back(words_for_put(step));
        for (const std::string& warning : step.warnings) report.warn(escaped(warning));
    }
    constexpr std::size_t shown_steps = 24;
    report.list("parts", "put", lines, shown_steps, list);
}

/// A folder with "sys/" and "files/" becomes a disc.
void run_on_folder(const PutArguments& arguments, std::vector<PutItem> items, const Context& context, Report& report) {
    if (arguments.options.room != Room::rebuild)
        throw Error(ErrorCode::usage, fmt::format("{} is a folder", shown(arguments.file)))
            .hint(
                "to lay a disc out anew from it: --room rebuild -o NEW.iso; to put its files into a disc: hotstitch "
                "put DISC files/=FOLDER/files");
    FolderDisc disc = disc_of_folder(arguments.file, items, context);
    path_fact(report, "folder", "folder", std::filesystem::path(arguments.file));
    report.fact("files", "files", grouped(disc.files), disc.files);
    RewriteRequest request = rewrite_request(arguments.rewrite, disc.begin);
    request.what.push_back("rebuild " + arguments.file);
    for (const PutItem& item : items) request.read.emplace_back(address_of(item.from).file);
    request.read.insert(request.read.end(), disc.read.begin(), disc.read.end());
    const auto place = write_rewritten(disc.begin, disc.change, request, context, report);
    if (place)
        report.good("put", fmt::format("Made {}: a disc of {}, {}.", *place, counted(disc.files, "file", "files"),
                                       size_text(disc.size)));
}

}  // namespace

void run(const PutArguments& arguments, const Context& context, Report& report) {
    std::vector<PutItem> parts;
    for (const std::string& text : arguments.parts) parts.push_back(part_and_content(text));
    for (const std::string& part : arguments.removed) parts.push_back({.part = part, .remove = true});
    std::error_code code;
    if (std::filesystem::is_directory(arguments.file, code))
        return run_on_folder(arguments, std::move(parts), context, report);
    // A part of a file is changed by changing the file.
    const ChangedFile named = open_to_change(arguments.file, context, Left::archives);
    const InputFile& file = named.file;
    const std::string inside = joined_address(named.inside);
    RewriteRequest request = rewrite_request(arguments.rewrite, file);
    file_fact(report, "file", file.path(), {.size = file.size()});
    if (!file.sheet().empty()) path_fact(report, "sheet", "by sheet", file.sheet());
    if (parts.empty())
        throw Error(ErrorCode::usage, "it is not said what to put in").wanted("PART=FILE, or --remove PART");
    for (PutItem& item : parts) item.part = joined_address(inside, item.part);
    const PutPlan plan = plan_put(file, parts, arguments.options, context);
    request.read = plan.read;
    state_steps(plan, report);
    for (const PutStep& step : plan.steps)
        request.what.push_back((step.how == "removed" ? "remove " : "put ") + step.address);
    if (plan.change.empty())
        return pass_on_unchanged(file, "nothing-to-put",
                                 fmt::format("Nothing changes: {} holds these bytes already.", shown(file.path())),
                                 arguments.rewrite, context, report);
    std::uint64_t bytes = 0;
    for (const ByteRange& range : plan.change.changed_ranges(file)) {
        bytes += std::min(range.length, file.size() - std::min(file.size(), range.offset));
        report.note(fmt::format("{} at {}", counted(range.length, "byte", "bytes"), offset_text(range.offset)));
    }
    const auto place = write_rewritten(file, plan.change, request, context, report);
    if (!place) return;
    const std::uint64_t after = plan.change.result_size();
    std::string changed = counted(std::min(bytes, file.size()), "byte", "bytes") + " changed";
    if (after != file.size())
        changed += fmt::format("; it is {} {}",
                               counted(std::max(after, file.size()) - std::min(after, file.size()), "byte", "bytes"),
                               after > file.size() ? "longer" : "shorter");
    report.good("put", fmt::format("Made {}{}: {}.", *place, request.patch.empty() ? "" : ", a patch", changed));
}

}  // namespace hotstitch::cli
