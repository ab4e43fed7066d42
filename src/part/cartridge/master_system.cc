// SPDX-License-Identifier: MIT
// Master System and Game Gear. docs/formats/images.md, "Master System". Tested by tests/part/image_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "base/fixed_text.h"
#include "base/numbers.h"
#include "digest/sums.h"
#include "hotstitch/error.h"
#include "part/cartridge/platform.h"

namespace hotstitch::cartridge {
namespace {

constexpr std::array<std::size_t, 3> places{0x7FF0, 0x3FF0, 0x1FF0};
constexpr std::string_view magic = "TMR SEGA";
constexpr std::size_t sum_at = 0x0A, product_at = 0x0C, revision_at = 0x0E, region_at = 0x0F, header_size = 0x10;

constexpr std::array<NamedValue, 5> regions{{{3, "Japan (Master System)"},
                                             {4, "export (Master System)"},
                                             {5, "Japan (Game Gear)"},
                                             {6, "export (Game Gear)"},
                                             {7, "international (Game Gear)"}}};

/// What is summed, by the size nibble and not by the file's length: from 0 to `first`, and from 8000 to `last`.
struct Range {
    unsigned nibble;
    std::uint64_t first, last;
    std::string_view size;
};
constexpr std::array<Range, 8> ranges{{{0xA, 0x1FF0, 0, "8 KiB"},
                                       {0xB, 0x3FF0, 0, "16 KiB"},
                                       {0xC, 0x7FF0, 0, "32 KiB"},
                                       {0xE, 0x7FF0, 0x10000, "64 KiB"},
                                       {0xF, 0x7FF0, 0x20000, "128 KiB"},
                                       {0x0, 0x7FF0, 0x40000, "256 KiB"},
                                       {0x1, 0x7FF0, 0x80000, "512 KiB"},
                                       {0x2, 0x7FF0, 0x100000, "1 MiB"}}};

std::optional<std::size_t> header_of(ByteView rom) {
    for (const std::size_t at : places)
        if (rom.size() >= at + header_size && text_at(rom, at, magic.size()) == magic) return at;
    return std::nullopt;
}

const Range* range_of(ByteView rom, std::size_t header) {
    const unsigned nibble = u8(rom, header + region_at) & 0xF;
    const auto* const found =
        std::find_if(ranges.begin(), ranges.end(), [&](const Range& r) { return r.nibble == nibble; });
    return found == ranges.end() ? nullptr : found;
}

/// Nothing, where the range is unknown or the file shorter.
std::optional<unsigned> sum_of(ByteView rom, std::size_t header, std::string& why) {
    const Range* const range = range_of(rom, header);
    why = "the size nibble is of no known range";
    if (range == nullptr) return std::nullopt;
    why = "the file is shorter than the range that the size nibble names";
    if (rom.size() < std::max(range->first, range->last)) return std::nullopt;
    std::uint64_t sum = sum_of_bytes(rom.first(static_cast<std::size_t>(range->first)));
    if (range->last > 0x8000) sum += sum_of_bytes(rom.subspan(0x8000, static_cast<std::size_t>(range->last) - 0x8000));
    return static_cast<unsigned>(sum & 0xFFFF);
}

constexpr HeaderField high_nibble(HeaderField field) {
    field.shift = 4;
    field.mask = 0xF;
    return field;
}
constexpr std::array fields{high_nibble(region_field(region_at, regions, "a word or code: 4, 6 …")),
                            revision_field(revision_at, 0xF)};

std::optional<Identity> recognise_plain(ByteView rom) {
    const auto header = header_of(rom);
    if (!header) return std::nullopt;
    const std::size_t h = *header;
    const unsigned region = u8(rom, h + region_at) >> 4;
    const bool game_gear = region >= 5 && region <= 7;
    Identity image;
    image.size = rom.size();
    image.internal_header = h;
    read_fields(rom, fields, image);
    // BCD, with the thousands' ten as a nibble of its own.
    const unsigned tens = u8(rom, h + revision_at) >> 4;
    image.serial = fmt::format("{}{:02x}{:02x}", tens == 0 ? std::string() : fmt::format("{}", tens),
                               u8(rom, h + product_at + 1), u8(rom, h + product_at));
    image.facts.push_back({"for", "made for", game_gear ? "Game Gear" : "Master System"});
    image.facts.push_back({"header_at", "header at", hex_text(h, 4)});
    if (const Range* const range = range_of(rom, h))
        image.facts.push_back({"summed", "checked size", std::string(range->size)});
    std::string why;
    if (const auto right = sum_of(rom, h, why)) {
        image.checks.push_back(
            check_of("checksum", *right, u16le(rom, h + sum_at), 4, "the part of the ROM that its header names"));
        if (game_gear || region != 4)
            image.checks.back().note =
                "only export Master Systems check it; wrong ones are common and harmless elsewhere";
    } else {
        image.checks.push_back(unknown_check("checksum", why));
    }
    Evidence evidence(image);
    evidence.add(true, 56, "the platform's words stand where they belong");
    evidence.add(image.checks[0].state == CheckState::right, 16, "the checksum is right");
    return image;
}

std::optional<Identity> recognise(ByteView file) {
    return with_or_without_header(file, recognise_plain);
}

void mend_checksum(Mending& mending, std::string_view) {
    Bytes& rom = mending.rom;
    std::string why;
    const auto h = static_cast<std::size_t>(mending.identity.internal_header);
    const auto right = sum_of(rom, h, why);
    if (!right) throw Error(ErrorCode::unsupported, "the checksum cannot be computed: " + why);
    set_hex(rom, h + sum_at, *right, 2, std::endian::little, "checksum", mending.fields);
}

constexpr std::array mends{
    MendRow{.name = "checksum", .turn = Turn::checks, .what = "the checksum", .run = mend_checksum}};

}  // namespace

const Platform master_system{.name = "master-system",
                             .title = "Master System / Game Gear",
                             .extensions = ".sms .gg",
                             .recognise = recognise,
                             .fields = fields,
                             .mends = mends,
                             .copier_header = true,
                             .header = {0, header_size}};

}  // namespace hotstitch::cartridge
