// SPDX-License-Identifier: MIT
// Nintendo DS. docs/formats/images.md, "Nintendo DS". Tested by tests/part/image_test.cc.
#include <fmt/format.h>

#include <array>

#include "base/fixed_text.h"
#include "base/numbers.h"
#include "digest/sums.h"
#include "hotstitch/text.h"
#include "part/cartridge/nintendo_ds_files.h"

namespace hotstitch::cartridge {
namespace {

constexpr std::size_t header_end = 0x160, title_at = 0x00, code_at = 0x0C, region_at = 0x0F, maker_at = 0x10,
                      unit_at = 0x12, capacity_at = 0x14, revision_at = 0x1E, main_code_at = 0x20, used_at = 0x80,
                      header_size_at = 0x84, logo_at = 0xC0, logo_size = 156, logo_check_at = 0x15C,
                      header_check_at = 0x15E, long_used_at = 0x210, secure_at = 0x4000, title_length = 12,
                      banner_at = 0x68, banner_from = 0x20, banner_to = 0x840;
constexpr std::uint64_t smallest = 128 << 10, signature = 0x88;

std::uint64_t used_size(ByteView rom) {
    const bool both = (u8(rom, unit_at) & 2) != 0 && rom.size() >= long_used_at + 4;
    return u32le(rom, both ? long_used_at : used_at);
}

/// The first words of the secure area once it is decrypted; the rest of it says nothing certain.
std::string secure_area(ByteView rom) {
    constexpr std::uint32_t decrypted = 0xE7FFDEFF;
    if (rom.size() < secure_at + 8 || u32le(rom, main_code_at) >= 0x8000) return "none";
    const std::uint32_t a = u32le(rom, secure_at), b = u32le(rom, secure_at + 4);
    if (a == decrypted && b == decrypted) return "decrypted";
    return a == 0 && b == 0 ? "empty" : "encrypted";
}

/// Where the banner is: a picture and titles, the first version of which all have. Nothing: there is none.
std::optional<std::size_t> banner_of(ByteView rom) {
    const std::uint64_t at = u32le(rom, banner_at);
    if (at < header_end || at > rom.size() || rom.size() - at < banner_to) return std::nullopt;
    const unsigned version = u16le(rom, static_cast<std::size_t>(at));
    if (version == 0 || (version > 3 && version != 0x103)) return std::nullopt;
    return static_cast<std::size_t>(at);
}

constexpr std::array fields{letter_region_field(region_at, "the last letter of the game code"),
                            title_field(title_at, title_length, '\0', "up to 12 characters"), serial_field(code_at, 4),
                            revision_field(revision_at), maker_field(maker_at)};

std::optional<Identity> recognise(ByteView rom) {
    if (rom.size() < header_end) return std::nullopt;
    const unsigned right = crc16(rom.first(header_check_at)), stated = u16le(rom, header_check_at),
                   logo = crc16(rom.subspan(logo_at, logo_size)), logo_stated = u16le(rom, logo_check_at),
                   capacity = u8(rom, capacity_at), unit = u8(rom, unit_at);
    const std::uint64_t used = used_size(rom);
    Identity image;
    Evidence evidence(image);
    evidence.add(right == stated, 16, "the header CRC is right");
    evidence.add(logo == logo_stated, 12, "the logo area has the CRC that is stated");
    evidence.add(is_title(text_at(rom, title_at, title_length)), 8, "the title can be read");
    evidence.add(is_code(text_at(rom, code_at, 6)), 10, "game code and maker can be read");
    evidence.add(u32le(rom, header_size_at) == 0x4000, 12, "the header's size is the usual one");
    evidence.add(unit == 0 || unit == 2 || unit == 3, 4, "the unit code is a known one");
    evidence.add(capacity <= 14 && used != 0 && used <= smallest << capacity, 4,
                 "the used size lies within the capacity");
    if (image.evidence_bits < 32 || u32le(rom, header_size_at) == 0) return std::nullopt;
    image.size = rom.size();
    read_fields(rom, fields, image);
    if (capacity <= 14) image.declared_size = smallest << capacity;
    image.used_size = used;
    image.facts.push_back({"used_size", "used", counted(used, "byte", "bytes")});
    if (used != 0 && (rom.size() == used || rom.size() == used + signature))
        image.facts.push_back(
            {"trimmed", "trimmed",
             rom.size() == used ? "yes, to the used size; an untrimmed copy differs in length only"
                                : "yes, to the used size and a signature; an untrimmed copy differs in length only"});
    else if (image.declared_size && rom.size() == *image.declared_size)
        image.facts.push_back({"trimmed", "trimmed", "no"});
    image.facts.push_back({"secure_area", "secure area", secure_area(rom)});
    image.checks.push_back(check_of("header CRC", right, stated, 4, "350 bytes of the header"));
    image.checks.push_back(check_of("logo CRC", logo, logo_stated, 4));
    image.checks.back().mendable = false;
    if (const auto banner = banner_of(rom))
        image.checks.push_back(check_of("banner CRC",
                                        crc16(rom.subspan(*banner + banner_from, banner_to - banner_from)),
                                        u16le(rom, *banner + 2), 4));
    if (used > rom.size())
        image.warnings.push_back(fmt::format("the file ends {} before the end of what is used",
                                             counted(used - rom.size(), "byte", "bytes")));
    return image;
}

void mend_checksum(Mending& mending, std::string_view) {
    Bytes& rom = mending.rom;
    const unsigned right = crc16(ByteView(rom).first(header_check_at));
    set_hex(rom, header_check_at, right, 2, std::endian::little, "header CRC", mending.fields);
    if (const auto banner = banner_of(rom))
        set_hex(rom, *banner + 2, crc16(ByteView(rom).subspan(*banner + banner_from, banner_to - banner_from)), 2,
                std::endian::little, "banner CRC", mending.fields);
}

constexpr std::array mends{
    MendRow{.name = "checksum", .turn = Turn::checks, .what = "the CRCs of header and banner", .run = mend_checksum}};

}  // namespace

const Platform nintendo_ds{.name = "nds",
                           .title = "Nintendo DS (NDS)",
                           .extensions = ".nds",
                           .recognise = recognise,
                           .fields = fields,
                           .mends = mends,
                           .largest = [](const Identity&) -> std::uint64_t { return 512 << 20; },
                           .header = {0, 0x200},
                           .files = ds_files,
                           .put_file = put_ds_file};

}  // namespace hotstitch::cartridge
