// SPDX-License-Identifier: MIT
// What a file is, and which kinds have parts. A new kind with parts is one file and one row here; one without is one
// row in file_kind.cc. Tested by tests/part_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "hotstitch/cartridge.h"
#include "hotstitch/map.h"
#include "hotstitch/part.h"
#include "part/cartridge/platform.h"
#include "part/kinds.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

struct KindWithParts {
    std::string_view name;
    std::unique_ptr<Container> (*open)(const ByteSource& file, Identity identity, const Limits& limits,
                                       const Progress& progress);
};
constexpr KindWithParts kinds_with_parts[] = {
    {"archive", open_archive}, {"cartridge", open_cartridge},   {"chunk-file", open_chunks}, {"disc", open_disc},
    {"disc-copy", open_copy},  {"executable", open_executable}, {"payload", open_payload}};

/// Of discs and of platforms that are not recognised.
constexpr std::string_view further_extensions =
    ".iso .bin .img .gcm .cue .ciso .cso .zso .gcz .wbfs .3ds .rom .a26 .ngp .ngc .vb";

/// A tar of one ROM looks like a ROM behind a copier's header, and no ROM looks like an archive or a patch.
bool excludes_cartridge(const FileKind& kind) {
    return kind.name == "archive" || kind.name == "patch" || kind.name == "payload" || kind.name == "empty";
}

}  // namespace

Identity identify(const ByteSource& file) {
    Identity other;
    other.kind = recognise_file(head_of(file));
    other.size = file.size();
    if (excludes_cartridge(other.kind)) return other;
    // Whatever its boot area begins with.
    if (identify_disc(file, other)) return other;
    if (const auto copy = recognise_copy(file)) return other.kind = *copy, other;  // some begin like the disc
    if (identify_table_disc(file, other)) return other;
    if (const auto chunks = recognise_chunks(file)) return other.kind = *chunks, other;
    std::optional<Identity> cartridge = recognise_cartridge(file);
    // What begins like something else has to be certain; a hack with stale checks often is likely only.
    const bool certain = cartridge && cartridge->certainty == Certainty::certain;
    if (other.is("executable") && !certain) return identify_executable(file, other), other;
    if (!other.is("data") || certain) return certain ? *std::move(cartridge) : other;
    if (identify_plain_executable(file, other)) return other;
    if (const auto payload = recognise_payload(file)) return other.kind = *payload, other;
    return cartridge ? *std::move(cartridge) : other;
}

Identity identify(ByteView file) {
    return identify(MemorySource(file));
}

std::string edition_of(const Identity& identity) {
    std::string text = identity.title;
    if (text.empty()) text = identity.platform_title.empty() ? identity.kind.title : identity.platform_title;
    if (!identity.region.empty()) text += ", " + identity.region;
    if (const std::string_view version = fact_of(identity, "version"); !version.empty())
        text += fmt::format(", version {}", version);
    if (identity.revision) text += fmt::format(", revision {}", *identity.revision);
    return text;
}

std::string_view code_of(CheckState state) noexcept {
    return state == CheckState::right ? "right" : state == CheckState::wrong ? "wrong" : "unknown";
}

std::string_view fact_of(const Identity& identity, std::string_view key) noexcept {
    for (const IdentityFact& fact : identity.facts)
        if (fact.key == key) return fact.text;
    return {};
}

bool checks_are_same(const Identity& before, const Identity& after) {
    return std::equal(before.checks.begin(), before.checks.end(), after.checks.begin(), after.checks.end(),
                      [](const InternalCheck& a, const InternalCheck& b) {
                          return a.name == b.name && (!a.mendable || (a.wanted == b.wanted && a.found == b.found));
                      });
}

bool all_checks_right(const Identity& identity) noexcept {
    const auto counts = [](const InternalCheck& c) { return c.mendable && c.state != CheckState::unknown; };
    return std::any_of(identity.checks.begin(), identity.checks.end(), counts) &&
           std::all_of(identity.checks.begin(), identity.checks.end(),
                       [&](const InternalCheck& c) { return !counts(c) || c.state == CheckState::right; });
}

namespace {

bool is_among(std::string_view list, std::string_view extension) noexcept {
    const auto same = [](char a, char b) { return a == std::tolower(static_cast<unsigned char>(b)); };
    while (!list.empty()) {
        const std::string_view one = list.substr(0, list.find(' '));
        if (std::equal(one.begin(), one.end(), extension.begin(), extension.end(), same)) return true;
        list.remove_prefix(std::min(one.size() + 1, list.size()));
    }
    return false;
}

}  // namespace

bool is_game_extension(std::string_view extension) noexcept {
    const auto platforms = cartridge::platforms();
    return is_among(further_extensions, extension) ||
           std::any_of(platforms.begin(), platforms.end(), [&](const cartridge::Platform* platform) {
               return is_among(platform->extensions, extension) || is_among(platform->dump_extensions, extension);
           });
}

bool is_dump_extension(std::string_view extension) noexcept {
    const auto platforms = cartridge::platforms();
    return std::any_of(platforms.begin(), platforms.end(), [&](const cartridge::Platform* platform) {
        return is_among(platform->dump_extensions, extension);
    });
}

std::string_view extension_when_read(const Identity& identity, std::string_view extension) noexcept {
    for (const cartridge::Platform* const platform : cartridge::platforms())
        if (platform->name == identity.platform && is_among(platform->dump_extensions, extension))
            return platform->extensions.substr(0, platform->extensions.find(' '));
    return {};
}

std::unique_ptr<Container> open_container(const ByteSource& file, const Limits& limits, const Progress& progress) {
    if (limits.maps && !limits.maps->codec().empty()) return open_payload_as(file, limits.maps->codec(), limits);
    Identity identity = identify(file);
    std::vector<SharedMap> maps;
    if (limits.maps) maps = limits.maps->for_file(identity, file);
    const Identity known = maps.empty() ? Identity{} : identity;
    std::unique_ptr<Container> container;
    for (const KindWithParts& kind : kinds_with_parts)
        if (identity.is(kind.name)) {
            container = in_memory([&] { return kind.open(file, std::move(identity), limits, progress); });
            break;
        }
    return maps.empty() ? std::move(container) : with_described(file, known, std::move(container), maps, limits);
}

}  // namespace hotstitch
