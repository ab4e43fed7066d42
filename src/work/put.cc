// SPDX-License-Identifier: MIT
// Puts parts into a file, or into parts of parts: each container closes what the one inside it has become. All in one
// call are one change. Tested by tests/part_test.cc, tests/payload_test.cc and tests/cli_disc_test.cc.
#include <fmt/format.h>

#include <map>
#include <numeric>
#include <span>

#include "base/letters.h"
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

/// Bytes of a part that are another afterwards; behind content that is shorter, zeros are.
std::uint64_t changed_in(const ByteSource& before, const ByteSource& after) {
    const std::uint64_t blanked = before.size() - std::min(before.size(), after.size());
    if (blanked == 0) return bytes_in(differing_ranges(before, after));
    const SliceSource kept(borrowed(before), 0, after.size()), gone(borrowed(before), after.size(), blanked);
    return bytes_in(differing_ranges(kept, after)) +
           bytes_in(differing_ranges(gone, FilledSource(std::byte{0}, blanked)));
}

/// Puts `content` in the place of one part, adds it, or (no content) takes the part away.
PutResult put_one(const Container& container, const std::string& name, const SharedSource& content,
                  const PutOptions& options, const Limits& limits, PutStep& step, std::size_t depth) {
    const auto there = part_by_name(container, name);
    if (!there && (!content || !options.add)) {
        const bool could_be_added = container.kind() == "disc" && depth == 1 && content;
        throw could_be_added
            ? no_such_part(container, name).as(ErrorId::part_is_new).hint("if it is to be a new file, add it")
            : no_such_part(container, name);
    }
    step.part = there ? *there : Part{.name = name, .kind = "file", .size = content->size(), .offset = {}};
    if (!content || !there) {
        step.changed = step.part.size.value_or(0);
        PutResult result = content ? container.add(name, content, options) : container.remove(*there, options);
        result.part = step.part;
        return result;
    }
    const SharedSource inner = content_of(container, *there, limits);
    step.changed = changed_in(*inner, *content);
    PutResult result = container.put(*there, content, options);
    result.change.hold(inner);
    result.part = step.part;
    return result;
}

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
            all.push_back({.part = escaped_part(name), .from = path.string()});
        }
    }
    return all;
}

/// Names as they are found: without regard to case and a version.
std::vector<std::string> plain_names(const std::string& address) {
    std::vector<std::string> names = split_address(address);
    for (std::string& name : names) {
        name = lower(name);
        const std::size_t version = name.rfind(';');
        if (version != std::string::npos && name.find_first_not_of("0123456789", version + 1) == std::string::npos)
            name.resize(version);
    }
    return names;
}

/// Two that name one part, or a part and what lies in it, contradict each other.
void refuse_contradictions(const std::vector<PutItem>& items) {
    std::map<std::vector<std::string>, const PutItem*> seen;
    const auto told = [](const PutItem& item) {
        return item.remove ? fmt::format("{} taken away", item.part) : fmt::format("{}={}", item.part, item.from);
    };
    const auto refuse = [&](const PutItem& a, const PutItem& b) {
        throw Error(ErrorCode::usage, "two of the parts in this call contradict each other")
            .in("part")
            .found(fmt::format("{} and {}", told(a), told(b)))
            .hint("name one of them, or make two calls");
    };
    for (const PutItem& item : items) {
        const auto [other, is_new] = seen.emplace(plain_names(item.part), &item);
        if (!is_new) refuse(*other->second, item);
    }
    for (const auto& [names, item] : seen)
        for (std::size_t count = 1; count < names.size(); ++count)
            if (const auto outer = seen.find({names.begin(), names.begin() + static_cast<std::ptrdiff_t>(count)});
                outer != seen.end())
                refuse(*outer->second, *item);
}

/// One of several parts that are changed at once.
struct OneOfMany {
    PutStep step;
    PartChange change;
    SharedSource before{};  ///< what the part holds; null: it is new
};

/// Nothing: it lies deeper, or there is no such part, and whoever goes one by one says so.
std::optional<OneOfMany> one_of_many(const Container& container, const std::map<std::string, Part>& parts,
                                     const PutItem& item, const PutOptions& options, const WorkOptions& work) {
    const std::vector<std::string> names = split_address(item.part);
    if (names.size() != 1) return std::nullopt;
    auto found = parts.find(names.front());
    if (found == parts.end()) {
        const auto alike = part_by_name(container, names.front());
        if (alike) found = parts.find(alike->name);
        if (!alike && (!options.add || item.remove)) return std::nullopt;
    }
    OneOfMany one{{.part = {}, .address = item.part, .from = item.from}, {names.front(), item.content}};
    if (!item.remove && !item.content) {
        const auto opened = std::make_shared<InputFile>(open_file(item.from, work));
        one.step.from = opened->origin();
        one.change.content = opened;
    }
    const SharedSource& content = one.change.content;
    if (found != parts.end()) {
        one.change.name = found->first;
        one.step.part = found->second;
        one.before = content_of(container, found->second, work.limits);
        one.step.changed = content ? changed_in(*one.before, *content) : found->second.size.value_or(0);
    } else {
        one.change.add = true;
        one.step.part = {.name = names.front(), .kind = "file", .size = content->size(), .offset = {}};
        one.step.changed = content->size();
    }
    one.step.outer = one.step.part;
    return one;
}

