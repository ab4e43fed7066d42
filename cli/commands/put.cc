// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "changing.h"
#include "commands/common.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch::cli {
namespace {

Step part_and_content(const std::string& text) {
    const std::size_t equals = text.find('=');
    if (equals == std::string::npos || equals == 0 || equals + 1 == text.size())
        throw Error(ErrorCode::usage, fmt::format("\"{}\" does not say which part gets what", text))
            .wanted("PART=FILE");
    return {.does = step::Put{.file = text.substr(equals + 1)}, .at = text.substr(0, equals)};
}

/// A folder with "sys/" and "files/" becomes a disc.
void run_on_folder(const PutArguments& arguments, Job& job, const Context& context, Report& report) {
    if (arguments.room != Room::rebuild)
        throw Error(ErrorCode::usage, fmt::format("{} is a folder", shown(arguments.file)))
            .hint(
                "to lay a disc out anew from it: --room rebuild -o NEW.iso; to put its files into a disc: hotstitch "
                "put DISC files/=FOLDER/files");
    job.open();
    job.plan();
    path_fact(report, "folder", "folder", std::filesystem::path(arguments.file));
    const std::uint64_t files = job.outcome().files;
    report.fact("files", "files", grouped(files), files);
    const std::uint64_t size = job.change()->result_size();
    if (const auto place = finish_change(job, {}, context, report))
        report.good(
            "put", fmt::format("Made {}: a disc of {}, {}.", *place, counted(files, "file", "files"), size_text(size)));
}

/// Notes where bytes change. Returns how many do, of those that were there.
std::uint64_t note_changes(const Job& job, Report& report) {
    const InputFile& file = job.file();
    std::uint64_t bytes = 0;
    for (const ByteRange& range : job.change()->changed_ranges(file)) {
        bytes += std::min(range.length, file.size() - std::min(file.size(), range.offset));
        report.note(fmt::format("{} at {}", counted(range.length, "byte", "bytes"), offset_text(range.offset)));
    }
    return std::min(bytes, file.size());
}

}  // namespace

void run(const PutArguments& arguments, const Context& context, Report& report) {
    std::vector<Step> steps;
    steps.reserve(arguments.parts.size() + arguments.removed.size());
    for (const std::string& text : arguments.parts) {
        steps.push_back(part_and_content(text));
        auto& put = *steps.back().as<step::Put>();
        put.add = arguments.add, put.room = arguments.room;
    }
    for (const std::string& part : arguments.removed) steps.push_back({.does = step::Remove{}, .at = part});
    std::error_code code;
    const bool is_folder = std::filesystem::is_directory(arguments.file, code), none = steps.empty();
    Job job(recipe_of(arguments.change, arguments.file, std::move(steps)), context);
    if (is_folder) return run_on_folder(arguments, job, context, report);
    if (none) throw Error(ErrorCode::usage, "it is not said what to put in").wanted("PART=FILE, or --remove PART");
    job.open();
    const InputFile& file = job.file();
    file_fact(report, "file", file.path(), {.size = file.size()});
    if (!file.sheet().empty()) path_fact(report, "sheet", "by sheet", file.sheet());
    state_steps(job.plan(), report);
    const std::uint64_t bytes = note_changes(job, report), before = file.size(), after = job.change()->result_size();
    const auto place = finish_change(
        job, {"nothing-to-put", fmt::format("Nothing changes: {} holds these bytes already.", shown(file.path()))},
        context, report);
    if (!place) return;
    std::string changed = counted(bytes, "byte", "bytes") + " changed";
    if (after != before)
        changed +=
            fmt::format("; it is {} {}", counted(std::max(after, before) - std::min(after, before), "byte", "bytes"),
                        after > before ? "longer" : "shorter");
    report.good("put", fmt::format("Made {}{}: {}.", *place, job.outcome().patch ? ", a patch" : "", changed));
}

}  // namespace hotstitch::cli
