// SPDX-License-Identifier: MIT
// Each step becomes a change list of the base it works on, or of the file in it, and is joined to those before it: so a
// disc is written once however many parts are put into it. Tested by tests/kit_test.cc.
#include "work/kit_steps.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/letters.h"
#include "fit/readings.h"
#include "hotstitch/apply.h"
#include "hotstitch/edit_list.h"
#include "hotstitch/error.h"
#include "hotstitch/mend.h"
#include "hotstitch/words.h"
#include "source/whole.h"

namespace hotstitch {

namespace fs = std::filesystem;

SharedMap map_of_kit(const KitInput& kit, const std::string& name) {
    for (const SharedMap& map : kit.maps()->all())
        if (traits_of(*map).name == name) return map;
    const SharedSource text = kit.open(name);
    return read_map(text_of(WholeView(*text).bytes()), name);
}

std::string map_beside(const std::string& list, const std::string& map) {
    return (fs::path(list).parent_path() / map).lexically_normal().generic_string();
}

WorkingBase working_base(const KitBaseFound& found, const Limits& limits) {
    WorkingBase base;
    if (found.file) {
        base.input = found.file;
        base.reading = found.reading;
        const SharedSource file = InputFile::shared(*found.file);
        base.file = std::make_shared<WorkingFile>(found.reading ? shared_as(file, *found.reading) : file);
        return base;
    }
    base.folder = found.folder;
    base.container = found.container;
    base.tree = found.container ? read_tree(*found.container, limits) : read_tree(found.folder);
    base.original = base.tree;
    return base;
}

std::vector<std::pair<std::string, std::string>> KitOnItsWay::editions() const {
    std::vector<std::pair<std::string, std::string>> all;
    for (const KitBaseFound& one : found)
        all.emplace_back(one.base->id, one ? one.edition : one.base->any.front().name);
    return all;
}

std::string KitOnItsWay::text(const std::string& pattern) const {
    return kit_text_for(kit.kit(), pattern, editions());
}

std::string KitOnItsWay::edition_of(const std::string& address) const {
    const std::string id = address_in_base(kit.kit(), address).file;
    for (const KitBaseFound& one : found)
        if (one.base->id == id || (id.empty() && found.size() == 1)) return one.edition;
    return {};
}

bool KitOnItsWay::is_for(const std::vector<std::string>& only, const std::string& address) const {
    if (only.empty()) return true;
    const auto named = [&](const std::string& name) { return std::find(only.begin(), only.end(), name) != only.end(); };
    const KitBase* const own = kit.kit().base(address_in_base(kit.kit(), address).file);
    // Editions of the base itself, where they are; else of whichever base has them.
    if (own != nullptr && std::any_of(own->any.begin(), own->any.end(), [&](const auto& e) { return named(e.name); }))
        return named(edition_of(address));
    return std::any_of(found.begin(), found.end(), [&](const KitBaseFound& one) { return one && named(one.edition); });
}

bool is_done(const KitOnItsWay& kit, const KitStep& step) {
    const auto there = [&](const std::string& address) {
        const std::string id = address_in_base(kit.kit.kit(), address).file;
        return id.empty() || kit.bases.contains(id);
    };
    const bool from_base = step.does == KitStep::Does::put;
    return there(step.at) && (!from_base || there(step.file)) && kit.is_for(step.only, step.at);
}

namespace {

Error no_such_file(const Tree& tree, const std::string& path) {
    std::vector<std::string> names;
    for (const auto& [name, entry] : tree) names.push_back(name);
    const std::string near = names.size() > 5000 ? std::string() : nearest_word(path, names);
    return Error(ErrorCode::wrong_source, fmt::format("the folder has no {}", path))
        .in("file")
        .found(near.empty() ? "" : near)
        .hint("look for the release that the kit is for");
}

WorkingFile& file_in(Tree& tree, const std::string& path) {
    const auto found = tree.find(path);
    if (found == tree.end() || found->second.kind != TreeEntry::Kind::file) throw no_such_file(tree, path);
    if (!found->second.working) found->second.working = std::make_shared<WorkingFile>(found->second.open());
    return *found->second.working;
}

/// An error of a step, with the step in front. What was wrong with a part or a value is the kit's or the base's matter,
/// never that of the call.
Error of_step(const Error& error, const KitInput& kit, const KitStep& step) {
    const ErrorCode code = error.code() == ErrorCode::usage || error.code() == ErrorCode::not_this_format
                               ? ErrorCode::wrong_source
                               : error.code();
    const ErrorId id = code == error.code() ? error.id() : ErrorId::none;
    Error out(code, fmt::format("{}, line {}, cannot {}: {}", (kit.path() / kit_text_name).string(), step.line,
                                words_for(step), error.what()));
    return std::move(out)
        .as(id, error.about())
        .in(error.field().empty() && id == ErrorId::none ? "step" : error.field())
        .wanted(error.wanted())
        .found(error.found())
        .hint(error.hint());
}

class StepRun {
public:
    StepRun(KitOnItsWay& kit, const KitStep& step, WorkOptions work) : kit_(kit), step_(step), work_(std::move(work)) {
        Address at = address_in_base(kit.kit.kit(), step.at);
        base_ = kit.bases.at(at.file).get();
        names_ = std::move(at.parts);
        auto maps = std::make_shared<Maps>();  // the kit's alone, so that it makes the same for everybody
        for (const SharedMap& map : kit.kit.maps()->all())
            if (!traits_of(*map).for_any) maps->add(map);
        if (!step.map.empty()) own_maps_.push_back(map_of_kit(kit.kit, step.map));
        for (const SharedMap& map : own_maps_) maps->add(map, true);
        work_.limits.maps = std::move(maps);
    }

