// SPDX-License-Identifier: MIT
// Fields of the header become mends, those of tables are written into an overlay; then the checks that were right are
// put right, the map's first, because the file's own may cover them. Tested by tests/field/fields_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "edit/overlay.h"
#include "field/fields_state.h"
#include "field/map_check.h"
#include "hotstitch/error.h"
#include "hotstitch/mend.h"

namespace hotstitch {

void Fields::State::set(const FieldSetting& setting, Overlay& overlay, FieldPlan& plan, SetBefore& set_before) {
    const Selector selector = selector_from(setting.selector);
    const auto found = tables_for(selector);
    if (found.size() > 1)
        throw Error(ErrorCode::usage, fmt::format("two maps have a table \"{}\"", selector.table))
            .hint("hand in one of them only");
    const FieldsTable& table = *found.front();
    if (selector.field.empty())
        throw Error(ErrorCode::usage, "this names no field to set")
            .wanted(
                fmt::format("{}.FIELD, FIELD being one of {}", setting.selector, fmt::join(table.field_names(), ", ")))
            .found(setting.selector);
    const NamedField named = fields_for(table, selector.field).front();
    const auto [first, end] = records_for(table, selector);
    for (std::uint64_t i = first; i < end; ++i) {
        PointedText target{*named.field, table.place(*named.field, i, file)};
        const std::string name = field_name(table.name(), i, selector.field);
        if (named.pointed) {
            const auto pointed = pointed_text(*named.field, target.place, overlay);
            if (!pointed) throw Error(ErrorCode::usage, fmt::format("the pointer {} leads nowhere", name));
            target = *pointed;
        }
        FieldChange change{.name = name, .key = table.key_of(i, file), .offset = target.place.offset};
        change.before = value_at(target.field, target.place, overlay).text;
        try {
            const Bytes bytes = bytes_for(target.field, target.place, setting.value, overlay);
            change.length = bytes.size();
            overlay.write(target.place.offset, bytes);
        } catch (const Error& error) {
            if (error.code() != ErrorCode::usage) throw;
            throw Error(ErrorCode::usage, fmt::format("{}: {}", name, error.what()))
                .wanted(error.wanted())
                .found(error.found());
        }
        change.after = value_at(target.field, target.place, overlay).text;
        const auto [before, is_new] = set_before.emplace(change.name, plan.fields.size());
        if (!is_new && plan.fields[before->second].after != change.after)
            throw Error(ErrorCode::usage, fmt::format("{} is set twice", name))
                .in("field")
                .found(fmt::format("{} and {}", plan.fields[before->second].after, change.after))
                .hint("name it once");
        plan.fields.push_back(std::move(change));
    }
}

FieldPlan Fields::set(const std::vector<FieldSetting>& settings, const FieldOptions& options) const {
    State& s = *state_;
    FieldPlan plan;
    std::vector<MendRequest> requests;
    std::vector<FieldSetting> of_tables;
    for (const FieldSetting& setting : settings) {
        const Selector selector = selector_from(setting.selector);
        const bool is_header = selector.table == "header" && !s.header().empty();
        if (is_header)
            requests.push_back(s.header().request(selector.field, setting.value));
        else
            of_tables.push_back(setting);
    }
    plan.change = ChangeList(s.file.size());
    if (!requests.empty()) {
        MendPlan mends = plan_mends(s.file, requests,
                                    {.keep_checks = options.mend, .allow = options.allow, .limits = options.limits});
        for (const MendStep& step : mends.steps) {
            plan.warnings.insert(plan.warnings.end(), step.warnings.begin(), step.warnings.end());
            if (step.added) continue;
            for (const MendedField& field : step.fields)
                plan.fields.push_back({.name = "header." + field.name, .before = field.before, .after = field.after});
        }
        plan.change = std::move(mends.change);
    }
    if (of_tables.empty()) return plan;
    const auto with_header = std::make_shared<ChangedSource>(s.file, plan.change);
    const auto overlay = std::make_shared<Overlay>(*with_header);
    State::SetBefore set_before;
    for (const FieldSetting& setting : of_tables) s.set(setting, *overlay, plan, set_before);
    plan.change = plan.change.then(overlay->changes());
    plan.change.hold(with_header), plan.change.hold(overlay);
    if (options.mend) plan.change = keeping_checks(std::move(plan.change), options, plan);
    return plan;
}

ChangeList Fields::keeping_checks(ChangeList change, const FieldOptions& options, FieldPlan& told) const {
    const State& s = *state_;
    for (const BoundMap& bound : s.maps)
        change = keeping_map_checks(bound.map(), s.file, std::move(change), told.mended, told.warnings);
    return hotstitch::keeping_checks(s.file, s.identity, std::move(change), options.allow);
}

}  // namespace hotstitch
