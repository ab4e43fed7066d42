// SPDX-License-Identifier: MIT
// What follows from the rows of a map alone. Tested by tests/field/map_test.cc.
#include "field/map.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/error.h"

namespace hotstitch {

Error map_error(const FieldMap& map, unsigned line, const std::string& message) {
    return Error(ErrorCode::damaged, fmt::format("{}, line {}: {}", map.name, line, message));
}

std::optional<std::uint64_t> StoredNumber::value(std::uint64_t stored) const noexcept {
    if (stored > UINT64_MAX / unit) return std::nullopt;
    const std::uint64_t scaled = stored * unit;
    if (plus < 0) {
        const std::uint64_t less = 0 - static_cast<std::uint64_t>(plus);
        return scaled < less ? std::nullopt : std::optional(scaled - less);
    }
    const std::uint64_t sum = scaled + static_cast<std::uint64_t>(plus);
    return sum < scaled ? std::nullopt : std::optional(sum);
}

std::optional<std::uint64_t> StoredNumber::stored(std::uint64_t value) const noexcept {
    const std::uint64_t base = value - static_cast<std::uint64_t>(plus);
    if ((plus >= 0 && value < static_cast<std::uint64_t>(plus)) || base % unit != 0) return std::nullopt;
    const std::uint64_t raw = base / unit;
    return raw > type->most().magnitude ? std::nullopt : std::optional(raw);
}

std::string_view MapField::type_name() const noexcept {
    switch (kind) {
        case Kind::bits: return "bits";
        case Kind::text: return "text";
        case Kind::bytes: return "bytes";
        case Kind::pointer: return "pointer";
        case Kind::number: break;
    }
    return type->name;
}

std::uint64_t MapField::size() const noexcept {
    if (kind == Kind::text) return text.length != 0 ? text.length : text.end->size();
    return kind == Kind::bytes ? length : type->size;
}

const MapField* MapTable::field(std::string_view wanted) const noexcept {
    const auto found = std::find_if(fields.begin(), fields.end(), [&](const MapField& f) { return f.name == wanted; });
    return found == fields.end() ? nullptr : &*found;
}

std::uint64_t MapTable::reach() const noexcept {
    std::uint64_t most = 0;
    for (const MapField& field : fields) most = std::max(most, field.at + field.size());
    return most;
}

MapTraits traits_of(const FieldMap& map) {
    MapTraits traits{.name = map.name,
                     .title = map.title,
                     .part = map.file.part,
                     .for_any = map.file.names_nothing() && map.file.part.empty(),
                     .tables = map.tables.size(),
                     .members = map.members.size(),
                     .payloads = map.payloads.size(),
                     .checks = map.checks.size()};
    for (const MapTable& table : map.tables) traits.fields += table.fields.size();
    return traits;
}

}  // namespace hotstitch
