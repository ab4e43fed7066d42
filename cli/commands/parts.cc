// SPDX-License-Identifier: MIT
// What is inside a file, one row a part; or two files compared part by part.
#include "hotstitch/part_jobs.h"

#include <fmt/format.h>

#include <algorithm>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch::cli {
namespace {

constexpr std::size_t rows_shown = 200;

Json row_json(const ListedPart& row) {
    Json out = {{"name", as_utf8(row.address)}, {"kind", name_of(row.part.kind)}};
    out["size"] = row.part.size ? Json(*row.part.size) : Json(nullptr);
    if (row.part.offset) out["offset"] = *row.part.offset;
    if (row.part.storage != PartStorage::plain) out["place"] = name_of(row.part.storage);
    if (!row.opens_as().empty()) out["opens"] = as_utf8(row.opens_as());
    out["encrypted"] = row.part.encrypted;
    if (row.digests) out.update(Json(json_of(*row.digests)));
    if (row.state != PartState::listed) out["state"] = code_of(row.state);
    if (row.state == PartState::changed) {
        out["changed_bytes"] = row.changed_bytes();
        out["changed_places"] = row.changed.size();
    }
    return out;
}

std::string text_of_row(const ListedPart& row, std::size_t width) {
    const std::string size = row.part.size ? grouped(*row.part.size) : "?";
    const std::string place = row.part.offset ? fmt::format("at {}", offset_text(*row.part.offset))
                              : row.part.storage != PartStorage::plain ? std::string(name_of(row.part.storage))
                              : row.part.kind == PartKind::file || row.part.kind == PartKind::content ? "packed"
                                                                                                      : "computed";
    std::string text = fmt::format("{:>13}  {:<12}  {:<{}}", size, place, escaped(row.address), width);
    text += "  " + escaped(words_for(row));
    if (row.digests && row.digests->crc32) text += "  crc32 " + row.digests->crc32->hex();
    while (text.ends_with(' ')) text.pop_back();
    return text;
}

void state_rows(const std::vector<ListedPart>& rows, Report& report) {
    Json list = Json::array();
    std::size_t width = 0;
    for (const ListedPart& row : rows) {
        list.push_back(row_json(row));
        if (!words_for(row).empty() || row.digests)
            width = std::max(width, std::min<std::size_t>(row.address.size(), 44));
    }
    const tell::JsonValue value(list);
    if (!rows.empty())
        report.fact("parts", "parts", fmt::format("{:>13}  {:<12}  {}", "bytes", "place", "name"), value);
    // Of what is compared, people want what differs.
    std::vector<std::string> lines;
    for (const ListedPart& row : rows)
        if (row.state != PartState::same) lines.push_back(text_of_row(row, width));
    report.list("parts", "parts", lines, rows_shown, value);
    report.detail("parts", value);
}

/// What was named: of a compressed copy, not the plain image that it stands for.
std::filesystem::path handed_in(const OpenedParts& opened) {
    if (!opened.file || !opened.file->is_computed()) return opened.path;
    return opened.file->computed_from().path();
}

void container_fact(const OpenedParts& opened, const char* key, const char* label, Report& report) {
    const Container& container = *opened.container;
    report.fact(key, label, fmt::format("{}, {}", shown(handed_in(opened)), escaped(container.title())),
                Json{{"path", as_utf8(opened.file ? opened.file->origin() : opened.path.string())},
                     {"kind", name_of(container.kind())},
                     {"title", as_utf8(container.title())},
                     {"size", opened.file ? Json(opened.file->size()) : Json(nullptr)}});
}

void compare(const Container& container, const PartsArguments& arguments, const Context& context, Report& report) {
    const OpenedParts other = open_parts(address_of(arguments.compare), context);
    container_fact(other, "other", "compared with", report);
    const std::vector<ListedPart> rows = compare_parts(container, *other.container, arguments.request, context);
    state_rows(rows, report);
    const auto in_state = [&](PartState state) {
        return std::count_if(rows.begin(), rows.end(), [&](const ListedPart& row) { return row.state == state; });
    };
    const auto same = static_cast<std::size_t>(in_state(PartState::same));
    const bool all_same = same == rows.size();
    std::string sentence = fmt::format("{} of {} the same", same, counted(rows.size(), "part", "parts"));
    for (const auto& [state, word] : {std::pair{PartState::changed, "changed"},
                                      {PartState::only_here, "only here"},
                                      {PartState::only_there, "only there"}})
        if (in_state(state) != 0) sentence += fmt::format(", {} {}", in_state(state), word);
    report.conclude(all_same ? Mood::good : Mood::unsure, all_same ? "same" : "different",
                    all_same ? fmt::format("All {} are the same.", counted(same, "part", "parts")) : sentence + ".",
                    all_same ? ExitCode::yes : ExitCode::no);
}

}  // namespace

void run(const PartsArguments& arguments, const Context& context, Report& report) {
    const OpenedParts opened = open_parts(address_of(arguments.file), context);
    container_fact(opened, "container", "file", report);
    if (opened.file && !opened.file->sheet().empty()) path_fact(report, "sheet", "by sheet", opened.file->sheet());
    if (!arguments.compare.empty()) return compare(*opened.container, arguments, context, report);
    WorkOptions inside = context;
    inside.limits = opened.limits;
    const std::vector<ListedPart> rows = list_parts(*opened.container, arguments.request, inside, opened.file.get());
    if (opened.file) opened.file->check_intact();
    for (const std::string& warning : opened.container->warnings()) report.warn(escaped(warning));
    state_rows(rows, report);
    report.good("listed", fmt::format("{} in {}.", counted(rows.size(), "part", "parts"), shown(handed_in(opened))));
    if (!rows.empty())
        report.next("to take one out",
                    fmt::format("hotstitch take {}{}", shell_file(joined_address(arguments.file, rows.front().address)),
                                what_opened_it(context.common)));
}

}  // namespace hotstitch::cli
