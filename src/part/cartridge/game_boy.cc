// SPDX-License-Identifier: MIT
// Game Boy and Game Boy Color. docs/formats/images.md, "Game Boy". Tested by tests/part/image_test.cc.
#include <fmt/format.h>

#include <array>
#include <bit>

#include "base/fixed_text.h"
#include "base/numbers.h"
#include "digest/sums.h"
#include "hotstitch/digest.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/cartridge/platform.h"

namespace hotstitch::cartridge {
namespace {

constexpr std::size_t header_end = 0x150, logo_at = 0x104, logo_size = 0x30, title_at = 0x134, colour_at = 0x143,
                      sgb_at = 0x146, kind_at = 0x147, rom_size_at = 0x148, ram_size_at = 0x149, destination_at = 0x14A,
                      revision_at = 0x14C, header_check_at = 0x14D, sum_at = 0x14E;
constexpr std::uint32_t genuine_logo = 0x46195417;  ///< CRC-32 of the area; the picture itself is nobody's to ship
constexpr std::uint64_t smallest = 32 << 10;

constexpr std::array<NamedValue, 2> regions{{{0, "Japan"}, {1, "outside Japan"}}};

bool has_colour_flag(ByteView rom) {
    return (u8(rom, colour_at) & 0x80) != 0;
}
/// With a colour flag, the last letters of the title are a code.
std::size_t title_length(ByteView rom) {
    return has_colour_flag(rom) ? 11 : 16;
}

unsigned header_check(ByteView rom) {
    unsigned x = 0;
    for (std::size_t i = title_at; i < header_check_at; ++i) x = x - u8(rom, i) - 1;
    return x & 0xFF;
}
unsigned sum_of(ByteView rom) {
    return static_cast<unsigned>(sum_of_bytes(rom) - u8(rom, sum_at) - u8(rom, sum_at + 1)) & 0xFFFF;
}

std::string mapping_of(unsigned kind) {
    struct Row {
        unsigned first, last;
        const char* name;
    };
    constexpr Row rows[] = {{0x00, 0x00, "no mapper"}, {0x01, 0x03, "MBC1"},
                            {0x05, 0x06, "MBC2"},      {0x08, 0x09, "no mapper, RAM"},
                            {0x0B, 0x0D, "MMM01"},     {0x0F, 0x13, "MBC3"},
                            {0x19, 0x1E, "MBC5"},      {0x20, 0x20, "MBC6"},
                            {0x22, 0x22, "MBC7"},      {0xFC, 0xFF, "camera or other special kind"}};
    for (const Row& row : rows)
        if (kind >= row.first && kind <= row.last) return row.name;
    return {};
}

unsigned size_code(std::uint64_t size) {
    return size <= smallest ? 0 : static_cast<unsigned>(std::bit_width((size - 1) / smallest));
}

constexpr HeaderField game_title() {
    HeaderField field = title_field(title_at, 16, '\0', "up to 16 characters, 11 with a colour flag");
    field.length_in = title_length;
    return field;
}
constexpr std::array fields{
    size_field(
        rom_size_at,
        [](unsigned code) { return code <= 8 ? std::optional<std::uint64_t>(smallest << code) : std::nullopt; },
        [](std::uint64_t size) { return size_code(size) <= 8 ? std::optional(size_code(size)) : std::nullopt; }),
    region_field(destination_at, regions, "Japan (00) or outside Japan (01)", "the destination"), game_title(),
    revision_field(revision_at)};

std::optional<Identity> recognise_plain(ByteView rom) {
    if (rom.size() < header_end) return std::nullopt;
    const bool colour = has_colour_flag(rom);
    const std::string_view title = text_at(rom, title_at, title_length(rom));
    Identity image;
    Evidence evidence(image);
    const unsigned right_header = header_check(rom), kind = u8(rom, kind_at), n = u8(rom, rom_size_at);
    const std::uint32_t area = crc32(rom.subspan(logo_at, logo_size)).value;
    const bool logo = area == genuine_logo;
    // Often after another instruction of one byte.
    const auto jumps = [&](std::size_t at) { return u8(rom, at) == 0xC3 || u8(rom, at) == 0x18; };
    const bool entry = jumps(0x100) || jumps(0x101);
    evidence.add(logo, 32, "the logo area is the genuine one");
    evidence.add(right_header == u8(rom, header_check_at), 8, "the header check is right");
    evidence.add(entry, 6, "the entry point is a jump");
    evidence.add(is_title(title), 8, "the title can be read");
    evidence.add(n <= 8 && smallest << n == rom.size(), 6, "the size field agrees");
    evidence.add(u8(rom, destination_at) <= 1, 5, "the destination is a possible one");
    evidence.add(u8(rom, ram_size_at) <= 5, 4, "the RAM size is a possible one");
    evidence.add(!mapping_of(kind).empty(), 2, "the cartridge kind is a known one");
    // Without a jump at the entry, a file of something else could have the rest by chance.
    if (image.evidence_bits < least_bits || !(entry || logo)) return std::nullopt;
    const unsigned sum = sum_of(rom), stated = u16be(rom, sum_at);
    evidence.add(sum == stated && sum != 0, 16, "the checksum is right");
    image.size = rom.size();
    read_fields(rom, fields, image);
    if (colour && is_code(text_at(rom, title_at + 11, 4))) image.serial = text_at(rom, title_at + 11, 4);
    image.mapping = mapping_of(kind);
    image.facts.push_back({"for", "made for",
                           u8(rom, colour_at) == 0xC0 ? "Game Boy Color only"
                           : colour                   ? "Game Boy and Game Boy Color"
                                                      : "Game Boy"});
    if (u8(rom, sgb_at) == 3) image.facts.push_back({"sgb", "SGB", "has functions for it"});
    image.checks.push_back(
        check_of("header check", right_header, u8(rom, header_check_at), 2, "25 bytes of the header"));
    image.checks.push_back(check_of("checksum", sum, stated, 4, "the whole ROM"));
    image.checks.push_back(logo_check("CRC-32", genuine_logo, area, 8));
    if (image.declared_size && rom.size() < *image.declared_size)
        image.warnings.push_back(fmt::format("the file ends {} before what its header claims",
                                             counted(*image.declared_size - rom.size(), "byte", "bytes")));
    return image;
}

std::optional<Identity> recognise(ByteView file) {
    return with_or_without_header(file, recognise_plain);
}

/// The header check first: its byte counts in the sum.
void mend_checksum(Mending& mending, std::string_view) {
    Bytes& rom = mending.rom;
    set_hex(rom, header_check_at, header_check(rom), 1, std::endian::big, "header check", mending.fields);
    set_hex(rom, sum_at, sum_of(rom), 2, std::endian::big, "checksum", mending.fields);
}

constexpr std::array mends{
    MendRow{.name = "checksum", .turn = Turn::checks, .what = "header check and checksum", .run = mend_checksum}};

constexpr std::uint64_t bank_bytes = 0x4000;

std::optional<std::string> address_at(ByteView rom, std::uint64_t offset) {
    if (offset >= rom.size()) return std::nullopt;
    const std::uint64_t bank = offset / bank_bytes;
    return fmt::format("{:02X}:{:04X}", bank, (bank == 0 ? 0 : bank_bytes) + offset % bank_bytes);
}
std::optional<std::uint64_t> offset_at(ByteView, unsigned bank, std::uint64_t at, bool has_bank) {
    if (at >= 2 * bank_bytes) return std::nullopt;
    if (at < bank_bytes) return bank == 0 ? std::optional(at) : std::nullopt;
    if (!has_bank) bank = 1;
    return bank == 0 ? std::nullopt : std::optional(bank * bank_bytes + at - bank_bytes);
}
constexpr MemoryMap map{"01:4000", [](const Identity&) { return bank_bytes; }, address_at, offset_at};

}  // namespace

const Platform game_boy{.name = "game-boy",
                        .title = "Game Boy",
                        .extensions = ".gb .gbc",
                        .recognise = recognise,
                        .fields = fields,
                        .mends = mends,
                        .map = &map,
                        .largest = [](const Identity&) -> std::uint64_t { return 8 << 20; },
                        .copier_header = true,
                        .header = {0x100, 0x50}};

}  // namespace hotstitch::cartridge
