// SPDX-License-Identifier: MIT
// Puts parts into a file, or into parts of parts: each container closes what the one inside it has become. All in one
// call are one change. Tested by tests/part_test.cc, tests/payload_test.cc and tests/cli_disc_test.cc.
#include <fmt/format.h>

#include <map>
#include <numeric>
#include <span>

#include "hotstitch/error.h"
#include "hotstitch/part_jobs.h"
#include "hotstitch/patch_jobs.h"
#include "work/sheets.h"

namespace hotstitch {
namespace {

bool lies_in(const Part& part, const ByteRange& range) {
    // What has no place of its own is made anew as a whole.
    return !part.offset || (range.offset >= *part.offset && range.offset < *part.offset + part.size.value_or(0));
}

std::uint64_t bytes_in(const std::vector<ByteRange>& ranges) {
    return std::accumulate(ranges.begin(), ranges.end(), std::uint64_t{0},
                           [](std::uint64_t sum, const ByteRange& range) { return sum + range.length; });
}

bool no_such_part(const Error& error) {
    return error.code() == ErrorCode::usage && error.field() == "part" && error.found().empty();
}

struct Putting {
    const InputFile& named;
    const PutOptions& put;
    WorkOptions work;
    PutPlan& plan;  ///< keeps what the change reads

    std::unique_ptr<Container> opened(const ByteSource& file, const std::string& file_name, bool outermost) const {
        auto container =
            outermost ? open_with_tracks(named, file, work) : open_container(file, work.limits, work.progress);
        if (container) return container;
        throw Error(ErrorCode::unsupported, fmt::format("{} has no parts that are known", file_name))
            .hint(
                "discs, cartridge ROMs, executables and packed files have parts that can be put in; describe tells "
                "more of this file");
    }

    /// The change of `file` that puts `content` where the names lead; none: takes away what is there. `outer` is the
    /// part of the file itself.
    PutResult into(const SharedSource& file, const std::string& file_name, std::span<const std::string> names,
                   const SharedSource& content, PutStep& step, Part& outer, bool outermost) const {
        const auto container = opened(*file, file_name, outermost);
        try {
            outer = find_part(*container, names.front());
        } catch (const Error& error) {
            const bool could_be_added =
                container->kind() == "disc" && names.size() == 1 && content && no_such_part(error);
            if (could_be_added && !put.add) throw Error(error).hint("if it is to be a new file, add it (--add)");
            if (!put.add || names.size() != 1 || !content || !no_such_part(error)) throw;
            outer = {.name = names.front(), .kind = "file", .size = content->size(), .offset = {}, .head = {}};
            step.part = outer, step.changed = content->size();
            return container->add(names.front(), content, put);
        }
        step.part = outer;
        if (names.size() == 1 && !content) {
            step.changed = outer.size.value_or(0);
            return container->remove(outer, put);
        }
        const SharedSource inner = content_of(*container, outer, work.limits);
        plan.kept.push_back(inner);
        if (names.size() == 1) {
            step.changed = bytes_in(differing_ranges(*inner, *content));
            return container->put(outer, content, put);
        }
        Part inside;
        Putting deeper{named, put, work, plan};
        deeper.work.limits = limits_inside(work.limits, *file, outer.name);
        const PutResult change = deeper.into(inner, outer.name, names.subspan(1), content, step, inside, false);
        if (change.change.empty()) return ChangeList(file->size());
        step.part = inside;
        return container->put(outer, std::make_shared<ChangedSource>(inner, change.change), put);
    }
};

/// A folder's files one by one, without those that are in the container as they are.
std::vector<PutItem> expanded(const InputFile& file, const std::vector<PutItem>& items, const WorkOptions& work) {
    namespace fs = std::filesystem;
    std::vector<PutItem> all;
    for (const PutItem& item : items) {
        std::error_code code;
        if (item.remove || item.content || !fs::is_directory(item.from, code)) {
            all.push_back(item);
            continue;
        }
        std::string prefix = item.part;
        if (!prefix.ends_with('/')) prefix += '/';
        if (prefix.starts_with('/')) prefix.erase(0, 1);
        const auto container = open_with_tracks(file, file, work);
        std::map<std::string, Part> parts;
        if (container)
            for (Part& part : container->parts()) parts.emplace(part.name, std::move(part));
        for (const fs::path& path : files_below(item.from)) {
            const std::string name = prefix + path.lexically_relative(item.from).generic_string();
            if (const auto there = parts.find(name); there != parts.end()) {
                const InputFile now(path);
                const SharedSource before = now.size() == there->second.size ? container->open(there->second) : nullptr;
                if (before && are_same(*before, now)) continue;
            }
            std::string address;
            for (const char c : name) address += c == ':' ? std::string("\\:") : std::string(1, c);
            all.push_back({.part = std::move(address), .from = path.string()});
        }
    }
    return all;
}

}  // namespace

PutPlan plan_put(const InputFile& file, const std::vector<PutItem>& items, const PutOptions& options,
                 const WorkOptions& work) {
    PutPlan plan{{}, ChangeList(file.size()), {}};
    for (const PutItem& item : expanded(file, items, work)) {
        SharedSource content = item.content;
        std::string from = item.from;
        if (!item.remove && !content) {
            const auto opened = std::make_shared<InputFile>(open_file(item.from, work));
            from = opened->origin();
            content = opened;
        }
        const auto made = std::make_shared<ChangedSource>(file, plan.change);
        plan.kept.push_back(made);
        PutStep step{.part = {}, .address = item.part, .from = from};
        Part outer;
        const PutResult result = Putting{file, options, work, plan}.into(
            made, file.path().string(), split_address(item.part), content, step, outer, true);
        if (content) content->check_intact();
        step.outer = outer;
        step.how = result.how, step.from_offset = result.from, step.to_offset = result.to;
        step.moved_sectors = result.moved_sectors;
        step.warnings = result.warnings;
        step.size_before = made->size(), step.size_after = result.change.result_size();
        if (result.mended && outer.lies != "computed") {
            step.mended = *result.mended;
        } else if (!result.how.empty()) {  // of whole sectors, their codes too
            const std::uint64_t all = bytes_in(result.change.changed_ranges(*made));
            step.mended = all - std::min(all, step.changed);
        } else {
            for (const ByteRange& range : result.change.changed_ranges(*made))
                if (!lies_in(outer, range)) step.mended += range.length;
        }
        plan.steps.push_back(std::move(step));
        plan.change = plan.change.then(result.change);
    }
    file.check_intact();
    return plan;
}

}  // namespace hotstitch
