// SPDX-License-Identifier: MIT
// Part by part, at any depth: what is the same is left out, what has a container's parts is looked into, and each part
// that differs becomes what takes least: fields of a map, a patch, or the new content. Files that moved are found by
// their content. Where putting the parts back makes not quite the new file (its directory was laid out otherwise), a
// patch of the result follows; where all that takes more than one patch of the whole, that is taken.
// Tested by tests/kit/kit_create_test.cc.
#include "kit/compare.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "base/letters.h"
#include "hotstitch/error.h"
#include "hotstitch/field_jobs.h"
#include "hotstitch/fields.h"
#include "record/steps.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

constexpr std::size_t deepest = 4;
constexpr std::uint64_t step_cost =
    60;  ///< bytes that a step takes in kit.toml, packed, and in the zip file's directory
constexpr std::uint64_t readable = 4096;  ///< bytes that steps for each part may take more than one patch of all
constexpr std::size_t most_fields = 64;
constexpr std::uint64_t most_changed_for_fields = 4096, largest_with_fields = std::uint64_t{64} << 20;

std::string inside_of(const std::string& at, const std::string& part) {
    return joined_address(at, escaped_part(part));
}

class Comparing {
public:
    explicit Comparing(const CompareOptions& options) : options_(options) {}

    struct Found {
        std::vector<FoundStep> steps;
        std::uint64_t cost = 0;
        bool whole = false;
        void add(FoundStep step) {
            cost += step_cost + (step.packed ? step.packed->size() : step.content ? step.content->size() : 0);
            steps.push_back(std::move(step));
        }
        void add(Found other) {
            cost += other.cost;
            for (FoundStep& step : other.steps) steps.push_back(std::move(step));
        }
    };

    /// REQUIRES that they differ.
    Found file(const SharedSource& before, const SharedSource& after, const std::string& at, const Limits& limits,
               std::size_t depth) {
        if (!options_.only_whole)
            if (auto fields = by_fields(before, after, at, limits)) return *std::move(fields);
        Found whole = as_a_whole(before, after, at, depth == 0);
        whole.whole = true;
        // What is small anyway needs no steps deep inside.
        if (options_.only_whole || depth >= deepest || (depth != 0 && whole.cost < step_cost + 200)) return whole;
        try {
            if (auto parts = by_parts(before, after, at, limits, depth))
                if (parts->cost <= whole.cost + whole.cost * options_.most_more / 100 + (depth == 0 ? readable : 0))
                    return *std::move(parts);
        } catch (const Error& error) {  // parts that cannot be put back so
            if (error.code() == ErrorCode::cancelled || error.code() == ErrorCode::io) throw;
        }
        return whole;
    }

    SharedSource patch_of(const ByteSource& before, const ByteSource& after) const {
        const std::shared_ptr<ByteSink> patch = scratch_of(options_.work.limits);
        CreateOptions create_options;
        create_options.format = PatchFormat::vcdiff;
        create_options.effort = options_.effort;
        create_options.limits = options_.work.limits;
        create_options.progress = options_.work.progress;
        create(before, after, *patch, create_options);
        return held(patch);
    }

    /// A patch or, inside a container or folder, the new content where that takes less.
    Found as_a_whole(const SharedSource& before, const SharedSource& after, const std::string& at,
                     bool outermost) const {
        FoundStep step{.step = {.does = step::Patch{}, .at = at}};
        step.content = patch_of(*before, *after);
        if (!outermost && step.content->size() > after->size() / 4) {
            FoundStep fresh = new_content(after);
            const std::uint64_t takes = fresh.packed ? fresh.packed->size() : after->size();
            if (takes <= step.content->size()) {
                fresh.step.at = at;
                step = std::move(fresh);
            }
        }
        Found found;
        found.add(std::move(step));
        return found;
    }

