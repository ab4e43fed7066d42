// SPDX-License-Identifier: MIT
// What Fields knows: fields.cc shows, set_fields.cc sets, compare_fields.cc compares, field_areas.cc names places.
#pragma once

#include <unordered_map>
#include <vector>

#include "field/bound_map.h"
#include "field/field_value.h"
#include "field/header_table.h"
#include "field/selector.h"
#include "hotstitch/fields.h"

namespace hotstitch {

class Overlay;

/// One table of one map, with its keys once they are asked for.
struct FieldsTable {
    const FieldMap* map;
    const BoundTable* bound;
    /// Where a record's keys lead; filled by the first who asks.
    mutable std::unordered_map<std::string, std::vector<std::uint64_t>> keys{};

    const std::string& name() const noexcept { return bound->table().name; }
    std::vector<std::string> field_names() const;
    FieldPlace place(const MapField& field, std::uint64_t record, const ByteSource& file) const;
    std::string key_of(std::uint64_t record, const ByteSource& file) const;
    /// The records of a key; the first call reads the keys of all.
    const std::vector<std::uint64_t>* records_of(const std::string& key, const ByteSource& file) const;
    /// "berth[Old Pier].depth", by the index where the key is another record's too.
    std::string selector_of(std::uint64_t record, const std::string& field, const ByteSource& file) const;
};

/// Bytes of values that may still be looked at: pointers may lead to the same long text again and again.
struct TextBudget {
    std::uint64_t left;
    /// Returns how many they are. Throws Error(limit) where they are more than what is left.
    std::uint64_t take(std::uint64_t bytes, const std::string& table, std::uint64_t record);
    std::uint64_t take(const FieldValue& value, const std::string& table, std::uint64_t record);
};

/// A field as a selector names it: of the table or, behind ".text", what its pointer leads to.
struct NamedField {
    const MapField* field;
    bool pointed = false;
};

struct Fields::State {
    const ByteSource& file;
    Identity identity;
    std::vector<BoundMap> maps{};
    std::vector<FieldsTable> tables{};
    std::optional<HeaderTable> header_table{};  ///< once somebody asks

    const HeaderTable& header();

    // fields.cc
    std::vector<const FieldsTable*> tables_for(const Selector& selector);
    [[noreturn]] void no_such_table(const std::string& name);
    /// [first, last) of the records that are meant. Throws Error(usage).
    std::pair<std::uint64_t, std::uint64_t> records_for(const FieldsTable& table, const Selector& selector) const;
    /// Throws Error(usage) naming the fields that there are.
    static std::vector<NamedField> fields_for(const FieldsTable& table, const std::string& name);
    void show(const FieldsTable& table, const Selector& selector, const FieldSlices& slices, TextBudget& budget,
              const std::function<void(FieldTable&&)>& use) const;

    // set_fields.cc
    /// The fields that a call has set, by name, and which of its changes that is.
    using SetBefore = std::unordered_map<std::string, std::size_t>;
    void set(const FieldSetting& setting, Overlay& overlay, FieldPlan& plan, SetBefore& set_before);
};

}  // namespace hotstitch
