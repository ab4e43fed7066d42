// SPDX-License-Identifier: MIT
// Tested by tests/field/fields_test.cc.
#include "hotstitch/fields.h"

#include <fmt/format.h>

#include <algorithm>

#include "field/fields_state.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch {

std::vector<std::string> FieldsTable::field_names() const {
    std::vector<std::string> names;
    for (const MapField& field : bound->table().fields) names.push_back(field.name);
    return names;
}

FieldPlace FieldsTable::place(const MapField& field, std::uint64_t record, const ByteSource& file) const {
    const std::uint64_t at = bound->record_at(record) + field.at;
    // A text with an end may go on up to the next record; where pointers lead to records, up to the file's end.
    const std::uint64_t room = bound->table().via ? file.size() - at : bound->table().stride - field.at;
    return {at, std::min(room, file.size() - at)};
}

std::string FieldsTable::key_of(std::uint64_t record, const ByteSource& file) const {
    const MapTable& table = bound->table();
    if (!table.key.empty()) {
        const MapField& field = *table.field(table.key);
        return value_at(field, place(field, record, file), file).text;
    }
    return record < table.names.size() ? table.names[static_cast<std::size_t>(record)] : std::string();
}

const std::vector<std::uint64_t>* FieldsTable::records_of(const std::string& key, const ByteSource& file) const {
    if (keys.empty())
        for (std::uint64_t i = 0; i < bound->count(); ++i)
            if (std::string name = key_of(i, file); !name.empty()) keys[std::move(name)].push_back(i);
    const auto found = keys.find(key);
    return found == keys.end() ? nullptr : &found->second;
}

std::string FieldsTable::selector_of(std::uint64_t record, const std::string& field, const ByteSource& file) const {
    const std::string key = key_of(record, file);
    const bool plain = !key.empty() && key.find_first_of("]\"\\") == std::string::npos &&
                       key.find_first_not_of("0123456789-*") != std::string::npos;
    const auto* const records = plain ? records_of(key, file) : nullptr;
    if (records == nullptr || records->size() > 1) return field_name(name(), record, field);
    return fmt::format("{}[{}].{}", name(), key, field);
}

Fields::Fields(const ByteSource& file, const std::vector<SharedMap>& maps) : Fields(file, identify(file), maps) {}

Fields::Fields(const ByteSource& file, Identity identity, const std::vector<SharedMap>& maps)
    : state_(std::make_unique<State>(State{file, std::move(identity)})) {
    for (const SharedMap& map : maps) state_->maps.emplace_back(map, state_->identity, file);
    for (const BoundMap& map : state_->maps)
        for (const BoundTable& table : map.tables()) state_->tables.push_back({&map.map(), &table});
}
Fields::~Fields() = default;
Fields::Fields(Fields&&) noexcept = default;

const Identity& Fields::identity() const noexcept {
    return state_->identity;
}

const HeaderTable& Fields::State::header() {
    if (!header_table) header_table.emplace(file, identity);
    return *header_table;
}

std::vector<std::string> Fields::tables() const {
    std::vector<std::string> names;
    if (!state_->header().empty()) names.emplace_back("header");
    for (const FieldsTable& table : state_->tables) names.push_back(table.name());
    return names;
}

void Fields::State::no_such_table(const std::string& name) {
    std::vector<std::string> known;
    if (!header().empty()) known.emplace_back("header");
    for (const FieldsTable& table : tables) known.push_back(table.name());
    const std::string near = nearest_word(name, known);
    throw Error(ErrorCode::usage, fmt::format("there is no table \"{}\"", name))
        .wanted(known.empty() ? "none: no map is for this file" : fmt::format("{}", fmt::join(known, ", ")))
        .hint(near.empty() ? "" : fmt::format("did you mean {}?", near));
}

std::vector<const FieldsTable*> Fields::State::tables_for(const Selector& selector) {
    std::vector<const FieldsTable*> found;
    for (const FieldsTable& table : tables)
        if (table.name() == selector.table) found.push_back(&table);
    if (found.empty()) no_such_table(selector.table);
    return found;
}

std::vector<NamedField> Fields::State::fields_for(const FieldsTable& table, const std::string& name) {
    std::vector<NamedField> found;
    for (const MapField& field : table.bound->table().fields) {
        if (name.empty() || field.name == name) found.push_back({&field});
        if (field.to_text && field.name + ".text" == name) found.push_back({&field, true});
    }
    if (!found.empty()) return found;
    const std::vector<std::string> known = table.field_names();
    const std::string near = nearest_word(name, known);
    throw Error(ErrorCode::usage, fmt::format("the table {} has no field \"{}\"", table.name(), name))
        .wanted(fmt::format("{}", fmt::join(known, ", ")))
        .hint(near.empty() ? "" : fmt::format("did you mean {}?", near));
}

