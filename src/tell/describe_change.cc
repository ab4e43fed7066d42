// SPDX-License-Identifier: MIT
// The fields of a header that a patch changes are those that the file says otherwise once it is applied. Tested by
// tests/cli/cli_fields_test.cc.
#include "tell/describe_change.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "hotstitch/apply.h"
#include "hotstitch/chart.h"
#include "hotstitch/edit_list.h"
#include "hotstitch/fields.h"
#include "hotstitch/text.h"
#include "tell/json.h"

namespace hotstitch::tell {
namespace {

constexpr std::size_t edits_shown = 16, regions_shown = 24;

/// "berth[12].depth: from 4 to 7, the ferry fits in"
std::string words_for_edit(const ListedEdit& edit) {
    const bool field = edit.by == ListedEdit::By::field;
    std::string text = edit.part.empty() ? std::string() : edit.part + " ";
    text += field                                ? edit.field
            : edit.by == ListedEdit::By::address ? edit.address
            : edit.by == ListedEdit::By::pattern ? fmt::format("where {} stands", edit.pattern)
                                                 : offset_text(edit.at);
    const std::string now = field ? edit.new_value : bytes_text(edit.new_bytes, 8);
    const std::string old = field ? edit.old_value.value_or("") : edit.old_bytes ? bytes_text(*edit.old_bytes, 8) : "";
    text += old.empty() ? fmt::format(": to {}", now) : fmt::format(": from {} to {}", old, now);
    return edit.note.empty() ? text : text + ", " + edit.note;
}

/// What the file says of itself otherwise afterwards: "checksum", "title".
std::vector<std::string> changed_facts(const Identity& before, const Identity& after) {
    std::vector<std::string> names;
    const auto ask = [&](const char* name, const auto& a, const auto& b) {
        if (a != b) names.emplace_back(name);
    };
    ask("title", before.title, after.title), ask("serial", before.serial, after.serial);
    ask("region", before.region, after.region), ask("revision", before.revision, after.revision);
    ask("size", before.declared_size, after.declared_size), ask("entry", before.entry, after.entry);
    for (const IdentityFact& fact : before.facts)
        if (fact_of(after, fact.key) != fact.text) names.emplace_back(fact.label);
    for (const InternalCheck& check : before.checks) {
        const auto same = std::find_if(after.checks.begin(), after.checks.end(),
                                       [&](const InternalCheck& c) { return c.name == check.name; });
        if (same == after.checks.end() || same->found != check.found) names.emplace_back(check.name);
    }
    return names;
}

/// What is changed inside a region, by name: of its table, or of the header.
using NamesOfRegions = std::map<std::string, std::vector<std::string>, std::less<>>;

/// "Old Pier" of "berth[1].depth (Old Pier)": records by their names where they have one.
void add_field(const FieldChange& field, NamesOfRegions& names) {
    const std::size_t open = field.name.find('['), close = field.name.find("].");
    if (open == std::string::npos || close == std::string::npos) return;
    const std::string table = field.name.substr(0, open), of_record = field.name.substr(close + 2);
    const std::string record =
        fmt::format("{}[{}]", table, field.key.empty() ? field.name.substr(open + 1, close - open - 1) : field.key);
    std::vector<std::string>& all = names[table];
    if (!all.empty() && all.back().starts_with(record + ": "))
        all.back() += ", " + of_record;
    else
        all.push_back(fmt::format("{}: {}", record, of_record));
}

/// Of files that can be made in memory, by what they say afterwards.
NamesOfRegions names_by_result(const PatchReader& patch, const InputFile& source, const WorkOptions& context) {
    constexpr std::uint64_t largest = std::uint64_t{64} << 20;
    NamesOfRegions names;
    if (source.size() > largest) return names;
    MemorySink made;
    try {
        apply(patch, source, made,
              {.allow_source = true,
               .allow_target = true,
               .backwards = true,
               .limits = context.limits,
               .progress = context.progress});
        const MemorySource target(made.bytes());
        names["header"] = changed_facts(identify(source), identify(target));
        if (const auto maps = maps_in(context.limits); !maps || maps->empty()) return names;
        const FileFields before(borrowed(source), context.limits), after(borrowed(target), context.limits);
        for (const FieldChange& field : before.compare(after).fields) add_field(field, names);
    } catch (const Error& error) {
        if (error.code() == ErrorCode::io || error.code() == ErrorCode::cancelled) throw;
        // Else it cannot be made of this file, or its tables have moved: then the places alone are told.
    }
    return names;
}

}  // namespace

void state_edit_list(const InputFile& file, const PatchFacts& facts, bool source_given, Report& part) {
    const EditList list = read_edit_list(text_of(file.bytes()), file.path().filename().string());
    if (!list.title.empty()) part.fact("title", "title", escaped(list.title), as_utf8(list.title));
    std::vector<std::string> lines;
    Json edits = Json::array();
    for (const ListedEdit& edit : list.edits) {
        if (lines.size() == edits_shown) break;
        lines.push_back(escaped(words_for_edit(edit)));
    }
    for (const std::string& line : lines) edits.push_back(as_utf8(line));
    part.list("listed", "edits", lines, edits_shown, edits, list.edits.size());
    if (facts.without_old != 0)
        part.unchecked(fmt::format("what stands where {} of the {} write: no old value is given",
                                   counted(facts.without_old, "edit", "edits"), grouped(facts.records)));
    if (!source_given) return;
    if (facts.already_new != 0)
        part.note(
            fmt::format("{} of {} are there already", facts.already_new, counted(facts.records, "edit", "edits")));
    for (const DigestMismatch& differs : facts.differs) {
        part.warn(fmt::format("{}: {} should stand there, and {} does", escaped(differs.name), escaped(differs.wanted),
                              escaped(differs.found)));
    }
}

void state_touched(const PatchReader& patch, const InputFile& source, const WorkOptions& context, Report& part) {
    const Chart chart = chart_of(source, patch, {.limits = context.limits, .progress = context.progress});
    const bool has_names = std::any_of(chart.regions.begin(), chart.regions.end(), [](const ChartRegion& region) {
        return region.changed != 0 && (region.kind == PartKind::header || region.kind == PartKind::table);
    });
    const NamesOfRegions by_result = has_names ? names_by_result(patch, source, context) : NamesOfRegions();
    constexpr std::size_t most_names = 8;
    std::vector<std::string> lines;
    Json list = Json::array();
    for (const ChartRegion* const region : changed_regions(chart, regions_shown)) {
        std::vector<std::string> names = region->names;
        bool more = region->more_names;
        const auto known = by_result.find(region->kind == PartKind::header ? std::string("header") : region->name);
        if (known != by_result.end() && (region->kind == PartKind::header || region->kind == PartKind::table)) {
            names.assign(known->second.begin(), known->second.begin() + static_cast<std::ptrdiff_t>(std::min(
                                                                            known->second.size(), most_names)));
            more = known->second.size() > most_names;
        }
        std::string what = fmt::format("{}", fmt::join(names, region->kind == PartKind::table ? "; " : ", "));
        if (more) what += " …";
        if (what.empty()) what = counted(region->changed, "byte", "bytes");
        lines.push_back(escaped(region->kind == PartKind::table && !names.empty()
                                    ? what
                                    : fmt::format("{}: {}", words_for(*region), what)));
        list.push_back(Json(region_json(*region, names)));
    }
    part.list("touched", "changes", lines, regions_shown, list, chart.changed_regions);
    contents_fact(part, chart);
}

JsonValue region_json(const ChartRegion& region, const std::vector<std::string>& names) {
    Json out = {{"name", as_utf8(region.name)}, {"kind", name_of(region.kind)},    {"offset", region.offset},
                {"size", region.size},          {"changed_bytes", region.changed}, {"places", region.places}};
    if (region.holds != KindId::data) out["holds"] = name_of(region.holds);
    for (const std::string& name : names) out["names"].push_back(as_utf8(name));
    return out;
}

void contents_fact(Report& report, const Chart& chart) {
    std::string contents;
    Json list = Json::array();
    const auto add = [&](std::string_view content, std::uint64_t bytes) {
        contents += fmt::format("{}{} in {}", contents.empty() ? "" : ", ", counted(bytes, "byte", "bytes"), content);
        list.push_back({{"content", content}, {"bytes", bytes}});
    };
    for (const auto& [content, bytes] : chart.by_content) add(content, bytes);
    if (chart.in_free_space != 0) add("free space", chart.in_free_space);
    if (!contents.empty()) report.fact("contents", "of which", contents, list);
}

}  // namespace hotstitch::tell