    void run() {
        using enum KitStep::Does;
        switch (step_.does) {
            case apply:
            case edit: return patch();
            case put: return put_in();
            case set: return set_fields();
            case remove: return take_away();
            case mend: return mend_checks();
            case folder: return add_entry({.kind = TreeEntry::Kind::folder});
            case link: return add_entry({.kind = TreeEntry::Kind::link, .to = step_.file});
        }
    }

private:
    /// The file that the step changes: the base, or one in its folder, whose name is then taken off the names.
    WorkingFile& target() {
        if (!base_->is_folder()) return *base_->file;
        if (names_.empty()) throw Error(ErrorCode::usage, "the base is a folder, and this is for a file").in("step");
        WorkingFile& file = file_in(base_->tree, names_.front());
        names_.erase(names_.begin());
        return file;
    }

    void change(WorkingFile& file, const std::vector<std::string>& names, const ChangePart& make) {
        PutOptions options;
        options.room = step_.room, options.add = step_.add;
        const SharedSource now = file.now(work_);
        ChangeList change = change_inside(now, names, make, options, work_.limits);
        change.hold(now);
        file.change(change);
    }

    void patch() {
        const std::string name = kit_.text(step_.file);
        const SharedSource bytes = kit_.kit.open(name);
        const std::shared_ptr<const PatchReader> reader = open_patch(*bytes, work_.limits);
        if (reader->facts().format == PatchFormat::edits) {
            auto maps = std::make_shared<Maps>(*work_.limits.maps);
            for (const std::string& map : reader->facts().maps) {
                own_maps_.push_back(map_of_kit(kit_.kit, map_beside(name, map)));
                maps->add(own_maps_.back(), traits_of(*own_maps_.back()).for_any);
            }
            work_.limits.maps = std::move(maps);
        }
        WorkingFile& file = target();
        if (names_.empty()) {
            file.now(work_);
            file.patch(bytes, open_patch(*bytes, work_.limits), work_.limits,
                       [&kit = kit_.kit, &step = step_](const Error& error) { return of_step(error, kit, step); });
            return;
        }
        change(file, names_, [&](const SharedSource& content, const Limits& limits) {
            const std::shared_ptr<ByteSink> made = scratch_of(limits);
            ApplyOptions options;
            options.limits = with_own_maps(limits);
            options.progress = work_.progress;
            hotstitch::apply(*open_patch(*bytes, options.limits), *content, *made, options);
            return replaced(*content, held(made));
        });
    }

