// SPDX-License-Identifier: MIT
// Nothing that the file says is believed: each place is held against its size before anything is read there, and each
// table against the others. Tested by tests/field/map_test.cc.
#include "field/bound_map.h"

#include <fmt/format.h>

#include <algorithm>
#include <tuple>

#include "hotstitch/error.h"
#include "hotstitch/place.h"
#include "hotstitch/text.h"
#include "source/stretch.h"

namespace hotstitch {
namespace {

[[noreturn]] void outside(const FieldMap& map, unsigned line, const std::string& what, std::uint64_t at,
                          const ByteSource& file) {
    throw map_error(map, line, what + " lies outside of the file")
        .wanted(fmt::format("below {}, the file's end", offset_text(file.size())))
        .found(offset_text(at));
}

std::uint64_t moved(const FieldMap& map, const MapPlace& place, std::uint64_t at, const ByteSource& file) {
    const std::uint64_t moved = at + static_cast<std::uint64_t>(place.plus);
    const bool wrapped = place.plus < 0 ? moved > at : moved < at;
    if (wrapped || moved > file.size()) outside(map, place.line, "this place", wrapped ? at : moved, file);
    return moved;
}

std::uint64_t found_by_pattern(const FieldMap& map, const MapPlace& place, const ByteSource& file) {
    const std::vector<std::uint64_t> places = places_of(place.pattern, file, 2);
    if (places.size() == 1) return places.front();
    throw map_error(
        map, place.line,
        places.empty() ? "this pattern is nowhere in the file" : "this pattern is in the file more than once")
        .wanted("exactly one place")
        .found(places.empty() ? "none" : fmt::format("{} and {}", offset_text(places[0]), offset_text(places[1])));
}

}  // namespace

std::uint64_t offset_of(const FieldMap& map, const MapPlace& place, const Identity& identity, const ByteSource& file) {
    switch (place.by) {
        case MapPlace::By::address:
            try {
                return moved(map, place, place_at(identity, file, place.address).file_offset, file);
            } catch (const Error& error) {
                if (error.code() == ErrorCode::io) throw;
                throw map_error(map, place.line, error.what()).found(place.address);
            }
        case MapPlace::By::pattern: return moved(map, place, found_by_pattern(map, place, file), file);
        case MapPlace::By::pointer: return moved(map, place, value_of(map, place.pointer, 0, file), file);
        case MapPlace::By::offset: break;
    }
    return moved(map, place, place.offset, file);
}

std::uint64_t value_of(const FieldMap& map, const StoredNumber& number, std::uint64_t from, const ByteSource& file) {
    const std::uint64_t at = from + number.at;
    if (at < from || at > file.size() || number.type->size > file.size() - at)
        outside(map, number.line, "a number", at, file);
    const Bytes bytes = stretch_of(file, at, number.type->size);
    const WholeNumber stored = whole_number(bytes, *number.type, number.order);
    const auto value = stored.negative ? std::nullopt : number.value(stored.magnitude);
    if (!value)
        throw map_error(map, number.line, "this number leads nowhere")
            .found(fmt::format("{} at {}", stored.text(), offset_text(at)));
    return *value;
}

std::uint64_t count_of(const FieldMap& map, const MapCount& count, std::uint64_t at, std::uint64_t stride,
                       const ByteSource& file, unsigned line) {
    if (count.by == MapCount::By::number) return count.number;
    if (count.by == MapCount::By::stored) {
        const std::uint64_t value = value_of(map, count.stored, 0, file);
        if (value > most_records)
            throw map_error(map, count.stored.line, "the file states more records than any table has")
                .wanted(fmt::format("at most {}", most_records))
                .found(std::to_string(value));
        return value;
    }
    Bytes scratch(count.until.size());
    for (std::uint64_t n = 0; n <= most_records && file.size() - at >= count.until.size(); ++n, at += stride) {
        if (matches(count.until, file.read(at, count.until.size(), scratch))) return n;
        if (stride > file.size() - at) break;
    }
    throw map_error(map, line, "the pattern that ends the table never comes");
}

BoundTable::BoundTable(const FieldMap& map, const MapTable& table, const Identity& identity, const ByteSource& file)
    : table_(&table), size_(table.reach()) {
    at_ = offset_of(map, table.at, identity, file);
    const std::uint64_t stride = table.via ? table.via->type->size : table.stride;
    count_ = count_of(map, table.count, at_, stride, file, table.line);
    // Of the last record, only what its fields reach over has to be there.
    const std::uint64_t needed = count_ == 0 ? 0 : (count_ - 1) * stride + (table.via ? stride : size_);
    if (needed > file.size() - at_)
        throw map_error(map, table.line, fmt::format("the table {} reaches over the end of the file", table.name))
            .wanted(fmt::format("at most {}", counted(file.size() - at_, "byte", "bytes")))
            .found(fmt::format("{} records, {}", count_, counted(needed, "byte", "bytes")));
    if (needed != 0) ranges_.push_back({at_, needed});
    if (table.via) read_pointers(map, file);
}

void BoundTable::read_pointers(const FieldMap& map, const ByteSource& file) {
    const StoredNumber& via = *table_->via;
    records_.reserve(static_cast<std::size_t>(count_));
    for (std::uint64_t i = 0; i < count_; ++i) {
        const std::uint64_t record = value_of(map, via, at_ + i * via.type->size, file);
        if (record > file.size() || size_ > file.size() - record)
            outside(map, via.line, fmt::format("record {} of {}", i, table_->name), record, file);
        if (record < at_ + count_ * via.type->size && at_ < record + size_)
            throw map_error(map, via.line,
                            fmt::format("pointer {} of {} leads back into the pointers", i, table_->name))
                .found(offset_text(record));
        records_.push_back(record);
        by_place_.emplace_back(record, i);
    }
    std::sort(by_place_.begin(), by_place_.end());
    for (const auto& [record, index] : by_place_) {
        if (!ranges_.empty() && record < ranges_.back().offset + ranges_.back().length && ranges_.size() > 1) {
            // Two pointers to one record are fine.
            if (record == ranges_.back().offset || table_->overlay) continue;
            throw map_error(map, table_->line, fmt::format("record {} of {} overlaps another", index, table_->name))
                .found(offset_text(record));
        }
        ranges_.push_back({record, size_});
    }
}

std::optional<std::uint64_t> BoundTable::record_of(std::uint64_t offset) const noexcept {
    if (records_.empty()) return table_->via ? std::nullopt : std::optional((offset - at_) / table_->stride);
    const auto after = std::upper_bound(by_place_.begin(), by_place_.end(), std::pair(offset, UINT64_MAX));
    if (after == by_place_.begin() || offset - std::prev(after)->first >= size_) return std::nullopt;
    return std::prev(after)->second;
}

BoundMap::BoundMap(SharedMap map, const Identity& identity, const ByteSource& file) : map_(std::move(map)) {
    for (const MapTable& table : map_->tables) tables_.emplace_back(*map_, table, identity, file);
    check_overlaps();
}

/// Tables one after the other, by where they begin; those that reach into the next are looked at field by field, since
/// two tables may take turns in one stride.
void BoundMap::check_overlaps() const {
    struct Claim {
        std::uint64_t begin, end;
        const BoundTable* table;
        const MapField* field;
    };
    constexpr std::size_t most_claims = 1'000'000;
    std::vector<std::tuple<std::uint64_t, std::uint64_t, const BoundTable*>> stretches;
    for (const BoundTable& table : tables_)
        if (!table.table().overlay)
            for (const ByteRange& range : table.ranges())
                stretches.emplace_back(range.offset, range.offset + range.length, &table);
    std::sort(stretches.begin(), stretches.end());
    std::vector<const BoundTable*> close;
    std::uint64_t end = 0;
    const BoundTable* last = nullptr;
    for (const auto& [begin, stop, table] : stretches) {
        if (begin < end && table != last) close.push_back(last), close.push_back(table);
        if (stop > end) end = stop, last = table;
    }
    std::sort(close.begin(), close.end());
    close.erase(std::unique(close.begin(), close.end()), close.end());
    std::vector<Claim> claims;
    for (const BoundTable* const table : close) {
        const std::uint64_t more = table->count() * (table->table().fields.size() + 1);
        if (more > most_claims - std::min(claims.size(), most_claims))
            throw map_error(*map_, table->table().line,
                            fmt::format("the table {} reaches into another, and both are too large to compare",
                                        table->table().name))
                .hint("if they are two ways to see the same bytes: overlay = true");
        if (table->table().via)
            claims.push_back({table->ranges().front().offset,
                              table->ranges().front().offset + table->ranges().front().length, table, nullptr});
        for (std::uint64_t i = 0; i < table->count(); ++i)
            for (const MapField& field : table->table().fields) {
                const std::uint64_t begin = table->record_at(i) + field.at;
                claims.push_back({begin, begin + field.size(), table, &field});
            }
    }
    std::sort(claims.begin(), claims.end(),
              [](const Claim& a, const Claim& b) { return std::tie(a.begin, a.end) < std::tie(b.begin, b.end); });
    const Claim* widest = nullptr;
    for (const Claim& claim : claims) {
        const bool same_meaning = widest != nullptr && widest->field != nullptr && claim.field != nullptr &&
                                  widest->begin == claim.begin && widest->end == claim.end &&
                                  widest->field->type_name() == claim.field->type_name();
        if (widest != nullptr && claim.begin < widest->end && claim.table != widest->table && !same_meaning)
            throw map_error(*map_, claim.table->table().line,
                            fmt::format("the tables {} and {} take the same bytes", widest->table->table().name,
                                        claim.table->table().name))
                .found(offset_text(claim.begin))
                .hint("if they are two ways to see the same bytes, say so: overlay = true");
        if (widest == nullptr || claim.end > widest->end) widest = &claim;
    }
}

}  // namespace hotstitch
