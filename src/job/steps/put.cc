// SPDX-License-Identifier: MIT
// Puts parts into a file, or into parts of parts, and takes parts away: each container closes what the one inside it
// has become. Several in the outermost container are laid out at once. Tested by tests/part/part_test.cc,
// tests/part/payload_test.cc and tests/cli/cli_disc_test.cc.
#include <fmt/format.h>

#include <map>
#include <numeric>

#include "base/letters.h"
#include "hotstitch/error.h"
#include "hotstitch/inputs.h"
#include "job/step_run.h"

namespace hotstitch {

namespace fs = std::filesystem;

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

/// What a step does to a part, looked at before it is done.
PutReport report_for(const Container& container, const std::optional<Part>& there, const std::string& name,
                     const SharedSource& content, const Limits& limits, SharedSource& before) {
    PutReport report{.part = there ? *there
                                   : Part{.name = name, .kind = PartKind::file, .size = content->size(), .offset = {}}};
    report.changed = report.part.size.value_or(0);
    if (!there || !content) return report;
    before = content_of(container, *there, limits);
    report.changed = changed_in(*before, *content);
    return report;
}

/// Where the part went, once all is known.
void complete(PutReport& report, const PutResult& result, const ByteSource& file) {
    const Part& outer = result.part;
    report.outer = outer;
    report.how = result.how, report.from_offset = result.from, report.to_offset = result.to;
    report.moved_sectors = result.moved_sectors;
    report.warnings = result.warnings;
    report.size_before = file.size(), report.size_after = result.change.result_size();
    if (result.mended && outer.storage != PartStorage::computed) {
        report.mended = *result.mended;
    } else if (!result.how.empty()) {  // of whole sectors, their codes too
        const std::uint64_t touched = bytes_in(result.change.changed_ranges(file));
        report.mended = touched - std::min(touched, report.changed);
    } else {
        for (const ByteRange& range : result.change.changed_ranges(file))
            if (!lies_in(outer, range)) report.mended += range.length;
    }
}

/// Puts `content` in the place of one part, adds it, or (no content) takes the part away.
Did change_part(StepContext& context, const StepContent& content) {
    StepHost& host = context.host;
    WorkingFile& file = context.target();
    const PutOptions options = context.put_options();
    PutReport report;
    const SharedSource now = file.now(host.work);
    PutResult result = change_container(
        now, context.names,
        [&](const Container& container, const std::string& name, const SharedSource&, const Limits& limits) {
            const auto there = part_by_name(container, name);
            if (!there && (!content.source || !options.add)) {
                const bool could_be_added =
                    host.tells && container.kind() == KindId::disc && context.names.size() == 1 && content.source;
                throw could_be_added
                    ? no_such_part(container, name).as(ErrorId::part_is_new).hint("if it is to be a new file, add it")
                    : no_such_part(container, name);
            }
            SharedSource before;
            if (host.tells) report = report_for(container, there, name, content.source, limits, before);
            PutResult made = !content.source ? container.remove(*there, options)
                             : there         ? container.put(*there, content.source, options)
                                             : container.add(name, content.source, options);
            if (content.source) made.change.hold(content.source);
            if (before) made.change.hold(before);
            if (there) made.part = *there;
            if (host.tells) made.part = report.part;
            return made;
        },
        options, host.work.limits, host.outermost);
    if (content.source) content.source->check_intact();
    if (host.tells) {
        report.address = joined_address(context.names), report.from = content.origin;
        complete(report, result, *now);
    }
    result.change.hold(now);
    file.change(result.change);
    return report;
}

}  // namespace

Did run(StepContext& context, const step::Put& does) {
    const StepContent content = context.host.open(does.file);
    if (!context.base.is_folder() || context.names.size() != 1) return change_part(context, content);
    put_file(context, does, content.source);
    return {};
}

Did run(StepContext& context, const step::Remove&) {
    if (!context.base.is_folder() || context.names.size() != 1) return change_part(context, {});
    remove_entry(context);
    return {};
}

std::vector<Step> expanded(const ByteSource& file, const std::vector<std::string>& inside,
                           const std::vector<Step>& steps, const StepHost& host) {
    std::vector<Step> all;
    for (const Step& step : steps) {
        std::error_code code;
        const auto* const put = step.as<step::Put>();
        if (put == nullptr || !fs::is_directory(put->file, code)) {
            all.push_back(step);
            continue;
        }
        std::string prefix = step.at;
        if (!prefix.ends_with('/')) prefix += '/';
        if (prefix.starts_with('/')) prefix.erase(0, 1);
        Listing container;
        if (inside.empty()) container = host.open_outermost(borrowed(file));
        std::map<std::string, Part> parts;
        if (container)
            for (Part& part : container->parts()) parts.emplace(part.name, std::move(part));
        for (const fs::path& path : files_below(put->file)) {
            const std::string name = prefix + path.lexically_relative(put->file).generic_string();
            if (const auto there = parts.find(name); there != parts.end()) {
                const InputFile now(path);
                const SharedSource before = now.size() == there->second.size ? container->open(there->second) : nullptr;
                if (before && are_same(*before, now)) continue;
            }
            Step one = step;
            one.at = escaped_part(name);
            one.as<step::Put>()->file = path.string();
            all.push_back(std::move(one));
        }
    }
    return all;
}