    static ChangeList replaced(const ByteSource& content, const SharedSource& by) {
        ChangeList list(content.size());
        list.put_from(0, content.size(), by, 0, by->size());
        return list;
    }

    /// What is looked at is what the step names, at whatever depth: its own maps are for that.
    Limits with_own_maps(const Limits& inside) const {
        if (names_.empty() || own_maps_.empty()) return inside;
        Limits limits = inside;
        auto maps = std::make_shared<Maps>(inside.maps ? *inside.maps : Maps());
        for (const SharedMap& map : own_maps_)
            if (traits_of(*map).part.empty()) maps->add(map, true);
        limits.maps = std::move(maps);
        return limits;
    }

    void set_fields() {
        WorkingFile& file = target();
        change(file, names_, [&](const SharedSource& content, const Limits& limits) {
            FieldOptions options;
            options.limits = with_own_maps(limits);
            return FileFields(content, options.limits).set(step_.set, options).change;
        });
    }

    void mend_checks() {
        std::vector<MendRequest> requests;
        for (const std::string& text : step_.mends) {
            const std::size_t equals = std::min(text.find('='), text.size());
            requests.push_back({text.substr(0, equals), text.substr(std::min(equals + 1, text.size()))});
        }
        WorkingFile& file = target();
        change(file, names_, [&](const SharedSource& content, const Limits& limits) {
            MendOptions options;
            options.limits = limits;
            options.content = [&](const std::string& name) {
                const SharedSource bytes = kit_.kit.open(name);
                const WholeView view(*bytes, limits);
                return Bytes(view.bytes().begin(), view.bytes().end());
            };
            return plan_mends(*content, requests, options).change;
        });
    }

    void put_in() {
        const SharedSource content = content_at(kit_, step_.file, true, work_);
        if (base_->is_folder() && names_.size() == 1) return put_file(content);
        in_container(target(), [&](const Container& container, const std::string& name, const PutOptions& options) {
            const auto there = part_by_name(container, name);
            if (!there && !step_.add) throw no_such_part(container, name);
            PutResult result = there ? container.put(*there, content, options) : container.add(name, content, options);
            result.change.hold(content);
            return result;
        });
    }

    /// Changes one part of what it lies in.
    void in_container(WorkingFile& file,
                      const std::function<PutResult(const Container&, const std::string&, const PutOptions&)>& make) {
        const PutOptions options{.room = step_.room, .add = step_.add};
        const SharedSource now = file.now(work_);
        PutResult result = change_container(
            now, names_,
            [&](const Container& container, const std::string& name, const SharedSource&, const Limits&) {
                return make(container, name, options);
            },
            options, work_.limits);
        result.change.hold(now);
        file.change(result.change);
    }

    void put_file(const SharedSource& content) {
        Tree& tree = base_->tree;
        const std::string& path = names_.front();
        const auto there = tree.find(path);
        const bool is_file = there != tree.end() && there->second.kind == TreeEntry::Kind::file;
        if (!is_file && !step_.add) throw no_such_file(tree, path);
        if (!is_file) {
            TreeEntry entry;
            entry.open = [content] { return content; };
            add_entry(std::move(entry));
        }
        TreeEntry& entry = tree.at(path);
        if (!entry.working) entry.working = std::make_shared<WorkingFile>(is_file ? entry.open() : owned({}));
        entry.working->replace(content);
        if (step_.executable) entry.executable = *step_.executable;
    }