/// Parts of the outermost container, changed as one layout where the container can do that. False: one after the other.
bool put_at_once(const InputFile& file, const std::vector<PutItem>& items, const PutOptions& options,
                 const WorkOptions& work, PutPlan& plan) {
    if (items.size() < 2) return false;
    const auto container = open_with_tracks(file, file, work);
    if (!container) return false;
    std::map<std::string, Part> parts;
    for (Part& part : container->parts()) parts.emplace(part.name, std::move(part));
    std::vector<PartChange> changes;
    std::vector<SharedSource> held;
    for (const PutItem& item : items) {
        auto one = one_of_many(*container, parts, item, options, work);
        if (!one) return plan.steps.clear(), false;
        plan.steps.push_back(std::move(one->step));
        changes.push_back(std::move(one->change));
        if (one->before) held.push_back(std::move(one->before));
    }
    const auto made = container->change_all(changes, options);
    if (!made) {
        plan.steps.clear();
        return false;
    }
    plan.change = made->change;
    for (SharedSource& inner : held) plan.change.hold(std::move(inner));
    const std::uint64_t all = bytes_in(made->change.changed_ranges(file));
    std::uint64_t in_parts = 0;
    for (std::size_t i = 0; i < plan.steps.size(); ++i) {
        PutStep& step = plan.steps[i];
        const PutResult& part = made->parts[i];
        step.how = part.how, step.from_offset = part.from, step.to_offset = part.to;
        step.warnings = part.warnings;
        step.size_before = file.size(), step.size_after = made->change.result_size();
        step.mended = part.mended.value_or(0);
        in_parts += step.changed;
        if (changes[i].content) changes[i].content->check_intact();
    }
    // Where a container does not tell what follows: all that changes, once.
    if (!made->parts.front().mended) plan.steps.front().mended = all - std::min(all, in_parts);
    file.check_intact();
    return true;
}

}  // namespace

PutPlan plan_put(const InputFile& file, const std::vector<PutItem>& items, const PutOptions& options,
                 const WorkOptions& work) {
    PutPlan plan{{}, ChangeList(file.size()), {}};
    const std::vector<PutItem> all = expanded(file, items, work);
    refuse_contradictions(all);
    for (const PutItem& item : all)
        if (!item.remove && !item.content) plan.read.emplace_back(address_of(item.from).file);
    if (put_at_once(file, all, options, work, plan)) return plan;
    for (const PutItem& item : all) {
        SharedSource content = item.content;
        std::string from = item.from;
        if (!item.remove && !content) {
            const auto opened = std::make_shared<InputFile>(open_file(item.from, work));
            from = opened->origin();
            content = opened;
        }
        const auto made = std::make_shared<ChangedSource>(file, plan.change);
        PutStep step{.part = {}, .address = item.part, .from = from};
        const std::vector<std::string> names = split_address(item.part);
        PutResult result = change_container(
            made, names,
            [&](const Container& container, const std::string& name, const SharedSource&, const Limits& limits) {
                return put_one(container, name, content, options, limits, step, names.size());
            },
            options, work.limits, tracks_of(file, work));
        const Part& outer = result.part;
        if (content) content->check_intact();
        step.outer = outer;
        step.how = result.how, step.from_offset = result.from, step.to_offset = result.to;
        step.moved_sectors = result.moved_sectors;
        step.warnings = result.warnings;
        step.size_before = made->size(), step.size_after = result.change.result_size();
        if (result.mended && outer.lies != "computed") {
            step.mended = *result.mended;
        } else if (!result.how.empty()) {  // of whole sectors, their codes too
            const std::uint64_t touched = bytes_in(result.change.changed_ranges(*made));
            step.mended = touched - std::min(touched, step.changed);
        } else {
            for (const ByteRange& range : result.change.changed_ranges(*made))
                if (!lies_in(outer, range)) step.mended += range.length;
        }
        plan.steps.push_back(std::move(step));
        result.change.hold(made);
        plan.change = plan.change.then(result.change);
    }
    file.check_intact();
    return plan;
}

}  // namespace hotstitch
