// SPDX-License-Identifier: MIT
#include "render/field_table.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/text.h"
#include "render/text.h"

namespace hotstitch::cli {
namespace {

constexpr std::size_t widest_cell = 36;

/// At most so many characters.
std::string shortened(std::string text) {
    if (columns(text) <= widest_cell) return text;
    std::size_t end = 0;
    for (std::size_t count = 0; count < widest_cell; ++end)
        if (end + 1 == text.size() || (text[end + 1] & 0xC0) != 0x80) ++count;
    return text.substr(0, end) + "…";
}

std::string cell_text(const FieldValue& value) {
    if (!value.leads_to) return shortened(escaped(value.text));
    return shortened(fmt::format("{} \"{}\"", value.text, escaped(*value.leads_to)));
}

bool is_number(const FieldTable& table, std::size_t column) {
    const std::string& type = table.columns[column].type;
    return type != "text" && type != "bytes" && type != "header" &&
           std::none_of(table.records.begin(), table.records.end(), [&](const FieldRecord& record) {
               const FieldValue& value = record.values[column];
               return value.kind == FieldValue::Kind::word || value.leads_to;
           });
}

/// A key that is one of the columns already is not shown twice.
bool shows_keys(const FieldTable& table) {
    const auto told = [&](const FieldRecord& record) {
        return record.key.empty() || std::any_of(record.values.begin(), record.values.end(),
                                                 [&](const FieldValue& v) { return v.text == record.key; });
    };
    return !std::all_of(table.records.begin(), table.records.end(), told);
}

void pad_to(std::string& out, std::string_view text, std::size_t width, bool right) {
    const std::size_t room = width - std::min(width, columns(text));
    if (right) out.append(room, ' ');
    out += text;
    if (!right) out.append(room, ' ');
}

void add_line(std::string& out, const std::vector<std::string>& cells, const std::vector<std::size_t>& widths,
              const std::vector<bool>& right) {
    std::string line = "  ";
    for (std::size_t i = 0; i < cells.size(); ++i) {
        if (i != 0) line += "  ";
        pad_to(line, cells[i], widths[i], right[i]);
    }
    line.resize(line.find_last_not_of(' ') + 1);
    out += line + "\n";
}

void add_on_its_side(std::string& out, const FieldTable& table) {
    std::size_t width = 0;
    for (const FieldColumn& column : table.columns) width = std::max(width, columns(column.name));
    for (std::size_t i = 0; i < table.columns.size(); ++i) {
        out += "  ";
        pad_to(out, escaped(table.columns[i].name), width, false);
        out += "  " + cell_text(table.records.front().values[i]) + "\n";
    }
}

/// The columns [first, end) of the table, behind the records' numbers and names.
void add_columns(std::string& out, const FieldTable& table, std::size_t first, std::size_t end,
                 const std::vector<std::size_t>& all_widths, std::size_t index_width, std::size_t key_width) {
    std::vector<std::string> cells{"#"};
    std::vector<std::size_t> widths{index_width};
    std::vector<bool> right{true};
    if (key_width != 0) cells.emplace_back("name"), widths.push_back(key_width), right.push_back(false);
    for (std::size_t i = first; i < end; ++i) {
        cells.push_back(escaped(table.columns[i].name));
        widths.push_back(all_widths[i]);
        right.push_back(is_number(table, i));
    }
    add_line(out, cells, widths, right);
    for (const FieldRecord& record : table.records) {
        cells.assign(1, std::to_string(record.index));
        if (key_width != 0) cells.push_back(shortened(escaped(record.key)));
        for (std::size_t i = first; i < end; ++i) cells.push_back(cell_text(record.values[i]));
        add_line(out, cells, widths, right);
    }
}

void add_table(std::string& out, const FieldTable& table, std::size_t width) {
    const std::size_t shown = table.records.size();
    std::vector<std::size_t> widths;
    for (std::size_t i = 0; i < table.columns.size(); ++i) {
        std::size_t widest = columns(escaped(table.columns[i].name));
        for (std::size_t r = 0; r < shown; ++r)
            widest = std::max(widest, columns(cell_text(table.records[r].values[i])));
        widths.push_back(widest);
    }
    const std::size_t index_width = shown == 0 ? 1 : std::to_string(table.records[shown - 1].index).size();
    std::size_t named = 0;  // columns of the records' names, where they have any
    for (std::size_t r = 0; r < shown; ++r) {
        const std::size_t length = columns(shortened(escaped(table.records[r].key)));
        if (length != 0) named = std::max({named, length, std::size_t{4}});
    }
    // What is wider than the terminal goes on below, with the names again.
    for (std::size_t first = 0; first < widths.size();) {
        const std::size_t key_width = first != 0 || shows_keys(table) ? named : 0;
        std::size_t end = first, used = 2 + index_width + (key_width != 0 ? key_width + 2 : 0);
        while (end < widths.size() && (end == first || width == 0 || used + widths[end] + 2 <= width))
            used += widths[end++] + 2;
        if (first != 0) out += "\n";
        add_columns(out, table, first, end, widths, index_width, key_width);
        first = end;
    }
}

std::string csv_cell(const std::string& text) {
    if (text.find_first_of(",\"\r\n") == std::string::npos) return text;
    std::string out = "\"";
    for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
    return out + "\"";
}

}  // namespace

std::string TablesText::add(const FieldTable& table) {
    std::string out = first_ ? "" : "\n";
    first_ = false;
    if (!table.continues) {
        out += escaped(table.name);
        if (table.name != "header") out += fmt::format(", {}", counted(table.of_records, "record", "records"));
        if (!table.part.empty()) out += fmt::format(", in {}", escaped(table.part));
        if (!table.map.empty()) out += fmt::format(" ({})", escaped(table.map));
        out += "\n";
    }
    if (table.of_records == 1 && table.records.size() == 1)
        add_on_its_side(out, table);
    else
        add_table(out, table, width_);
    if (counts_rest_ && table.of_records > table.records.size())
        out += fmt::format("  and {} more\n", grouped(table.of_records - table.records.size()));
    return out;
}

std::string TablesCsv::add(const FieldTable& table) {
    std::string out;
    if (!table.continues) {
        out += first_ ? "" : "\r\n";
        first_ = false;
        has_keys_ = shows_keys(table);
        out += csv_cell(table.name) + (has_keys_ ? ",name" : "");
        for (const FieldColumn& column : table.columns) out += "," + csv_cell(column.name);
        out += "\r\n";
    }
    for (const FieldRecord& record : table.records) {
        out += std::to_string(record.index);
        if (has_keys_) out += "," + csv_cell(record.key);
        for (const FieldValue& value : record.values) out += "," + csv_cell(value.text);
        out += "\r\n";
    }
    return out;
}

}  // namespace hotstitch::cli
