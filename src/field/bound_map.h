// SPDX-License-Identifier: MIT
// A map bound to a file: every place that it names, looked up and checked.
#pragma once

#include <memory>
#include <unordered_map>
#include <vector>

#include "field/map.h"
#include "hotstitch/fields.h"
#include "hotstitch/source.h"

namespace hotstitch {

/// Where a map's place is in the file. Throws map_error() where the file has no such place, or has the pattern not
/// exactly once; Error(io).
std::uint64_t offset_of(const FieldMap& map, const MapPlace& place, const Identity& identity, const ByteSource& file);

/// A number of the file. `from`: where its entry begins. Throws map_error() past the file's end and for a value of more
/// than 64 bits or less than 0.
std::uint64_t value_of(const FieldMap& map, const StoredNumber& number, std::uint64_t from, const ByteSource& file);

/// How many there are. REQUIRES that `at` lies in the file. Throws map_error().
std::uint64_t count_of(const FieldMap& map, const MapCount& count, std::uint64_t at, std::uint64_t stride,
                       const ByteSource& file, unsigned line);

class BoundTable {
public:
    /// Throws map_error() where a record lies outside of the file.
    BoundTable(const FieldMap& map, const MapTable& table, const Identity& identity, const ByteSource& file);

    const MapTable& table() const noexcept { return *table_; }
    std::uint64_t count() const noexcept { return count_; }
    std::uint64_t record_at(std::uint64_t index) const noexcept {
        return records_.empty() ? at_ + index * table_->stride : records_[static_cast<std::size_t>(index)];
    }
    /// What the table takes in the file: its records, and the pointers to them.
    const std::vector<ByteRange>& ranges() const noexcept { return ranges_; }
    /// Bytes of a record that belong to it: of one that pointers lead to, those of its fields.
    std::uint64_t record_size() const noexcept { return size_; }
    /// The record that a byte of one of ranges() lies in; nothing: among the pointers.
    std::optional<std::uint64_t> record_of(std::uint64_t offset) const noexcept;

private:
    void read_pointers(const FieldMap& map, const ByteSource& file);

    const MapTable* table_;
    std::uint64_t at_ = 0, count_ = 0, size_ = 0;
    std::vector<std::uint64_t> records_;                             ///< where pointers lead to them
    std::vector<std::pair<std::uint64_t, std::uint64_t>> by_place_;  ///< of those: place and index, sorted
    std::vector<ByteRange> ranges_;
};

class BoundMap {
public:
    /// Throws what binding a table throws, and map_error() for two tables that take the same bytes.
    BoundMap(SharedMap map, const Identity& identity, const ByteSource& file);
    const FieldMap& map() const noexcept { return *map_; }
    const std::vector<BoundTable>& tables() const noexcept { return tables_; }

private:
    void check_overlaps() const;
    SharedMap map_;
    std::vector<BoundTable> tables_;
};

}  // namespace hotstitch