namespace {

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

}  // namespace

void refuse_contradictions(std::span<const Step> steps) {
    std::map<std::vector<std::string>, const Step*> seen;
    const auto told = [](const Step& step) {
        const auto* const put = step.as<step::Put>();
        return put == nullptr ? fmt::format("{} taken away", step.at) : fmt::format("{}={}", step.at, put->file);
    };
    const auto refuse = [&](const Step& a, const Step& b) {
        throw Error(ErrorCode::usage, "two of the parts in this call contradict each other")
            .in("part")
            .found(fmt::format("{} and {}", told(a), told(b)))
            .hint("name one of them, or make two calls");
    };
    for (const Step& step : steps) {
        if (!step.is<step::Put>() && !step.is<step::Remove>()) continue;
        const auto [other, is_new] = seen.emplace(plain_names(step.at), &step);
        if (!is_new) refuse(*other->second, step);
    }
    for (const auto& [names, step] : seen)
        for (std::size_t count = 1; count < names.size(); ++count)
            if (const auto outer = seen.find({names.begin(), names.begin() + static_cast<std::ptrdiff_t>(count)});
                outer != seen.end())
                refuse(*outer->second, *step);
}

namespace {

/// One of several parts that are changed at once.
struct OneOfMany {
    PutReport report;
    PartChange change;
    SharedSource before{};  ///< what the part holds; null: it is new
};

/// Nothing: it lies deeper, or there is no such part, and whoever goes one by one says so.
std::optional<OneOfMany> one_of_many(const Container& container, const std::map<std::string, Part>& parts,
                                     const std::vector<std::string>& names, const Step& step, StepHost& host) {
    if (names.size() != 1) return std::nullopt;
    const auto* const put = step.as<step::Put>();
    auto found = parts.find(names.front());
    if (found == parts.end()) {
        const auto alike = part_by_name(container, names.front());
        if (alike) found = parts.find(alike->name);
        if (!alike && (put == nullptr || !put->add)) return std::nullopt;
    }
    const StepContent content = put == nullptr ? StepContent{} : host.open(put->file);
    const std::optional<Part> there = found == parts.end() ? std::nullopt : std::optional(found->second);
    OneOfMany one{{}, {there ? found->first : names.front(), content.source}};
    one.report = report_for(container, there, names.front(), content.source, host.work.limits, one.before);
    one.report.address = joined_address(names), one.report.from = content.origin;
    one.report.outer = one.report.part;
    one.change.add = !there;
    return one;
}

bool have_one_room(std::span<const Step> steps) {
    const step::Put* first = nullptr;
    for (const Step& step : steps) {
        const auto* const put = step.as<step::Put>();
        if (put != nullptr && first != nullptr && put->room != first->room) return false;
        if (put != nullptr && first == nullptr) first = put;
    }
    return true;
}

}  // namespace

std::optional<std::vector<StepReport>> put_at_once(WorkingFile& working, const std::vector<std::string>& inside,
                                                   std::span<const Step> steps, StepHost& host) {
    if (steps.size() < 2 || !have_one_room(steps)) return std::nullopt;
    const SharedSource file = working.now(host.work);
    const Listing container = host.open_outermost(file);
    if (!container) return std::nullopt;
    std::map<std::string, Part> parts;
    for (Part& part : container->parts()) parts.emplace(part.name, std::move(part));
    std::vector<StepReport> reports;
    std::vector<PartChange> changes;
    std::vector<SharedSource> held;
    PutOptions options{.mend = host.mend, .allow = host.allow};
    for (const Step& step : steps) {
        std::vector<std::string> names = inside;
        for (std::string& name : split_address(step.at)) names.push_back(std::move(name));
        auto one = one_of_many(*container, parts, names, step, host);
        if (!one) return std::nullopt;
        if (const auto* const put = step.as<step::Put>()) options.room = put->room, options.add |= put->add;
        reports.push_back({step, std::move(one->report)});
        changes.push_back(std::move(one->change));
        if (one->before) held.push_back(std::move(one->before));
    }
    const auto made = container->change_all(changes, options);
    if (!made) return std::nullopt;
    ChangeList change = made->change;
    for (SharedSource& inner : held) change.hold(std::move(inner));
    change.hold(file);
    const std::uint64_t all = bytes_in(change.changed_ranges(*file));
    std::uint64_t in_parts = 0;
    for (std::size_t i = 0; i < reports.size(); ++i) {
        auto& report = std::get<PutReport>(reports[i].did);
        const PutResult& part = made->parts[i];
        report.how = part.how, report.from_offset = part.from, report.to_offset = part.to;
        report.warnings = part.warnings;
        report.size_before = file->size(), report.size_after = change.result_size();
        report.mended = part.mended.value_or(0);
        in_parts += report.changed;
        if (changes[i].content) changes[i].content->check_intact();
    }
    // Where a container does not tell what follows: all that changes, once.
    if (!made->parts.front().mended) std::get<PutReport>(reports.front().did).mended = all - std::min(all, in_parts);
    file->check_intact();
    working.change(change);
    return reports;
}

}  // namespace hotstitch
