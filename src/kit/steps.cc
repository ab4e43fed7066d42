// SPDX-License-Identifier: MIT
// What a kit's steps are given: its files, its maps, its bases; the steps themselves are in job/steps/.
// Tested by tests/kit/kit_test.cc.
#include "kit/steps.h"

#include <fmt/format.h>

#include <algorithm>

#include "fit/readings.h"
#include "hotstitch/error.h"
#include "job/step_run.h"
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
    base.tree = found.container ? read_tree(found.container, limits) : read_tree(found.folder);
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

bool is_done(const KitOnItsWay& kit, const Step& step) {
    const auto there = [&](const std::string& address) {
        const std::string id = address_in_base(kit.kit.kit(), address).file;
        return id.empty() || kit.bases.contains(id);
    };
    const auto* const put = step.as<step::Put>();
    return there(step.at) && (put == nullptr || there(put->file)) && kit.is_for(step.only, step.at);
}

namespace {

/// An error of a step, with the step in front. What was wrong with a part or a value is the kit's or the base's matter,
/// never that of the call.
Error of_step(const Error& error, const KitInput& kit, const Step& step) {
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

/// A kit's files and maps, for one of its steps. Its maps alone, so that it makes the same for everybody.
class KitHost final : public StepHost {
public:
    KitHost(KitOnItsWay& kit, const Step& step, WorkOptions options)
        : StepHost(std::move(options)), kit_(kit), step_(step) {
        auto maps = std::make_shared<Maps>();
        for (const SharedMap& map : kit.kit.maps()->all())
            if (!traits_of(*map).for_any) maps->add(map);
        if (const auto* const set = step.as<step::Set>(); set != nullptr && !set->map.empty())
            own_maps_.push_back(map_of_kit(kit.kit, set->map));
        for (const SharedMap& map : own_maps_) maps->add(map, true);
        work.limits.maps = std::move(maps);
    }

    StepContent open(const std::string& file) override {
        // What a mend names is a file of the kit as it is.
        if (step_.is<step::Mend>()) return {kit_.kit.open(file), file};
        return {content_at(kit_, file, true, work), file};
    }

    SharedSource open_patch_file(const std::string& file, Limits& limits) override {
        const std::string name = kit_.text(file);
        SharedSource bytes = kit_.kit.open(name);
        const auto reader = open_patch(*bytes, limits);
        if (reader->facts().format != PatchFormat::edits) return bytes;
        auto maps = copied_maps(limits);
        for (const std::string& map : reader->facts().maps) {
            own_maps_.push_back(map_of_kit(kit_.kit, map_beside(name, map)));
            maps->add(own_maps_.back(), traits_of(*own_maps_.back()).for_any);
        }
        limits.maps = std::move(maps);
        return bytes;
    }

    /// What is looked at is what the step names, at whatever depth: its own maps are for that.
    Limits limits_inside(const Limits& inside) const override {
        if (own_maps_.empty()) return inside;
        Limits limits = inside;
        auto maps = copied_maps(inside);
        for (const SharedMap& map : own_maps_)
            if (traits_of(*map).part.empty()) maps->add(map, true);
        limits.maps = std::move(maps);
        return limits;
    }

    FileFields fields_of(const SharedSource& content, const Limits& limits) override { return {content, limits}; }

    std::function<Error(const Error&)> blame() const override {
        return [&kit = kit_.kit, &step = step_](const Error& error) { return of_step(error, kit, step); };
    }

private:
    KitOnItsWay& kit_;
    const Step& step_;
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

void run_step(KitOnItsWay& kit, const Step& step, const WorkOptions& work) {
    try {
        KitHost host(kit, step, work);
        Address at = address_in_base(kit.kit.kit(), step.at);
        run_step({*kit.bases.at(at.file), std::move(at.parts), step, host});
    } catch (const Error& error) {
        if (error.code() == ErrorCode::cancelled) throw;
        throw of_step(error, kit.kit, step);
    }
}

}  // namespace hotstitch
