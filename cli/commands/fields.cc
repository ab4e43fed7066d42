// SPDX-License-Identifier: MIT
// Fields of a file by their names: shown, set, held against another file's.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "changing.h"
#include "commands/common.h"
#include "hotstitch/error.h"
#include "hotstitch/field_jobs.h"
#include "hotstitch/text.h"
#include "hotstitch/transaction.h"
#include "render/field_table.h"
#include "render/print.h"
#include "render/style.h"

namespace hotstitch::cli {
namespace {

constexpr std::size_t records_unasked = 20, changes_shown = 100, outside_shown = 10;

void state_maps(const std::vector<std::string>& maps, const std::vector<std::string>& broken_beside,
                const Context& context, Report& report) {
    Json list = Json::array();
    for (const std::string& map : maps) list.push_back(as_utf8(map));
    for (const std::string& map : maps) report.fact("maps", "map", escaped(map), list);
    for (const auto* const broken : {&broken_beside, &context.broken_maps})
        for (const std::string& why : *broken) report.warn("a map was passed over: " + escaped(why));
}

std::string quoted_json(const std::string& text) {
    return Json(as_utf8(text)).dump();
}

void add_value(std::string& out, const FieldValue& value) {
    if (value.offset || value.leads_to) {
        out += fmt::format("{{\"value\":{},\"offset\":{}", value.whole.magnitude,
                           value.offset ? std::to_string(*value.offset) : "null");
        if (value.leads_to) out += ",\"text\":" + quoted_json(*value.leads_to);
        out += "}";
        return;
    }
    const bool number =
        value.kind == FieldValue::Kind::whole || (value.kind == FieldValue::Kind::real && std::isfinite(value.real));
    if (value.kind == FieldValue::Kind::none)
        out += "null";
    else
        out += number ? value.text : quoted_json(value.text);
}

/// The tables as JSON. Of many records, the text is put together piece by piece.
class TablesJson {
public:
    void add(const FieldTable& table) {
        if (!table.continues) begin(table);
        for (const FieldRecord& record : table.records) add(record, table.name != "header");
    }
    JsonValue finish() {
        if (!out_.empty()) out_ += "]}";
        return JsonValue::from_text("[" + std::move(out_) + "]");
    }

private:
    void begin(const FieldTable& table) {
        if (!out_.empty()) out_ += "]},";
        out_ += fmt::format("{{\"name\":{},\"of_records\":{}", quoted_json(table.name), table.of_records);
        if (!table.part.empty()) out_ += ",\"part\":" + quoted_json(table.part);
        if (!table.map.empty()) out_ += ",\"map\":" + quoted_json(table.map);
        Json columns = Json::array();
        for (const FieldColumn& column : table.columns)
            columns.push_back({{"name", as_utf8(column.name)}, {"type", column.type}, {"settable", column.settable}});
        out_ += ",\"columns\":" + columns.dump() + ",\"records\":[";
        first_ = true;
    }
    void add(const FieldRecord& record, bool has_offset) {
        out_ += fmt::format("{}{{\"index\":{}", first_ ? "" : ",", record.index);
        first_ = false;
        if (!record.key.empty()) out_ += ",\"key\":" + quoted_json(record.key);
        if (has_offset) out_ += fmt::format(",\"offset\":{}", record.offset);
        out_ += ",\"values\":[";
        for (const FieldValue& value : record.values) {
            if (&value != &record.values.front()) out_ += ",";
            add_value(out_, value);
        }
        out_ += "]}";
    }

