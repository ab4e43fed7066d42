// SPDX-License-Identifier: MIT
// Which map is for which file, and which part of it. Tested by tests/field/fields_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "base/letters.h"
#include "field/map_fit.h"
#include "field/map_places.h"
#include "hotstitch/digest.h"
#include "hotstitch/error.h"
#include "hotstitch/part.h"

namespace hotstitch {

namespace {

std::vector<TomlValue> each(const TomlValue& value) {
    return value.is(TomlValue::Kind::array) ? value.array() : std::vector{value};
}

}  // namespace

void read_file_keys(const TomlValue& value, FieldMap& map) {
    TomlTable table(value, "[file]");
    auto& file = map.file;
    file.kind = table.text("kind"), file.title = table.text("title");
    file.serial = table.text("serial"), file.region = table.text("region");
    if (const TomlValue begins = table.find("begins")) file.begins = pattern_of(begins);
    if (const TomlValue revision = table.find("revision"))
        for (const TomlValue& one : each(revision)) file.revisions.push_back(one.offset());
    for (const char* const name : {"crc32", "sha1"})
        if (const TomlValue list = table.find(name))
            for (const TomlValue& one : each(list)) {
                Digests digests;
                try {
                    add_digest(digests, fmt::format("{}:{}", name, one.string()));
                } catch (const Error& error) {
                    throw one.error(error.what()).found(one.string());
                }
                if (digests.crc32) file.crc32.push_back(*digests.crc32);
                if (digests.sha1) file.sha1.push_back(*digests.sha1);
            }
    if (const TomlValue part = table.find("part")) {
        file.part = part.string();
        split_address(file.part);
    }
    table.finish();
}

MapFit fit_of(const FieldMap& map, const Identity& identity, const ByteSource& file) {
    MapFit fit;
    const auto& wanted = map.file;
    if (!wanted.crc32.empty() || !wanted.sha1.empty()) {
        const Digests found = digest(file, {.crc32 = !wanted.crc32.empty(), .sha1 = !wanted.sha1.empty()});
        const bool by_crc =
            found.crc32 && std::find(wanted.crc32.begin(), wanted.crc32.end(), *found.crc32) != wanted.crc32.end();
        const bool by_sha =
            found.sha1 && std::find(wanted.sha1.begin(), wanted.sha1.end(), *found.sha1) != wanted.sha1.end();
        if (by_crc || by_sha) return {true, {}, 1};
        fit.why.push_back(found.crc32 ? fmt::format("it wants crc32 {}, and this is {}", wanted.crc32.front().hex(),
                                                    found.crc32->hex())
                                      : std::string("it wants another sha1"));
        return fit;
    }
    const auto ask = [&](std::string_view what, const std::string& wish, std::string_view is, bool right) {
        if (wish.empty()) return;
        if (right) return void(++fit.right);
        fit.why.push_back(fmt::format("it wants the {} {}, and this is {}", what, wish, is.empty() ? "unknown" : is));
    };
    ask("kind", wanted.kind, identity.platform.empty() ? name_of(identity.kind.id) : identity.platform,
        lower(wanted.kind) == identity.platform || lower(wanted.kind) == name_of(identity.kind.id));
    ask("title", wanted.title, identity.title, wanted.title == identity.title);
    ask("serial", wanted.serial, identity.serial, wanted.serial == identity.serial);
    ask("region", wanted.region, identity.region, lower(wanted.region) == lower(identity.region));
    std::vector<std::string> revisions;
    for (const std::uint64_t revision : wanted.revisions) revisions.push_back(std::to_string(revision));
    const bool revision_right = identity.revision && std::find(wanted.revisions.begin(), wanted.revisions.end(),
                                                               *identity.revision) != wanted.revisions.end();
    ask("revision", fmt::format("{}", fmt::join(revisions, " or ")),
        identity.revision ? std::to_string(*identity.revision) : "", revision_right);
    if (!wanted.begins.empty()) {
        const Bytes head = head_of(file, wanted.begins.size());
        if (head.size() == wanted.begins.size() && matches(wanted.begins, head))
            ++fit.right;
        else
            fit.why.push_back(fmt::format("it wants other first bytes, and these are {}", hex(head)));
    }
    fit.fits = fit.why.empty();
    return fit;
}

std::shared_ptr<const Maps> maps_in(const Limits& limits) {
    return std::dynamic_pointer_cast<const Maps>(limits.maps);
}
std::shared_ptr<Maps> copied_maps(const Limits& limits) {
    const auto maps = maps_in(limits);
    return maps ? std::make_shared<Maps>(*maps) : std::make_shared<Maps>();
}

void Maps::add(SharedMap map, bool sure) {
    const auto there = std::find_if(entries_.begin(), entries_.end(), [&](const Entry& e) {
        return e.map->name == map->name && e.map->text == map->text;
    });
    if (there != entries_.end()) {
        there->for_this = there->for_this || sure;
        return;
    }
    std::vector<std::string> part = split_address(map->file.part);
    entries_.push_back({std::move(map), std::move(part), sure});
}

std::vector<SharedMap> Maps::all() const {
    std::vector<SharedMap> maps;
    for (const Entry& entry : entries_) maps.push_back(entry.map);
    return maps;
}

std::vector<SharedMap> Maps::for_file(const Identity& identity, const ByteSource& file) const {
    std::vector<SharedMap> maps;
    for (const Entry& entry : entries_)
        if (entry.part.empty() && (entry.for_this || fit_of(*entry.map, identity, file).fits))
            maps.push_back(entry.map);
    return maps;
}

std::shared_ptr<const KnownParts> Maps::inside(const Identity& identity, const ByteSource& file,
                                               std::string_view part) const {
    auto inner = std::make_shared<Maps>();
    const auto same_name = [](std::string_view a, std::string_view b) {
        return std::equal(a.begin(), a.end(), b.begin(), b.end(),
                          [](unsigned char x, unsigned char y) { return std::toupper(x) == std::toupper(y); });
    };
    for (const Entry& entry : entries_) {
        Entry kept = entry;
        if (!entry.part.empty()) {
            const bool leads_here = same_name(entry.part.front(), part) || same_name(entry.part.front() + ";1", part);
            if (leads_here && (entry.for_this || fit_of(*entry.map, identity, file).fits)) {
                kept.part.erase(kept.part.begin());
                kept.for_this = true;
            } else if (entry.for_this) {
                continue;  // for another part of the same file
            }
        } else if (entry.for_this) {
            kept.for_this = false;
            if (!entry.map->file.part.empty()) continue;  // for what is around this
        }
        // What a map calls a payload is packed as it says.
        if (kept.part.empty() && entry.part.empty())
            for (const MapPayload& payload : entry.map->payloads)
                if (payload.name == part && (entry.for_this || fit_of(*entry.map, identity, file).fits))
                    inner->codec_ = payload.codec;
        // A map that names nothing of its file is for the file that it was handed in with, not for all inside.
        if (kept.part.empty() && !kept.for_this && kept.map->file.names_nothing()) continue;
        inner->entries_.push_back(std::move(kept));
    }
    return inner;
}

}  // namespace hotstitch
