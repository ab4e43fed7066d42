// SPDX-License-Identifier: MIT
// What an identity comes to: for people, and for who asks about names. Tested by tests/part/part_test.cc and
// tests/part/image_test.cc.
#include "hotstitch/identity.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "part/cartridge/platform.h"

namespace hotstitch {
namespace {

/// Of discs and of platforms that are not recognised.
constexpr std::string_view further_extensions =
    ".iso .bin .img .gcm .cue .ciso .cso .zso .gcz .wbfs .3ds .rom .a26 .ngp .ngc .vb";

}  // namespace

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

}  // namespace hotstitch