    /// New content, packed where that pays. Its place has still to be said.
    static FoundStep new_content(const SharedSource& content) {
        FoundStep step{.step = {.does = step::Put{}}};
        step.content = content;
        constexpr std::uint64_t least = 4096, most = std::uint64_t{64} << 20;
        if (content->size() < least || content->size() > most) return step;
        try {
            const WholeView view(*content);
            Bytes packed = pack_content("xz", view.bytes());
            if (packed.size() < content->size() * 9 / 10) step.packed = owned(std::move(packed));
        } catch (const Error& error) {  // a build without it
            if (error.code() != ErrorCode::unsupported) throw;
        }
        return step;
    }

private:
    /// Every byte that differs lies in fields that a map names.
    std::optional<Found> by_fields(const SharedSource& before, const SharedSource& after, const std::string& at,
                                   const Limits& limits) const {
        const auto maps = maps_in(limits);
        if (!maps || maps->empty() || before->size() != after->size() || before->size() > largest_with_fields)
            return std::nullopt;
        std::uint64_t changed = 0;
        each_difference(*before, *after, [&](const ByteRange& range) { changed += range.length; });
        if (changed > most_changed_for_fields) return std::nullopt;
        try {
            const FileFields fields(before, limits), now(after, limits);
            if (fields.maps() != 1) return std::nullopt;
            const FieldComparison found = fields.compare(now);
            if (found.fields.empty() || found.fields.size() > most_fields) return std::nullopt;
            step::Set set;
            for (const FieldChange& change : found.fields) {
                if (!change.part.empty()) return std::nullopt;
                set.fields.push_back({change.selector, change.after});
            }
            FieldOptions set_options;
            set_options.limits = limits;
            const FieldPlan plan = fields.set(set.fields, set_options);
            if (!are_same(ChangedSource(before, plan.change), *after)) return std::nullopt;
            set.map = traits_of(*fields.units().front().maps.front()).name;
            Found all;
            all.add(FoundStep{.step = {.does = std::move(set), .at = at}});
            return all;
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled || error.code() == ErrorCode::io) throw;
            return std::nullopt;
        }
    }

    /// The parts that can be put back: files, and the one content of what is packed; none that stands for another.
    static std::map<std::string, Part> files_of(const Container& container) {
        std::map<std::string, Part> files;
        for (const Part& part : container.parts())
            if ((part.kind == PartKind::file || part.kind == PartKind::content) && !part.encrypted && !part.follows)
                files.emplace(part.name, part);
        return files;
    }

    std::optional<Found> by_parts(const SharedSource& before, const SharedSource& after, const std::string& at,
                                  const Limits& limits, std::size_t depth) {
        const Listing old_one(before, limits), new_one(after, limits);
        if (!old_one || !new_one || old_one->kind() != new_one->kind()) return std::nullopt;
        const auto old_files = files_of(*old_one), new_files = files_of(*new_one);
        if (old_files.empty() || new_files.empty()) return std::nullopt;
        Found all;
        WorkingFile made(before);
        for (const auto& [name, part] : old_files) {
            if (new_files.contains(name)) continue;
            const bool done = put_into(made, limits, [&name = name](const Container& now, const PutOptions& options) {
                return now.remove(find_part(now, name), options).change;
            });
            if (done) all.add(FoundStep{.step = {.does = step::Remove{}, .at = inside_of(at, name)}});
        }
        for (const auto& [name, part] : new_files) {
            const SharedSource content = new_one.content(part, options_.work.limits);
            const auto there = old_files.find(name);
            const bool was = there != old_files.end();
            const SharedSource old_content = was ? old_one.content(there->second, options_.work.limits) : nullptr;
            if (was && are_same(*old_content, *content)) continue;
            // What the steps so far have changed of it as well, follows from them: no step of its own.
            if (was && !all.steps.empty() && !is_as_before(made, limits, name, *old_content)) continue;
            const bool done =
                put_into(made, limits, [&, &name = name](const Container& now, const PutOptions& options) {
                    ChangeList change = was ? now.put(find_part(now, name), content, options).change
                                            : now.add(name, content, options).change;
                    change.hold(content);
                    return change;
                });
            if (!done) continue;
            all.add(
                was ? file(old_content, content, inside_of(at, name), limits_inside(limits, *before, name), depth + 1)
                    : added(old_one, content, at, name));
        }
        if (all.steps.empty()) return std::nullopt;
        // Directories may have been laid out otherwise.
        const SharedSource result = made.now(options_.work);
        if (!are_same(*result, *after)) {
            FoundStep rest{.step = {.does = step::Patch{}, .at = at}};
            rest.content = patch_of(*result, *after);
            rest.last = true;
            if (depth == 0) rest.step.note = "what is left, where the new file was laid out otherwise";
            all.add(std::move(rest));
        }
        return all;
    }

    bool is_as_before(WorkingFile& made, const Limits& limits, const std::string& name,
                      const ByteSource& old_content) const {
        const SharedSource now = made.now(options_.work);
        const Listing container(now, limits);
        return container && are_same(*container.content(find_part(*container, name), limits), old_content);
    }

    /// A new file in a container: one that was there under another name, or new content.
    Found added(const Listing& container, const SharedSource& content, const std::string& at,
                const std::string& name) const {
        std::string from;
        for (const auto& [other, part] : files_of(*container)) {
            if (part.size != content->size() || content->size() == 0) continue;
            if (!are_same(*container.content(part, options_.work.limits), *content)) continue;
            from = inside_of(at, other);
            break;
        }
        FoundStep step = from.empty() ? new_content(content) : FoundStep{.step = {.does = step::Put{.file = from}}};
        step.step.at = inside_of(at, name), step.step.as<step::Put>()->add = true;
        Found found;
        found.add(std::move(step));
        return found;
    }

    /// False: it cannot be put so, and is left to the patch of the rest.
    bool put_into(WorkingFile& made, const Limits& limits,
                  const std::function<ChangeList(const Container&, const PutOptions&)>& change) const {
        const SharedSource now = made.now(options_.work);
        const Listing container(now, limits);
        if (!container) return false;
        PutOptions options;
        options.add = true;
        try {
            ChangeList done = change(*container, options);
            done.hold(now);
            made.change(done);
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled || error.code() == ErrorCode::io) throw;
            return false;
        }
        return true;
    }

    const CompareOptions& options_;
};