std::pair<std::uint64_t, std::uint64_t> Fields::State::records_for(const FieldsTable& table,
                                                                   const Selector& selector) const {
    const std::uint64_t count = table.bound->count();
    if (selector.records == Selector::Records::all) return {0, count};
    if (selector.records == Selector::Records::range) {
        if (selector.last < count) return {selector.first, selector.last + 1};
        throw Error(ErrorCode::usage, fmt::format("the table {} has no record {}", table.name(), selector.last))
            .wanted(count == 0 ? "none: it is empty" : fmt::format("0 to {}", count - 1));
    }
    const auto* const found = table.records_of(selector.key, file);
    if (found == nullptr) {
        std::vector<std::string> known;
        for (const auto& [key, records] : table.keys) known.push_back(key);
        const std::string near = nearest_word(selector.key, known);
        throw Error(ErrorCode::usage, fmt::format("no record of {} is called \"{}\"", table.name(), selector.key))
            .hint(known.empty()  ? "its records have numbers only"
                  : near.empty() ? fmt::format("to see their names: {}", table.name())
                                 : fmt::format("did you mean {}?", near));
    }
    if (found->size() > 1)
        throw Error(ErrorCode::usage,
                    fmt::format("several records of {} are called \"{}\"", table.name(), selector.key))
            .wanted("a name that only one has, or a number")
            .found(fmt::format("{}", fmt::join(*found, ", ")));
    return {found->front(), found->front() + 1};
}

std::uint64_t TextBudget::take(std::uint64_t bytes, const std::string& table, std::uint64_t record) {
    if (bytes > left)
        throw Error(ErrorCode::limit, "the fields that are asked for hold more text than is looked at")
            .in(fmt::format("{}[{}]", table, record))
            .hint("ask for fewer records: TABLE[0-99]");
    left -= bytes;
    return bytes;
}

std::uint64_t TextBudget::take(const FieldValue& value, const std::string& table, std::uint64_t record) {
    return take(value.text.size() + (value.leads_to ? value.leads_to->size() : 0), table, record);
}

void Fields::State::show(const FieldsTable& table, const Selector& selector, const FieldSlices& slices,
                         TextBudget& budget, const std::function<void(FieldTable&&)>& use) const {
    FieldTable out{.name = table.name(),
                   .map = table.map->title.empty() ? table.map->name : table.map->title,
                   .of_records = table.bound->count()};
    const std::vector<NamedField> fields = fields_for(table, selector.field);
    for (const NamedField& named : fields)
        out.columns.push_back({named.pointed ? named.field->name + ".text" : named.field->name,
                               named.pointed ? "text" : std::string(named.field->type_name())});
    const auto [first, last] = records_for(table, selector);
    const std::uint64_t end = first + std::min(last - first, slices.first);
    constexpr std::uint64_t much_text = std::uint64_t{1} << 20;
    std::uint64_t text = 0;
    const auto hand_out = [&] {
        FieldTable slice = out;
        out.records.clear();
        out.continues = true;
        text = 0;
        use(std::move(slice));
    };
    for (std::uint64_t i = first; i < end; ++i) {
        if (out.records.size() >= slices.records || (text > much_text && slices.records != UINT64_MAX)) hand_out();
        FieldRecord record{.index = i, .key = table.key_of(i, file), .offset = table.bound->record_at(i)};
        record.values.reserve(fields.size());
        for (const NamedField& named : fields) {
            const FieldPlace place = table.place(*named.field, i, file);
            const auto pointed = named.pointed ? pointed_text(*named.field, place, file) : std::nullopt;
            record.values.push_back(pointed         ? value_at(pointed->field, pointed->place, file)
                                    : named.pointed ? FieldValue{}
                                                    : value_at(*named.field, place, file));
        }
        for (const FieldValue& value : record.values) text += budget.take(value, out.name, i);
        out.records.push_back(std::move(record));
    }
    use(std::move(out));
}

void Fields::show_each(const std::vector<std::string>& selectors, const std::function<void(FieldTable&&)>& use,
                       const FieldSlices& slices) const {
    State& s = *state_;
    TextBudget budget{slices.text};
    if (selectors.empty()) {
        if (auto header = s.header().show({})) use(*std::move(header));
        for (const FieldsTable& table : s.tables) s.show(table, {}, slices, budget, use);
    }
    for (const std::string& text : selectors) {
        const Selector selector = selector_from(text);
        if (selector.table == "header" && !s.header().empty()) {
            auto header = s.header().show(selector.field);
            if (!header)
                throw Error(ErrorCode::usage, fmt::format("the header has no field \"{}\"", selector.field))
                    .wanted(fmt::format("{}", fmt::join(s.header().names(), ", ")));
            use(*std::move(header));
            continue;
        }
        for (const FieldsTable* const table : s.tables_for(selector)) s.show(*table, selector, slices, budget, use);
    }
    s.file.check_intact();
}

std::vector<FieldTable> Fields::show(const std::vector<std::string>& selectors) const {
    std::vector<FieldTable> shown;
    show_each(selectors, [&](FieldTable&& table) { shown.push_back(std::move(table)); }, {.records = UINT64_MAX});
    return shown;
}

}  // namespace hotstitch
