// SPDX-License-Identifier: MIT
// Records whose bytes are the same are not taken apart, so most of a table costs one comparison of memory. Tested by
// tests/field/fields_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "field/fields_state.h"
#include "source/stretch.h"

namespace hotstitch {
namespace {

constexpr std::size_t most_outside = 100'000;

bool same_bytes(const ByteSource& a, std::uint64_t at, const ByteSource& b, std::uint64_t other, std::uint64_t length,
                Bytes& scratch) {
    const auto size = static_cast<std::size_t>(length);
    scratch.resize(2 * size);
    const MutableByteView all(scratch);
    return common_prefix(a.read(at, size, all.first(size)), b.read(other, size, all.last(size))) == size;
}

/// A text that ends by its end, or that a pointer leads to, lies partly behind what the record's fields reach over.
bool lies_in_record(const MapTable& table) {
    return std::none_of(table.fields.begin(), table.fields.end(), [](const MapField& f) {
        return f.to_text || (f.kind == MapField::Kind::text && f.text.length == 0);
    });
}

void compare_tables(const FieldsTable& a, const ByteSource& file_a, const FieldsTable& b, const ByteSource& file_b,
                    TextBudget& budget, FieldComparison& result) {
    const MapTable &table = a.bound->table(), &other = b.bound->table();
    const std::uint64_t count = std::min(a.bound->count(), b.bound->count());
    if (a.bound->count() != b.bound->count())
        result.warnings.push_back(
            fmt::format("{} has {} records here, and {} there", table.name, a.bound->count(), b.bound->count()));
    const bool by_bytes = &table == &other && lies_in_record(table);
    std::vector<std::pair<const MapField*, const MapField*>> pairs;
    for (const MapField& field : table.fields)
        if (const MapField* const same = other.field(field.name)) pairs.emplace_back(&field, same);
    result.compared += count * pairs.size();
    Bytes scratch;
    for (std::uint64_t i = 0; i < count; ++i) {
        if (by_bytes &&
            same_bytes(file_a, a.bound->record_at(i), file_b, b.bound->record_at(i), a.bound->record_size(), scratch))
            continue;
        // A record that gets another key is not found by the old one again.
        const MapField* const key = table.key.empty() ? nullptr : table.field(table.key);
        const MapField* const other_key = key == nullptr ? nullptr : other.field(table.key);
        const bool other_name =
            other_key != nullptr && value_at(*key, a.place(*key, i, file_a), file_a).text !=
                                        value_at(*other_key, b.place(*other_key, i, file_b), file_b).text;
        for (const auto& [field, same] : pairs) {
            const FieldPlace place = a.place(*field, i, file_a), there = b.place(*same, i, file_b);
            const FieldValue before = value_at(*field, place, file_a), after = value_at(*same, there, file_b);
            budget.take(before, table.name, i), budget.take(after, table.name, i);
            // Filling behind a text may differ and is told as a difference outside.
            if (before.text == after.text && before.leads_to == after.leads_to) continue;
            const bool text_alone = before.text == after.text;
            result.fields.push_back(
                {.name = field_name(table.name, i, field->name) + (text_alone ? ".text" : ""),
                 .key = a.key_of(i, file_a),
                 .selector = other_name ? field_name(table.name, i, field->name + (text_alone ? ".text" : ""))
                                        : a.selector_of(i, field->name + (text_alone ? ".text" : ""), file_a),
                 .before = text_alone ? before.leads_to.value_or("") : before.text,
                 .after = text_alone ? after.leads_to.value_or("") : after.text,
                 .offset = place.offset,
                 .length = length_at(*field, place, file_a)});
        }
    }
}

}  // namespace

FieldComparison Fields::compare(const Fields& there) const {
    State &s = *state_, &o = *there.state_;
    FieldComparison result;
    TextBudget budget{FieldSlices{}.text};
    for (const std::string& name : s.header().names()) {
        ++result.compared;
        if (s.header().text(name) != o.header().text(name))
            result.fields.push_back(
                {.name = "header." + name, .before = s.header().text(name), .after = o.header().text(name)});
    }
    for (const FieldsTable& table : s.tables) {
        const auto same = std::find_if(o.tables.begin(), o.tables.end(),
                                       [&](const FieldsTable& t) { return t.name() == table.name(); });
        if (same == o.tables.end())
            result.warnings.push_back(fmt::format("the other file has no table {}", table.name()));
        else
            compare_tables(table, s.file, *same, o.file, budget, result);
    }
    // What no field names: in one file's places, so only where both are of one layout.
    const auto add = [&](std::uint64_t begin, std::uint64_t end) {
        auto& list = result.outside;
        constexpr std::uint64_t near = 8;
        if (!list.empty() && (begin - (list.back().offset + list.back().length) < near || list.size() >= most_outside))
            list.back().length = end - list.back().offset;
        else
            list.push_back({begin, end - begin});
    };
    each_difference(s.file, o.file, [&](const ByteRange& range) {
        const std::uint64_t end = range.offset + range.length;
        for (std::uint64_t at = range.offset; at < end;) {
            std::uint64_t length = end - at;
            const bool known = at < s.file.size() && !name_at(at, length).empty();
            length = std::clamp<std::uint64_t>(length, 1, end - at);
            if (!known) add(at, at + length);
            at += length;
        }
    });
    s.file.check_intact(), o.file.check_intact();
    return result;
}

std::string Fields::name_at(std::uint64_t offset, std::uint64_t& length) const {
    std::uint64_t next = UINT64_MAX;
    for (const BoundMap& map : state_->maps)
        for (const MapCheck& check : map.map().checks) {
            const std::uint64_t at = check.number.at;
            if (offset >= at && offset - at < check.number.type->size)
                return length = at + check.number.type->size - offset, "checksum";
            if (at > offset) next = std::min(next, at - offset);
        }
    for (const FieldsTable& table : state_->tables) {
        const std::vector<ByteRange>& ranges = table.bound->ranges();
        if (ranges.empty()) continue;
        const auto after = std::upper_bound(ranges.begin() + (table.bound->table().via ? 1 : 0), ranges.end(), offset,
                                            [](std::uint64_t at, const ByteRange& range) { return at < range.offset; });
        if (after != ranges.end()) next = std::min(next, after->offset - offset);
        if (after == ranges.begin() || std::prev(after)->offset > offset ||
            offset - std::prev(after)->offset >= std::prev(after)->length)
            continue;
        const auto record = table.bound->record_of(offset);
        if (!record) continue;
        const std::uint64_t in_record = offset - table.bound->record_at(*record);
        for (const MapField& field : table.bound->table().fields) {
            if (field.at > in_record) next = std::min(next, field.at - in_record);
            if (in_record < field.at || in_record >= field.at + field.size()) continue;
            length = field.at + field.size() - in_record;
            std::string names;
            for (const MapField& other : table.bound->table().fields)  // bits share their bytes
                if (in_record >= other.at && in_record < other.at + other.size())
                    names += (names.empty() ? "" : "/") + other.name;
            const std::string key = table.key_of(*record, state_->file);
            return fmt::format("{}[{}]: {}", table.name(), key.empty() ? std::to_string(*record) : key, names);
        }
        next = std::min(next, table.bound->table().via ? next : table.bound->table().stride - in_record);
    }
    length = std::min(std::max<std::uint64_t>(length, 1), next);
    return {};
}

std::vector<Fields::Area> Fields::areas() const {
    std::vector<Area> all;
    for (const FieldsTable& table : state_->tables)
        for (const ByteRange& range : table.bound->ranges()) {
            const bool goes_on = !all.empty() && all.back().name == table.name() &&
                                 all.back().range.offset + all.back().range.length == range.offset;
            if (goes_on)
                all.back().range.length += range.length;
            else
                all.push_back({range, table.name()});
        }
    std::sort(all.begin(), all.end(), [](const Area& a, const Area& b) { return a.range.offset < b.range.offset; });
    return all;
}

}  // namespace hotstitch