void refuse_other_case(const Tree& tree) {
    std::map<std::string, std::string> seen;
    for (const auto& [name, entry] : tree)
        if (const auto [other, is_new] = seen.emplace(lower(name), name); !is_new)
            throw Error(ErrorCode::usage, "two names differ only by case, which many systems take for one")
                .in("name")
                .found(fmt::format("{}, {}", other->second, name))
                .hint("give one of them another name");
}

}  // namespace

bool FoundStep::same_as(const FoundStep& other) const {
    if (step.at != other.step.at || last != other.last || !content != !other.content ||
        to_json(step) != to_json(other.step))
        return false;
    return !content || are_same(*content, *other.content);
}

std::vector<FoundStep> steps_between(const SharedSource& before, const SharedSource& after, const std::string& at,
                                     const CompareOptions& options, bool& whole) {
    whole = false;
    if (are_same(*before, *after)) return {};
    Comparing::Found found = Comparing(options).file(before, after, at, options.work.limits, 0);
    whole = found.whole;
    return std::move(found.steps);
}

namespace {

/// Old files by size, for those that moved.
class MovedFiles {
public:
    MovedFiles(const Tree& before) {
        for (const auto& [name, entry] : before)
            if (entry.kind == TreeEntry::Kind::file && entry.size != 0)
                by_size_.emplace(entry.size, &name), tree_ = &before;
    }
    /// The old file of this content; null: there is none.
    const std::string* find(const ByteSource& content) const {
        const auto [begin, end] = by_size_.equal_range(content.size());
        for (auto at = begin; at != end; ++at)
            if (are_same(*tree_->at(*at->second).open(), content)) return at->second;
        return nullptr;
    }

private:
    std::multimap<std::uint64_t, const std::string*> by_size_;
    const Tree* tree_ = nullptr;
};

}  // namespace

std::vector<FoundStep> steps_between(const Tree& before, const Tree& after, const std::string& at,
                                     const CompareOptions& options) {
    using Kind = TreeEntry::Kind;
    refuse_other_case(after);
    std::vector<FoundStep> steps;
    const MovedFiles moved(before);
    const auto stays = [&](const std::string& name, const TreeEntry& entry) {
        const auto now = after.find(name);
        return now != after.end() && now->second.kind == entry.kind &&
               (entry.kind != Kind::link || now->second.to == entry.to);
    };
    std::set<std::string> gone;  // what goes with the folder above it
    for (const auto& [name, entry] : before) {
        if (stays(name, entry)) continue;
        gone.insert(name);
        const std::vector<std::string> above = folders_above(name);
        if (above.empty() || !gone.contains(above.back()))
            steps.push_back({.step = {.does = step::Remove{}, .at = inside_of(at, name)}});
    }
    for (const auto& [name, entry] : after) {
        const auto there = before.find(name);
        const bool was = there != before.end() && stays(name, there->second);
        const std::string place = inside_of(at, name);
        if (entry.kind == Kind::folder) {
            // Those with something in them come with it.
            const auto next = after.lower_bound(name + "/");
            const bool empty = next == after.end() || !next->first.starts_with(name + "/");
            if (!was && empty) steps.push_back({.step = {.does = step::Folder{}, .at = place}});
            continue;
        }
        if (entry.kind == Kind::link) {
            if (!was) steps.push_back({.step = {.does = step::Link{entry.to}, .at = place}});
            continue;
        }
        const SharedSource content = entry.open();
        if (!was) {
            const std::string* const from = moved.find(*content);
            FoundStep step = from == nullptr ? Comparing::new_content(content)
                                             : FoundStep{.step = {.does = step::Put{.file = inside_of(at, *from)}}};
            step.step.at = place;
            auto& put = *step.step.as<step::Put>();
            put.add = true;
            if (entry.executable) put.executable = true;
            steps.push_back(std::move(step));
            continue;
        }
        if (entry.executable != there->second.executable)
            steps.push_back({.step = {.does = step::Put{.file = place, .executable = entry.executable}, .at = place}});
        const SharedSource old_content = there->second.open();
        if (are_same(*old_content, *content)) continue;
        Comparing::Found found = Comparing(options).file(old_content, content, place, options.work.limits, 1);
        for (FoundStep& step : found.steps) steps.push_back(std::move(step));
    }
    return steps;
}

}  // namespace hotstitch
