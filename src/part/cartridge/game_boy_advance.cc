// SPDX-License-Identifier: MIT
// Game Boy Advance. docs/formats/images.md, "Game Boy Advance". Tested by tests/part/image_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "base/fixed_text.h"
#include "base/numbers.h"
#include "digest/sums.h"
#include "part/cartridge/platform.h"

namespace hotstitch::cartridge {
namespace {

constexpr std::size_t header_end = 0xC0, logo_at = 0x04, logo_size = 0x9C, title_at = 0xA0, code_at = 0xAC,
                      region_at = 0xAF, maker_at = 0xB0, fixed_at = 0xB2, reserved_at = 0xB5, revision_at = 0xBC,
                      check_at = 0xBD, title_length = 12;
constexpr unsigned genuine_logo = 0xCF56;  ///< CRC-16 of the area
constexpr std::uint64_t rom_address = 0x08000000, window = 32 << 20;

unsigned header_check(ByteView rom) {
    return static_cast<unsigned>(0 - sum_of_bytes(rom.subspan(title_at, check_at - title_at)) - 0x19) & 0xFF;
}

constexpr std::array fields{letter_region_field(region_at, "the last letter of the game code"),
                            title_field(title_at, title_length, '\0', "up to 12 characters"), serial_field(code_at, 4),
                            revision_field(revision_at), maker_field(maker_at)};

std::optional<Identity> recognise(ByteView rom) {
    if (rom.size() < header_end) return std::nullopt;
    Identity image;
    Evidence evidence(image);
    const unsigned right = header_check(rom), logo = crc16(rom.subspan(logo_at, logo_size));
    const ByteView reserved = rom.subspan(reserved_at, 7);
    evidence.add(logo == genuine_logo, 16, "the logo area is the genuine one");
    evidence.add(u8(rom, check_at) == right, 8, "the header check is right");
    evidence.add(u8(rom, 3) == 0xEA, 8, "the first word is a jump");
    evidence.add(u8(rom, fixed_at) == 0x96, 8, "the fixed byte is right");
    evidence.add(is_title(text_at(rom, title_at, title_length)), 8, "the title can be read");
    evidence.add(is_code(text_at(rom, code_at, 6)), 10, "game code and maker can be read");
    evidence.add(all_equal(reserved) && reserved[0] == std::byte{0}, 4, "the reserved bytes are 0");
    // The fixed byte and the jump are what hardware and programs go by; one of the two at least.
    if (image.evidence_bits < 28 || (u8(rom, 3) != 0xEA && u8(rom, fixed_at) != 0x96)) return std::nullopt;
    image.size = rom.size();
    read_fields(rom, fields, image);
    image.checks.push_back(check_of("header check", right, u8(rom, check_at), 2, "29 bytes of the header"));
    image.checks.push_back(check_of("fixed byte", 0x96, u8(rom, fixed_at), 2, "itself"));
    image.checks.push_back(logo_check("CRC-16", genuine_logo, logo, 4));
    if (rom.size() > window) image.warnings.emplace_back("a console sees the first 32 MiB only");
    return image;
}

void mend_checksum(Mending& mending, std::string_view) {
    Bytes& rom = mending.rom;
    set_hex(rom, fixed_at, 0x96, 1, std::endian::big, "fixed byte", mending.fields);
    set_hex(rom, check_at, header_check(rom), 1, std::endian::big, "header check", mending.fields);
}

constexpr std::array mends{
    MendRow{.name = "checksum", .turn = Turn::checks, .what = "fixed byte and header check", .run = mend_checksum}};

/// The ROM is seen three times: at 08000000, and again with other waiting times at 0A000000 and 0C000000.
std::optional<std::string> address_at(ByteView rom, std::uint64_t offset) {
    if (offset >= std::min<std::uint64_t>(rom.size(), window)) return std::nullopt;
    return fmt::format("{:08X}", rom_address + offset);
}
std::optional<std::uint64_t> offset_at(ByteView, unsigned, std::uint64_t at, bool has_bank) {
    if (has_bank || at < rom_address || at >= rom_address + 3 * window) return std::nullopt;
    return (at - rom_address) % window;
}
constexpr MemoryMap map{"08001234", nullptr, address_at, offset_at};

}  // namespace

const Platform game_boy_advance{.name = "gba",
                                .title = "Game Boy Advance (GBA)",
                                .extensions = ".gba",
                                .recognise = recognise,
                                .fields = fields,
                                .mends = mends,
                                .map = &map,
                                .largest = [](const Identity&) { return window; },
                                .header = {0, 0xC0}};

}  // namespace hotstitch::cartridge
