// SPDX-License-Identifier: MIT
// Entries are believed in nothing: each offset and size is held against the file. Tested by
// tests/part/described_test.cc.
#include "field/described/slots.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "field/bound_map.h"
#include "field/field_value.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch {
namespace {

constexpr std::uint64_t most_members = 100'000;

void check_inside(const FieldMap& map, unsigned line, const std::string& name, std::uint64_t offset, std::uint64_t size,
                  const ByteSource& file) {
    if (offset <= file.size() && size <= file.size() - offset) return;
    throw map_error(map, line, fmt::format("{} reaches over the end of the file", name))
        .wanted(fmt::format("at most {}", counted(file.size(), "byte", "bytes")))
        .found(fmt::format("{} at {}", counted(size, "byte", "bytes"), offset_text(offset)));
}

std::string name_of(const MapMembers& members, std::uint64_t i, std::uint64_t entry, const ByteSource& file) {
    if (members.entry_name) {
        const MapField& field = *members.entry_name;
        const FieldPlace place{entry + field.at, std::min(members.stride - field.at, file.size() - entry - field.at)};
        const FieldValue value = value_at(field, place, file);
        std::string text = field.to_text ? value.leads_to.value_or("") : value.text;
        std::replace(text.begin(), text.end(), '\\', '/');
        if (!text.empty()) return text;
    }
    if (i < members.names.size()) return members.names[static_cast<std::size_t>(i)];
    return fmt::format("{:04}", i);
}

void add_members(const FieldMap& map, const MapMembers& members, const Identity& identity, const ByteSource& file,
                 std::vector<Slot>& slots) {
    const std::uint64_t at = offset_of(map, members.at, identity, file);
    const std::uint64_t count = count_of(map, members.count, at, members.stride, file, members.line);
    if (count > most_members || count * members.stride > file.size() - at)
        throw map_error(map, members.line,
                        fmt::format("the entries of {} reach over the end of the file", members.name))
            .wanted(fmt::format("at most {} entries", std::min(most_members, (file.size() - at) / members.stride)))
            .found(std::to_string(count));
    std::vector<std::uint64_t> begins;
    for (std::uint64_t i = 0; i < count; ++i)
        begins.push_back(value_of(map, members.offset, at + i * members.stride, file));
    std::vector<std::uint64_t> sorted = begins;
    std::sort(sorted.begin(), sorted.end());
    std::map<std::string, unsigned> used;
    for (std::uint64_t i = 0; i < count; ++i) {
        Slot slot{.part = {.name = {}, .kind = PartKind::file, .size = {}, .offset = {}, .head = {}},
                  .map = &map,
                  .members = &members,
                  .entry = at + i * members.stride,
                  .offset = begins[static_cast<std::size_t>(i)]};
        const std::optional<StoredNumber>& stored = members.stored ? members.stored : members.size;
        if (members.next || !stored) {
            const auto next = std::upper_bound(sorted.begin(), sorted.end(), slot.offset);
            const std::uint64_t end = next == sorted.end() ? file.size() : *next;
            slot.stored = end - std::min(end, slot.offset);
        } else {
            slot.stored = value_of(map, *stored, slot.entry, file);
        }
        std::string name = name_of(members, i, slot.entry, file);
        if (const unsigned times = ++used[name]; times > 1) name += fmt::format(" {}", times);
        slot.part.name = members.name + "/" + name;
        check_inside(map, members.line, slot.part.name, slot.offset, slot.stored, file);
        if (members.codec.empty())
            slot.part.size = slot.stored, slot.part.offset = slot.offset;
        else if (members.size && members.stored)
            slot.part.size = value_of(map, *members.size, slot.entry, file);
        if (!members.codec.empty()) slot.part.storage = PartStorage::packed;
        slots.push_back(std::move(slot));
    }
}

void add_payload(const FieldMap& map, const MapPayload& payload, const Identity& identity, const ByteSource& file,
                 std::vector<Slot>& slots) {
    const std::uint64_t at = offset_of(map, payload.at, identity, file);
    const std::uint64_t size = payload.size              ? value_of(map, *payload.size, 0, file)
                               : payload.fixed_size != 0 ? payload.fixed_size
                                                         : file.size() - at;
    check_inside(map, payload.line, payload.name, at, size, file);
    slots.push_back({.part = {.name = payload.name, .kind = PartKind::file, .size = size, .offset = at, .head = {}},
                     .map = &map,
                     .payload = &payload,
                     .offset = at,
                     .stored = size});
}

}  // namespace

void add_slots(const FieldMap& map, const Identity& identity, const ByteSource& file, std::vector<Slot>& slots) {
    for (const MapMembers& members : map.members) add_members(map, members, identity, file, slots);
    for (const MapPayload& payload : map.payloads) add_payload(map, payload, identity, file, slots);
}

}  // namespace hotstitch
