// SPDX-License-Identifier: MIT
// Each part that a map names is opened once; a change of fields in it is put back through all that is around it. Tested
// by tests/field/fields_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "field/map.h"
#include "field/selector.h"
#include "hotstitch/change_list.h"
#include "hotstitch/error.h"
#include "hotstitch/fields.h"
#include "hotstitch/part.h"

namespace hotstitch {

struct FileFields::State {
    SharedSource file;
    Limits limits;
    std::vector<Unit> units{};
    std::vector<std::vector<std::string>> names{};  ///< of the part of each unit

    void add_unit(const std::string& part, const SharedSource& content, const Limits& inside) {
        Identity identity = identify(*content);
        std::vector<SharedMap> maps;
        if (const auto known = maps_in(inside)) maps = known->for_file(identity, *content);
        if (!part.empty() && maps.empty()) return;
        Fields fields(*content, std::move(identity), maps);
        names.push_back(split_address(part));
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
    const auto known = maps_in(limits);
    if (!known) return;
    std::vector<std::string> parts;
    for (const SharedMap& map : known->all()) {
        const std::string& part = map->file.part;
        if (part.empty() || std::find(parts.begin(), parts.end(), part) != parts.end()) continue;
        if (!fit_of(*map, state_->units.front().fields.identity(), *file).fits) continue;
        parts.push_back(part);
        Limits inside = limits;
        // A map for a part that this file does not have is for another file.
        if (const SharedSource content = find_inside(file, split_address(part), inside))
            state_->add_unit(part, content, inside);
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

void FileFields::show_each(const std::vector<std::string>& selectors, const std::function<void(FieldTable&&)>& use,
                           const FieldSlices& slices) const {
    const auto show_of = [&](const Unit& unit, const std::vector<std::string>& asked) {
        unit.fields.show_each(
            asked,
            [&](FieldTable&& table) {
                if (!unit.part.empty() && table.name == "header" && selectors.empty()) return;
                table.part = unit.part;
                use(std::move(table));
            },
            slices);
    };
    if (selectors.empty())
        for (const Unit& unit : state_->units) show_of(unit, {});
    for (const std::string& selector : selectors) show_of(state_->units[state_->unit_for(selector)], {selector});
}

std::vector<FieldTable> FileFields::show(const std::vector<std::string>& selectors) const {
    std::vector<FieldTable> all;
    show_each(selectors, [&](FieldTable&& table) { all.push_back(std::move(table)); }, {.records = UINT64_MAX});
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
        FieldPlan of_unit;
        ChangeList change = change_inside(
            so_far, s.names[i],
            [&](const SharedSource& content, const Limits&) {
                // The first unit may have changed what is around this one.
                of_unit = Fields(*content, s.units[i].maps).set(by_unit[i], options);
                return of_unit.change;
            },
            {.mend = options.mend, .allow = options.allow}, s.limits);
        for (FieldChange& field : of_unit.fields) {
            field.part = s.units[i].part;
            plan.fields.push_back(std::move(field));
        }
        plan.mended.insert(plan.mended.end(), of_unit.mended.begin(), of_unit.mended.end());
        plan.warnings.insert(plan.warnings.end(), of_unit.warnings.begin(), of_unit.warnings.end());
        change.hold(so_far);
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
    leave_out_what_follows(other, all);
    return all;
}

/// What follows from fields (checks, what is around a part) is no difference of its own: the fields are set, and what
/// then still differs lies outside.
void FileFields::leave_out_what_follows(const FileFields& other, FieldComparison& found) const {
    const ByteSource& target = *other.units().front().content;
    std::vector<FieldSetting> settings;
    for (const FieldChange& field : found.fields)
        if (!field.name.starts_with("header.")) settings.push_back({field.selector, field.after});
    constexpr std::size_t most = 30'000;  // what an edit list holds
    if (settings.empty() || settings.size() > most || target.size() != state_->file->size()) return;
    try {
        const FieldPlan plan = set(settings, {.allow = {.signature = true, .packed = true}, .limits = state_->limits});
        if (plan.change.result_size() != target.size()) return;
        const ChangedSource made(state_->file, plan.change);
        std::vector<ByteRange> left;
        constexpr std::uint64_t near = 8;
        each_difference(made, target, [&](const ByteRange& range) {
            if (!left.empty() && range.offset - (left.back().offset + left.back().length) < near)
                left.back().length = range.offset + range.length - left.back().offset;
            else
                left.push_back(range);
        });
        found.outside = std::move(left);
    } catch (const Error& error) {  // fields that cannot be set are told with all that surrounds them
        if (error.code() == ErrorCode::io || error.code() == ErrorCode::cancelled) throw;
    }
}

}  // namespace hotstitch