    std::string out_;
    bool first_ = true;
};

void show_csv(const FieldsArguments& arguments, const FieldsJob& job, Report& report) {
    std::size_t tables = 0;
    TablesCsv csv;
    job.show_each(arguments.selectors, [&](const FieldTable& table) {
        if (!put(stdout, csv.add(table)))
            throw Error(ErrorCode::io, "standard output takes no more of the table")
                .hint("look for room on the disk, or at what reads it");
        tables += table.continues ? 0 : 1;
    });
    report.good("shown", fmt::format("{} as comma-separated values.", counted(tables, "table", "tables")));
}

void show(const FieldsArguments& arguments, const FieldsJob& job, const Context& context, Report& report) {
    if (arguments.csv) return show_csv(arguments, job, report);
    const bool json = context.common.json, unasked = arguments.selectors.empty() && !json;
    TablesJson tables_json;
    TablesText tables_text(width_of(STDOUT_FILENO), unasked);
    std::uint64_t values = 0;
    std::size_t tables = 0;
    std::string cut, text;
    job.show_each(arguments.selectors,
                  [&](const FieldTable& table) {
                      if (json)
                          tables_json.add(table);
                      else
                          text += tables_text.add(table);
                      if (cut.empty() && unasked && table.of_records > records_unasked) cut = table.name;
                      tables += table.continues ? 0 : 1;
                      values += (unasked ? table.of_records : table.records.size()) * table.columns.size();
                  },
                  {.first = unasked ? records_unasked : UINT64_MAX});
    state_maps(job.maps(), job.broken(), context, report);
    if (json) report.detail("tables", tables_json.finish());
    report.block(text);
    if (!cut.empty())
        report.next("to see all records of a table, name it",
                    fmt::format("hotstitch fields {} {}{}", shell_file(arguments.file), shell_word(cut),
                                what_opened_it(context.common)));
    report.good("shown", fmt::format("{} in {} of {}.", counted(values, "value", "values"),
                                     counted(tables, "table", "tables"), shown(job.file().path())));
}

void set(const FieldsArguments& arguments, const Context& context, Report& report) {
    step::Set set;
    set.fields.reserve(arguments.selectors.size());
    for (const std::string& text : arguments.selectors) set.fields.push_back(field_setting(text));
    Job job(recipe_of(arguments.change, arguments.file, {{.does = std::move(set)}}), context);
    job.open();
    const InputFile& file = job.file();
    file_fact(report, "file", file.path(), {.size = file.size()});
    if (!job.inside().empty()) report.fact("part", "part", escaped(job.inside()), as_utf8(job.inside()));
    const std::vector<StepReport>& steps = job.plan();
    state_maps(job.maps(), job.broken_maps(), context, report);
    state_steps(steps, report);
    const auto& plan = std::get<FieldPlan>(steps.front().did);
    const auto changed = static_cast<std::size_t>(std::count_if(
        plan.fields.begin(), plan.fields.end(), [](const FieldChange& field) { return field.before != field.after; }));
    for (const ByteRange& range : job.change()->changed_ranges(file))
        report.note(fmt::format("{} at {}", counted(range.length, "byte", "bytes"), offset_text(range.offset)));
    const auto place =
        finish_change(job, {"set-already", "Nothing changes: the fields have these values already."}, context, report);
    if (place) report.good("set", fmt::format("Made {}: {} set.", *place, counted(changed, "field", "fields")));
}

void save(const FieldsArguments& arguments, const FieldsJob& job, const EditList& list, const Context& context,
          Report& report) {
    const std::filesystem::path path = arguments.save;
    refuse_inputs(path, {job.file().path(), address_of(arguments.compare).file});
    refuse_inputs(path, context.read);
    const WrittenFile written = write_file(path, {.replace = arguments.change.flags.mode()}, edit_list_text(list));
    path_fact(report, "backup", "backup", written.backup);
    path_fact(report, "saved", "edit list", path);
}

void compare(const FieldsArguments& arguments, const FieldsJob& job, const Context& context, Report& report) {
    const FieldsJob other(arguments.compare, context, &job);
    FieldComparison found;
    std::optional<EditList> edits;
    job.with_fields([&](const FileFields& fields) {
        other.with_fields([&](const FileFields& there) {
            found = fields.compare(there);
            if (!arguments.save.empty()) edits = edits_for(found, fields, there, job);
        });
    });
    state_maps(job.maps(), job.broken(), context, report);
    path_fact(report, "other", "compared with", other.file().path());
    Json list = Json::array();
    std::vector<std::string> lines;
    for (const FieldChange& field : found.fields) {
        Json one = change_json(field);
        list.push_back(std::move(one));
        lines.push_back(escaped(fmt::format("{}: {} here, {} there", name_with_key(field),
                                            field.before.empty() ? "nothing" : field.before,
                                            field.after.empty() ? "nothing" : field.after)));
    }
    report.detail("compared", found.compared);
    report.list("fields", "differs", lines, changes_shown, list);
    report.detail("fields", list);
    std::vector<std::string> outside;
    std::uint64_t bytes = 0;
    for (const ByteRange& range : found.outside) {
        bytes += range.length;
        if (outside.size() < outside_shown)
            outside.push_back(
                fmt::format("{} at {}", counted(range.length, "byte", "bytes"), offset_text(range.offset)));
    }
    report.list("outside", "outside", outside, outside_shown, json_of(found.outside), found.outside.size());
    report.detail("outside", json_of(found.outside));
    for (const std::string& warning : found.warnings) report.warn(escaped(warning));
    if (edits) save(arguments, job, *edits, context, report);
    const bool same = found.fields.empty() && found.outside.empty() && found.warnings.empty();
    const std::string fields = counted(found.fields.size(), "field differs", "fields differ");
    report.conclude(same ? Mood::good : Mood::unsure, same ? "same" : "different",
                    same ? fmt::format("All {} are the same, and all else.", counted(found.compared, "field", "fields"))
                         : fmt::format("{} of {}; outside of them, {}.", fields, grouped(found.compared),
                                       bytes == 0 ? "nothing"
                                                  : fmt::format("{} in {}", counted(bytes, "byte", "bytes"),
                                                                counted(found.outside.size(), "place", "places"))),
                    same ? ExitCode::yes : ExitCode::no);
}

/// Maps alone, or with the file that they are for.
void check(const FieldsArguments& arguments, const Context& context, Report& report) {
    const auto maps = maps_in(context.limits);
    if (!maps || maps->all().empty())
        throw Error(ErrorCode::usage, "it is not said which map to check").hint("--map FILE, or --maps FOLDER");
    Json list = Json::array();
    for (const SharedMap& map : maps->all()) {
        const MapTraits t = traits_of(*map);
        list.push_back({{"name", as_utf8(t.name)},
                        {"title", as_utf8(t.title)},
                        {"tables", t.tables},
                        {"fields", t.fields},
                        {"checks", t.checks},
                        {"members", t.members},
                        {"payloads", t.payloads}});
    }
    for (const SharedMap& map : maps->all()) {
        const MapTraits t = traits_of(*map);
        std::string text = fmt::format("{}: {}, {}", escaped(t.title.empty() ? t.name : t.title),
                                       counted(t.tables, "table", "tables"), counted(t.fields, "field", "fields"));
        if (t.checks != 0) text += fmt::format(", {}", counted(t.checks, "check", "checks"));
        if (t.members + t.payloads != 0)
            text += fmt::format(", {}", counted(t.members + t.payloads, "archive or payload", "archives and payloads"));
        report.fact("checked_maps", "map", text, list);
    }
    if (!arguments.file.empty()) {
        const FieldsJob job(arguments.file, context);
        job.with_fields([](const FileFields&) {});
        state_maps(job.maps(), job.broken(), context, report);
    }
    if (!context.broken_maps.empty()) throw Error(ErrorCode::damaged, context.broken_maps.front());
    const bool several = maps->all().size() > 1;
    const char* const made = several ? "The maps are well made" : "The map is well made";
    report.good("right", arguments.file.empty()
                             ? fmt::format("{}. Whether places are right shows with a file.", made)
                             : fmt::format("{}, and the places for {} are all in it.", made, shown(arguments.file)));
}

}  // namespace

void run(const FieldsArguments& arguments, const Context& context, Report& report) {
    if (arguments.check) return check(arguments, context, report);
    if (arguments.file.empty()) throw Error(ErrorCode::usage, "no file is named").hint("see hotstitch fields --help");
    const auto sets = [](const std::string& text) {
        const std::size_t close = text.find('[') < text.find('=') ? text.find(']') : 0;
        return text.find('=', close == std::string::npos ? 0 : close) != std::string::npos;
    };
    const auto setting =
        static_cast<std::size_t>(std::count_if(arguments.selectors.begin(), arguments.selectors.end(), sets));
    if (setting != 0 && setting != arguments.selectors.size())
        throw Error(ErrorCode::usage, "some of the fields are to be set, and others only named")
            .hint("set them in one call, and show them in another");
    if (setting != 0 && arguments.compare.empty() && arguments.save.empty()) return set(arguments, context, report);
    const FieldsJob job(arguments.file, context);
    file_fact(report, "file", job.file().path(), {.size = job.file().size()});
    if (!job.inside().empty()) report.fact("part", "part", escaped(job.inside()), as_utf8(job.inside()));
    if (!arguments.compare.empty()) return compare(arguments, job, context, report);
    if (!arguments.save.empty()) throw Error(ErrorCode::usage, "--save goes with --compare");
    show(arguments, job, context, report);
}

}  // namespace hotstitch::cli
