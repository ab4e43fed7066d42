// SPDX-License-Identifier: MIT
// Tested by tests/field/map_test.cc.
#include "field/map_places.h"

#include <fmt/format.h>

#include "hotstitch/error.h"

namespace hotstitch {

ByteOrder order_of(const TomlValue& value) {
    const std::string word = value.string();
    if (word != "little" && word != "big")
        throw value.error("this byte order is not known").wanted("little, big").found(word);
    return word == "big" ? ByteOrder::big : ByteOrder::little;
}

const NumberType* type_of(const TomlValue& value, bool whole) {
    const std::string name = value.string();
    const NumberType* const type = number_type(name);
    if (type == nullptr || (whole && type->real))
        throw value.error("this type of number is not known here").wanted(number_types()).found(name);
    return type;
}

StoredNumber number_of(const TomlValue& value, ByteOrder order, bool has_place) {
    TomlTable table(value, "a stored number");
    StoredNumber number{.order = order, .line = value.line()};
    if (has_place) number.at = table.need("at").offset();
    number.type = type_of(table.need("type"));
    if (const TomlValue plus = table.find("plus")) number.plus = plus.integer();
    if (const TomlValue unit = table.find("unit"))
        number.unit = static_cast<std::uint64_t>(unit.integer(1, longest_stride));
    if (const TomlValue own = table.find("byte-order")) number.order = order_of(own);
    table.finish();
    return number;
}

Pattern pattern_of(const TomlValue& value) {
    const auto pattern = pattern_from(value.string());
    if (!pattern)
        throw value.error("this is no byte pattern")
            .wanted(fmt::format("\"A9 0D ?? 8D\", at most {} bytes, one of them certain", longest_pattern))
            .found(value.string().substr(0, 60));
    return *pattern;
}

MapPlace place_of(const TomlValue& value, ByteOrder order) {
    MapPlace place{.line = value.line()};
    if (value.is(TomlValue::Kind::string)) {
        place.by = MapPlace::By::address;
        place.address = value.string();
    } else if (value.is(TomlValue::Kind::table)) {
        TomlTable table(value, "a place");
        if (const TomlValue pattern = table.find("find")) {
            place.by = MapPlace::By::pattern;
            place.pattern = pattern_of(pattern);
        } else if (const TomlValue at = table.find("pointer")) {
            place.by = MapPlace::By::pointer;
            place.pointer = {
                .at = at.offset(), .type = type_of(table.need("type")), .order = order, .line = value.line()};
            if (const TomlValue own = table.find("byte-order")) place.pointer.order = order_of(own);
        } else {
            throw value.error("this says no place")
                .wanted("an offset, \"an address\", {find = …} or {pointer = …, type = …}");
        }
        if (const TomlValue plus = table.find("plus")) place.plus = plus.integer();
        table.finish();
    } else {
        place.offset = value.offset();
    }
    return place;
}

MapCount count_of(TomlTable& table, ByteOrder order, std::size_t names) {
    MapCount count{.number = names != 0 ? names : 1};
    const TomlValue value = table.find("count");
    if (!value) return count;
    if (value.is(TomlValue::Kind::table)) {
        TomlTable inner(value, "a count");
        if (const TomlValue until = inner.find("until")) {
            count.by = MapCount::By::until;
            count.until = pattern_of(until);
            inner.finish();
            return count;
        }
        count.by = MapCount::By::stored;
        count.stored = number_of(value, order);
        return count;
    }
    count.number = static_cast<std::uint64_t>(value.integer(0, static_cast<std::int64_t>(most_records)));
    return count;
}

}  // namespace hotstitch