    /// Something new in a folder: with the folders above it, and by a name that is no other's but for case.
    void add_entry(TreeEntry entry) {
        Tree& tree = base_->tree;
        const std::string path = names_.front();
        if (const auto there = tree.find(path); there != tree.end()) {
            if (there->second.kind == TreeEntry::Kind::folder && entry.kind == TreeEntry::Kind::folder) return;
            throw Error(ErrorCode::wrong_source, fmt::format("there is a {} already", path)).in("name").found(path);
        }
        std::vector<std::string> all = folders_above(path);
        for (const std::string& above : all) {
            const auto folder = tree.find(above);
            if (folder != tree.end() && folder->second.kind != TreeEntry::Kind::folder)
                throw Error(ErrorCode::wrong_source, fmt::format("{} is no folder", above)).in("name").found(path);
        }
        all.push_back(path);
        for (const std::string& name : all)
            if (!tree.contains(name)) refuse_other_case(tree, name);
        for (const std::string& above : folders_above(path))
            tree.try_emplace(above, TreeEntry{.kind = TreeEntry::Kind::folder});
        tree.emplace(path, std::move(entry));
    }

    /// Names beside it, in the same folder.
    static void refuse_other_case(const Tree& tree, const std::string& path) {
        const std::string folder = path.substr(0, path.rfind('/') == std::string::npos ? 0 : path.rfind('/') + 1);
        const std::string wanted = lower(path);
        for (auto at = tree.lower_bound(folder); at != tree.end() && at->first.starts_with(folder); ++at)
            if (lower(at->first) == wanted)
                throw Error(ErrorCode::wrong_source, "a name differs from another only by case")
                    .in("name")
                    .found(fmt::format("{}, {}", at->first, path))
                    .hint("many systems take both for one; the kit's maker has to choose another name");
    }

    void take_away() {
        if (base_->is_folder() && names_.size() == 1) {
            const std::string& path = names_.front();
            if (base_->tree.erase(path) == 0) throw no_such_file(base_->original, path);
            std::erase_if(base_->tree, [&](const auto& row) { return row.first.starts_with(path + "/"); });
            return;
        }
        in_container(target(), [](const Container& container, const std::string& name, const PutOptions& options) {
            return container.remove(find_part(container, name), options);
        });
    }

    KitOnItsWay& kit_;
    const KitStep& step_;
    WorkOptions work_;
    WorkingBase* base_ = nullptr;
    std::vector<std::string> names_;
    std::vector<SharedMap> own_maps_;  ///< that the step, or its edit list, names
};

}  // namespace

SharedSource content_at(KitOnItsWay& kit, const std::string& from, bool as_brought, const WorkOptions& work) {
    Limits limits = work.limits;
    const Address address = address_in_base(kit.kit.kit(), from);
    if (address.file.empty()) {
        const Address own = address_in_kit(kit.text(from));
        return open_inside(kit.kit.open(own.file), own.parts, limits);
    }
    WorkingBase& base = *kit.bases.at(address.file);
    std::vector<std::string> names = address.parts;
    if (!base.is_folder()) return open_inside(as_brought ? base.file->original() : base.file->now(work), names, limits);
    if (names.empty()) throw Error(ErrorCode::usage, "this is a folder, and a file is needed").found(from);
    Tree& tree = as_brought ? base.original : base.tree;
    const auto found = tree.find(names.front());
    if (found == tree.end() || found->second.kind != TreeEntry::Kind::file) throw no_such_file(tree, names.front());
    const SharedSource file =
        found->second.working && !as_brought ? found->second.working->now(work) : found->second.open();
    names.erase(names.begin());
    return open_inside(file, names, limits);
}

void run_step(KitOnItsWay& kit, const KitStep& step, const WorkOptions& work) {
    try {
        StepRun(kit, step, work).run();
    } catch (const Error& error) {
        if (error.code() == ErrorCode::cancelled) throw;
        throw of_step(error, kit.kit, step);
    }
}

}  // namespace hotstitch
