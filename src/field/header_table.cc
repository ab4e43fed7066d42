// SPDX-License-Identifier: MIT
// What the kind's identity tells and what its mends set are the same fields. Tested by tests/field/fields_test.cc.
#include "field/header_table.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/error.h"

namespace hotstitch {

HeaderTable::HeaderTable(const ByteSource& file, const Identity& identity) {
    if (!identity.is(KindId::cartridge) && !identity.is(KindId::disc) && !identity.is(KindId::executable)) return;
    for (const MendOffer& offer : mends_for(file))
        if (offer.needs_value && !offer.present.empty()) add(offer.name, offer.present, true);
    add("title", identity.title), add("serial", identity.serial), add("region", identity.region);
    if (identity.revision) add("revision", std::to_string(*identity.revision));
    add("mapping", identity.mapping);
    if (identity.declared_size) add("size", std::to_string(*identity.declared_size));
    if (identity.entry) add("entry", fmt::format("{:#x}", *identity.entry));
    for (const IdentityFact& fact : identity.facts) add(fact.key, fact.text);
    for (const InternalCheck& check : identity.checks) add(check.name, check.found);
}

void HeaderTable::add(std::string_view name, std::string value, bool settable) {
    std::string plain(name);
    std::replace_if(
        plain.begin(), plain.end(), [](char c) { return c == ' ' || c == '_'; }, '-');
    if (value.empty() || has(plain)) return;
    cells_.push_back({std::move(plain), std::move(value), settable});
}

bool HeaderTable::has(std::string_view field) const noexcept {
    return std::any_of(cells_.begin(), cells_.end(), [&](const Cell& cell) { return cell.name == field; });
}

std::vector<std::string> HeaderTable::names() const {
    std::vector<std::string> all;
    for (const Cell& cell : cells_) all.push_back(cell.name);
    return all;
}

std::string HeaderTable::text(std::string_view field) const {
    for (const Cell& cell : cells_)
        if (cell.name == field) return cell.value;
    return {};
}

std::optional<FieldTable> HeaderTable::show(std::string_view field) const {
    FieldTable table{.name = "header", .of_records = 1};
    FieldRecord record;
    for (const Cell& cell : cells_) {
        if (!field.empty() && cell.name != field) continue;
        table.columns.push_back({cell.name, "header", cell.settable});
        record.values.push_back({.kind = FieldValue::Kind::text, .text = cell.value});
    }
    if (table.columns.empty()) return std::nullopt;
    table.records.push_back(std::move(record));
    return table;
}

MendRequest HeaderTable::request(std::string_view field, std::string_view value) const {
    const auto cell = std::find_if(cells_.begin(), cells_.end(), [&](const Cell& c) { return c.name == field; });
    if (cell != cells_.end() && cell->settable) return {cell->name, std::string(value)};
    std::string known;
    for (const Cell& c : cells_)
        if (c.settable) known += (known.empty() ? "" : ", ") + c.name;
    throw Error(ErrorCode::usage, cell == cells_.end() ? fmt::format("the header has no field \"{}\"", field)
                                                       : fmt::format("header.{} is not set by a value", field))
        .wanted(known.empty() ? "none: nothing in this header is set by its name" : known)
        .hint(cell == cells_.end() ? "" : "the mends of this file may compute it");
}

}  // namespace hotstitch
