// SPDX-License-Identifier: MIT
// Game Boy and Game Boy Color. docs/formats/images.md, "Game Boy". Tested by tests/image_test.cc.
#include <fmt/format.h>

#include <array>
#include <bit>

#include "hotstitch/digest.h"
#include "hotstitch/error.h"
#include "part/cartridge/fields.h"
#include "part/cartridge/platform.h"
#include "part/cartridge/regions.h"

namespace hotstitch::cartridge {
namespace {

constexpr std::size_t header_end = 0x150, logo_at = 0x104, logo_size = 0x30, title_at = 0x134, colour_at = 0x143,
                      sgb_at = 0x146, kind_at = 0x147, rom_size_at = 0x148, ram_size_at = 0x149, destination_at = 0x14A,
                      revision_at = 0x14C, header_check_at = 0x14D, sum_at = 0x14E;
constexpr std::uint32_t genuine_logo = 0x46195417;  ///< CRC-32 of the area; the picture itself is nobody's to ship
constexpr std::uint64_t smallest = 32 << 10;

constexpr std::array<Region, 2> regions{{{0, "Japan"}, {1, "outside Japan"}}};

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

unsigned size_field(std::uint64_t size) {
    return size <= smallest ? 0 : static_cast<unsigned>(std::bit_width((size - 1) / smallest));
}

constexpr std::array<HeaderField, 3> fields{{
    {.kind = HeaderField::Kind::region,
     .at = destination_at,
     .regions = regions,
     .value = "Japan (00) or outside Japan (01)",
     .what = "the destination"},
    {.kind = HeaderField::Kind::title,
     .at = title_at,
     .fill = '\0',
     .value = "up to 16 characters, 11 with a colour flag",
     .what = "the title",
     .length_in = title_length},
    {.kind = HeaderField::Kind::revision, .at = revision_at},
}};

std::optional<Cartridge> recognise_plain(ByteView rom) {
    if (rom.size() < header_end) return std::nullopt;
    const bool colour = has_colour_flag(rom);
    const std::string_view title = text_at(rom, title_at, title_length(rom));
    Cartridge image;
    Evidence evidence(image);
    const unsigned right_header = header_check(rom), kind = u8(rom, kind_at), n = u8(rom, rom_size_at);
    const bool logo = crc32(rom.subspan(logo_at, logo_size)).value == genuine_logo;
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
    if (n <= 8) image.declared_size = smallest << n;
    image.details.push_back({"for", "made for",
                             u8(rom, colour_at) == 0xC0 ? "Game Boy Color only"
                             : colour                   ? "Game Boy and Game Boy Color"
                                                        : "Game Boy"});
    if (u8(rom, sgb_at) == 3) image.details.push_back({"sgb", "SGB", "has functions for it"});
    image.checks.push_back(check_of("header check", right_header, u8(rom, header_check_at), 2));
    image.checks.push_back(check_of("checksum", sum, stated, 4));
    image.checks.push_back(
        {"logo", logo ? CheckState::right : CheckState::wrong, hex_text(genuine_logo, 8),
         "0x" + crc32(rom.subspan(logo_at, logo_size)).hex(),
         logo ? "CRC-32 of its area" : "CRC-32 of its area; a console starts nothing else, most emulators do", false});
    if (image.declared_size && rom.size() < *image.declared_size)
        image.warnings.push_back(
            fmt::format("the file ends {} bytes before what its header claims", *image.declared_size - rom.size()));
    return image;
}

std::optional<Cartridge> recognise(ByteView file) {
    return with_or_without_header(file, 1024, 512, recognise_plain);
}

void mend_size(Bytes& rom, std::string_view, Mending& mending) {
    const unsigned wanted = size_field(rom.size());
    if (wanted > 8) throw Error(ErrorCode::unsupported, "no size field of this platform holds so large a ROM");
    const auto words = [](unsigned n) { return n <= 8 ? fmt::format("{} KiB", 32U << n) : hex_text(n, 2); };
    const std::array field{static_cast<std::byte>(wanted)};
    set_field(rom, rom_size_at, field, "ROM size", words(u8(rom, rom_size_at)), words(wanted), mending);
}

/// The header check first: its byte counts in the sum.
void mend_checksum(Bytes& rom, std::string_view, Mending& mending) {
    set_hex(rom, header_check_at, header_check(rom), 1, std::endian::big, "header check", mending);
    set_hex(rom, sum_at, sum_of(rom), 2, std::endian::big, "checksum", mending);
}

constexpr std::array<PlatformMend, 2> mends{{
    {"rom-size", Turn::field, "", "the size that the header states", mend_size},
    {"checksum", Turn::checks, "", "header check and checksum", mend_checksum},
}};

class Map final : public MemoryMap {
public:
    static constexpr std::uint64_t bank_bytes = 0x4000;
    std::optional<std::string> address(const Cartridge&, ByteView rom, std::uint64_t offset) const override {
        if (offset >= rom.size()) return std::nullopt;
        const std::uint64_t bank = offset / bank_bytes;
        return fmt::format("{:02X}:{:04X}", bank, (bank == 0 ? 0 : bank_bytes) + offset % bank_bytes);
    }
    std::optional<std::uint64_t> offset(const Cartridge&, ByteView, unsigned bank, std::uint64_t at,
                                        bool has_bank) const override {
        if (at >= 2 * bank_bytes) return std::nullopt;
        if (at < bank_bytes) return bank == 0 ? std::optional(at) : std::nullopt;
        if (!has_bank) bank = 1;
        if (bank == 0) return std::nullopt;
        return bank * bank_bytes + at - bank_bytes;
    }
    std::uint64_t bank_size(const Cartridge&) const override { return bank_bytes; }
    std::string_view example() const override { return "01:4000"; }
};
const Map map;

}  // namespace

extern const Platform game_boy;
const Platform game_boy{.name = "game-boy",
                        .title = "Game Boy",
                        .recognise = recognise,
                        .fields = fields,
                        .mends = mends,
                        .map = &map,
                        .largest = [](const Cartridge&) -> std::uint64_t { return 8 << 20; },
                        .copier_header = true,
                        .header =
                            [](const Cartridge&) {
                                return ByteRange{0x100, 0x50};
                            }};

}  // namespace hotstitch::cartridge
