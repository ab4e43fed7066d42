// SPDX-License-Identifier: MIT
// Each part that a map names is opened once; a change of fields in it is put back through all that is around it. Tested
// by tests/fields_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "field/map.h"
#include "field/selector.h"
#include "hotstitch/error.h"
#include "hotstitch/fields.h"
#include "hotstitch/part.h"

namespace hotstitch {

struct FileFields::State {
    SharedSource file;
    Limits limits;
    std::vector<Unit> units{};
    std::vector<std::vector<std::string>> names{};  ///< of the part of each unit
    std::vector<SharedSource> kept{};

    void add_unit(const std::string& part, const SharedSource& content, const Limits& inside) {
        Identity identity = identify(*content);
        std::vector<SharedMap> maps;
        if (inside.maps) maps = inside.maps->for_file(identity, *content);
        if (!part.empty() && maps.empty()) return;
        Fields fields(*content, std::move(identity), maps);
        names.push_back(part.empty() ? std::vector<std::string>{} : split_address(part));
        units.push_back({part, content, std::move(maps), std::move(fields)});
    }

    /// Which unit a selector means. Throws Error(usage) where none has the table, or several.
    std::size_t unit_for(const std::string& selector) const {
        const std::string table = selector_from(selector).table;
        std::vector<std::size_t> found;
        std::vector<std::string> known;
        for (std::size_t i = 0; i < units.size(); ++i) {
            const std::vector<std::string> tables = units[i].fields.tables();
            if (std::find(tables.begin(), tables.end(), table) != tables.end()) found.push_back(i);
            known.insert(known.end(), tables.begin(), tables.end());
        }
        if (found.size() == 1 || (!found.empty() && table == "header")) return found.front();
        if (found.empty() && units.size() == 1) return 0;  // which says what there is
        throw Error(ErrorCode::usage, found.empty() ? fmt::format("there is no table \"{}\"", table)
                                                    : fmt::format("two parts of the file have a table \"{}\"", table))
            .wanted(fmt::format("{}", fmt::join(known, ", ")));
    }
};

FileFields::FileFields(const SharedSource& file, const Limits& limits)
    : state_(std::make_unique<State>(State{file, limits})) {
    state_->add_unit({}, file, limits);
    if (!limits.maps) return;
    std::vector<std::string> parts;
    for (const SharedMap& map : limits.maps->all()) {
        const std::string& part = map->file.part;
        if (part.empty() || std::find(parts.begin(), parts.end(), part) != parts.end()) continue;
        if (!fit_of(*map, state_->units.front().fields.identity(), *file).fits) continue;
        parts.push_back(part);
        // Opened as for a change that changes nothing.
        change_inside(
            file, split_address(part),
            [&](const SharedSource& content, const Limits& inside) {
                state_->add_unit(part, content, inside);
                return ChangeList(content->size());
            },
            {}, limits, state_->kept);
    }
}
FileFields::~FileFields() = default;
FileFields::FileFields(FileFields&&) noexcept = default;
FileFields& FileFields::operator=(FileFields&&) noexcept = default;

const std::vector<FileFields::Unit>& FileFields::units() const noexcept {
    return state_->units;
}

std::size_t FileFields::maps() const noexcept {
    std::size_t count = 0;
    for (const Unit& unit : state_->units) count += unit.maps.size();
    return count;
}

std::vector<FieldTable> FileFields::show(const std::vector<std::string>& selectors) const {
    std::vector<FieldTable> all;
    const auto take = [&](const Unit& unit, std::vector<FieldTable> tables) {
        for (FieldTable& table : tables) {
            table.part = unit.part;
            if (!unit.part.empty() && table.name == "header" && selectors.empty()) continue;
            all.push_back(std::move(table));
        }
    };
    if (selectors.empty())
        for (const Unit& unit : state_->units) take(unit, unit.fields.show());
    for (const std::string& selector : selectors) {
        const Unit& unit = state_->units[state_->unit_for(selector)];
        take(unit, unit.fields.show({selector}));
    }
    return all;
}

FieldPlan FileFields::set(const std::vector<FieldSetting>& settings, const FieldOptions& options) const {
    const State& s = *state_;
    std::vector<std::vector<FieldSetting>> by_unit(s.units.size());
    for (const FieldSetting& setting : settings) by_unit[s.unit_for(setting.selector)].push_back(setting);
    FieldPlan plan;
    plan.change = ChangeList(s.file->size());
    for (std::size_t i = 0; i < by_unit.size(); ++i) {
        if (by_unit[i].empty()) continue;
        const auto so_far = std::make_shared<ChangedSource>(s.file, plan.change);
        plan.kept.push_back(so_far);
        FieldPlan of_unit;
        const ChangeList change = change_inside(
            so_far, s.names[i],
            [&](const SharedSource& content, const Limits&) {
                // The first unit may have changed what is around this one.
                of_unit = Fields(*content, s.units[i].maps).set(by_unit[i], options);
                return of_unit.change;
            },
            {.mend = options.mend, .allow = options.allow}, s.limits, plan.kept);
        for (FieldChange& field : of_unit.fields) {
            field.part = s.units[i].part;
            plan.fields.push_back(std::move(field));
        }
        plan.mended.insert(plan.mended.end(), of_unit.mended.begin(), of_unit.mended.end());
        plan.warnings.insert(plan.warnings.end(), of_unit.warnings.begin(), of_unit.warnings.end());
        plan.kept.insert(plan.kept.end(), of_unit.kept.begin(), of_unit.kept.end());
        plan.change = plan.change.then(change);
    }
    return plan;
}

FieldComparison FileFields::compare(const FileFields& other) const {
    FieldComparison all;
    for (std::size_t i = 0; i < state_->units.size(); ++i) {
        const Unit& unit = state_->units[i];
        const auto same = std::find_if(other.units().begin(), other.units().end(),
                                       [&](const Unit& u) { return u.part == unit.part; });
        if (same == other.units().end()) {
            all.warnings.push_back(fmt::format("the other file has no tables in {}", unit.part));
            continue;
        }
        FieldComparison one = unit.fields.compare(same->fields);
        all.compared += one.compared;
        for (FieldChange& field : one.fields) {
            field.part = unit.part;
            if (!unit.part.empty() && field.name.starts_with("header.")) continue;
            all.fields.push_back(std::move(field));
        }
        all.warnings.insert(all.warnings.end(), one.warnings.begin(), one.warnings.end());
        if (unit.part.empty()) all.outside = std::move(one.outside);
    }
    return all;
}

}  // namespace hotstitch
