// SPDX-License-Identifier: MIT
// SNES: an internal header at one of four places, told apart by what it says. docs/formats/images.md, "SNES".
// Tested by tests/part/image_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <bit>

#include "base/fixed_text.h"
#include "base/numbers.h"
#include "digest/sums.h"
#include "hotstitch/error.h"
#include "part/cartridge/platform.h"

namespace hotstitch::cartridge {
namespace {

constexpr std::size_t kib = 1024, header_size = 0x40;
constexpr std::size_t title_at = 0, mode_at = 0x15, rom_size_at = 0x17, ram_size_at = 0x18, region_at = 0x19,
                      revision_at = 0x1B, complement_at = 0x1C, sum_at = 0x1E, reset_at = 0x3C, title_length = 21;

struct Layout {
    std::string_view name;
    std::size_t header;             ///< where the internal header begins
    std::size_t code;               ///< the offset of address 8000 of bank 0
    std::array<unsigned, 3> modes;  ///< map modes that say so; bit 10 masked off
    bool extended, hi;
};
constexpr std::array<Layout, 4> layouts{{{"LoROM", 0x7FC0, 0, {0x20, 0x22, 0x23}, false, false},
                                         {"HiROM", 0xFFC0, 0x8000, {0x21, 0x2A, 0x2A}, false, true},
                                         {"ExLoROM", 0x407FC0, 0x400000, {0x20, 0x22, 0x22}, true, false},
                                         {"ExHiROM", 0x40FFC0, 0x408000, {0x25, 0x25, 0x25}, true, true}}};

constexpr std::array<NamedValue, 17> regions{{{0x00, "Japan"},
                                              {0x01, "Americas"},
                                              {0x02, "Europe"},
                                              {0x03, "Sweden"},
                                              {0x04, "Finland"},
                                              {0x05, "Denmark"},
                                              {0x06, "France"},
                                              {0x07, "Netherlands"},
                                              {0x08, "Spain"},
                                              {0x09, "Germany"},
                                              {0x0A, "Italy"},
                                              {0x0B, "China"},
                                              {0x0C, "Indonesia"},
                                              {0x0D, "Korea"},
                                              {0x0F, "Canada"},
                                              {0x10, "Brazil"},
                                              {0x11, "Australia"}}};

/// The sum with what is no power of two mirrored up: 1.75 MiB = 1 + the mirror of (1/2 + 1/4 twice).
std::uint64_t mirrored_sum(ByteView rom) {
    const std::size_t whole = std::bit_floor(rom.size());
    if (whole == rom.size()) return sum_of_bytes(rom);
    const ByteView rest = rom.subspan(whole);
    return sum_of_bytes(rom.first(whole)) + whole / std::bit_ceil(rest.size()) * mirrored_sum(rest);
}

/// How often the byte at `at` is counted in it.
std::uint64_t times_counted(std::size_t size, std::size_t at) {
    const std::size_t whole = std::bit_floor(size);
    if (at < whole) return 1;
    return whole / std::bit_ceil(size - whole) * times_counted(size - whole, at - whole);
}

/// The checksum that a header at `header` should have: its own two fields count as FF FF 00 00.
unsigned right_sum(ByteView rom, std::size_t header, std::uint64_t plain_sum) {
    const std::uint64_t times = times_counted(rom.size(), header + complement_at);
    return static_cast<unsigned>(
        (plain_sum - times * sum_of_bytes(rom.subspan(header + complement_at, 4)) + times * 0x1FE) & 0xFFFF);
}

unsigned size_code(std::uint64_t size) {
    return static_cast<unsigned>(std::bit_width((size + kib - 1) / kib - 1));
}

bool has_complement(ByteView rom, std::size_t header) {
    return (u16le(rom, header + complement_at) ^ u16le(rom, header + sum_at)) == 0xFFFF;
}

bool mode_fits(ByteView rom, const Layout& layout) {
    const unsigned mode = u8(rom, layout.header + mode_at) & ~0x10U;
    return std::find(layout.modes.begin(), layout.modes.end(), mode) != layout.modes.end();
}

/// Opcodes that a program may well begin with, and those with which none does.
int opcode_score(ByteView rom, const Layout& layout) {
    const unsigned reset = u16le(rom, layout.header + reset_at);
    if (reset < 0x8000) return 0;
    constexpr std::string_view likely = "\x78\x18\x38\x4C\x5C\x9C\xA0\xA2\xA9\xAD\xC2\xE2\x20\x22\xEA",
                               unlikely("\x00\x02\x42\xDB\xFF", 5);
    const std::size_t at = layout.code + (reset - 0x8000);
    if (at >= rom.size()) return 0;
    const char opcode = static_cast<char>(u8(rom, at));
    if (likely.find(opcode) != std::string_view::npos) return 2;
    return unlikely.find(opcode) != std::string_view::npos ? -3 : 0;
}

/// How well the place fits: the more, the better. Places are compared with each other by it.
int score_of(ByteView rom, const Layout& layout, bool sum_right) {
    const std::size_t h = layout.header;
    int score = layout.extended ? 1 : 0;
    if (has_complement(rom, h)) score += 4;
    if (sum_right) score += 6;
    if (mode_fits(rom, layout)) score += 3;
    if (is_title(text_at(rom, h + title_at, title_length), true)) score += 2;
    if (u16le(rom, h + reset_at) < 0x8000) score -= 6;
    score += opcode_score(rom, layout);
    if (u8(rom, h + rom_size_at) == size_code(rom.size())) score += 2;
    if (u8(rom, h + ram_size_at) <= 8) score += 1;
    if (!word_of(regions, u8(rom, h + region_at)).empty()) score += 1;
    return score;
}

/// Whether it is worth the sum over all bytes.
bool may_be_header(ByteView rom, const Layout& layout) {
    const std::size_t h = layout.header;
    return (has_complement(rom, h) && u16le(rom, h + sum_at) != 0) ||
           (mode_fits(rom, layout) && is_title(text_at(rom, h + title_at, title_length), true));
}

/// The likeliest place of the header, and the sum of all bytes that its choice took.
struct Found {
    const Layout* layout = nullptr;
    std::uint64_t sum = 0;
};

Found found_in(ByteView rom) {
    const auto fits_in = [&](const Layout& layout) {
        return rom.size() >= layout.header + header_size && (!layout.extended || rom.size() > (4U << 20));
    };
    if (std::none_of(layouts.begin(), layouts.end(),
                     [&](const Layout& l) { return fits_in(l) && may_be_header(rom, l); }))
        return {};
    const std::uint64_t sum = mirrored_sum(rom);
    const Layout* best = nullptr;
    int best_score = 0;
    for (const Layout& layout : layouts) {
        if (!fits_in(layout)) continue;
        const bool right = right_sum(rom, layout.header, sum) == u16le(rom, layout.header + sum_at);
        const int score = score_of(rom, layout, right);
        if (best == nullptr || score > best_score) best = &layout, best_score = score;
    }
    return {best, sum};
}

const Layout* layout_of(ByteView rom) {
    return found_in(rom).layout;
}

void state_checks(ByteView rom, std::size_t h, std::uint64_t sum, Identity& image) {
    const unsigned right = right_sum(rom, h, sum);
    image.checks.push_back(check_of("checksum", right, u16le(rom, h + sum_at), 4, "the whole ROM"));
    image.checks.push_back(check_of("complement", right ^ 0xFFFF, u16le(rom, h + complement_at), 4, "the whole ROM"));
}

constexpr std::array fields{
    size_field(
        rom_size_at, [](unsigned code) { return code < 16 ? std::optional<std::uint64_t>(kib << code) : std::nullopt; },
        [](std::uint64_t size) { return std::optional(size_code(size)); }),
    region_field(region_at, regions, "a word or code: Europe, Americas, 02 …"),
    title_field(title_at, title_length, ' ', "up to 21 characters", true), revision_field(revision_at)};

std::optional<Identity> recognise_plain(ByteView rom) {
    const auto [layout, sum] = found_in(rom);
    if (layout == nullptr) return std::nullopt;
    const std::size_t h = layout->header;
    Identity image;
    image.size = rom.size();
    image.internal_header = h;
    image.layout = static_cast<unsigned>(layout - layouts.data());
    read_fields(rom, fields, image);
    image.mapping = fmt::format("{}{}", layout->name, (u8(rom, h + mode_at) & 0x10) != 0 ? ", fast" : "");
    if (const unsigned ram = u8(rom, h + ram_size_at); ram != 0 && ram < 16)
        image.facts.push_back({"ram", "RAM", fmt::format("{} KiB", 1U << ram)});
    image.facts.push_back({"header_at", "header at", hex_text(h, 6)});
    state_checks(rom, h, sum, image);
    const bool sum_right = image.checks[0].state == CheckState::right;
    Evidence evidence(image);
    evidence.add(has_complement(rom, h) && u16le(rom, h + sum_at) != 0, 14, "checksum and complement belong together");
    evidence.add(sum_right, 16, "the checksum is right");
    evidence.add(is_title(text_at(rom, h + title_at, title_length), true), 10, "the title can be read");
    evidence.add(mode_fits(rom, *layout), 6, "the map mode fits the header's place");
    evidence.add(u8(rom, h + rom_size_at) == size_code(rom.size()), 5, "the size field agrees");
    evidence.add(u8(rom, h + ram_size_at) <= 8, 3, "the RAM size is a possible one");
    evidence.add(!image.region.empty(), 3, "the region is a known one");
    evidence.add(opcode_score(rom, *layout) > 0, 4, "the program begins where the reset vector points");
    if (u16le(rom, h + reset_at) < 0x8000 || opcode_score(rom, *layout) < 0)
        image.evidence_bits -= std::min(image.evidence_bits, 10U);
    return image;
}

std::optional<Identity> recognise(ByteView file) {
    return with_or_without_header(file, recognise_plain);
}

void mend_checksum(Mending& mending, std::string_view) {
    Bytes& rom = mending.rom;
    // Where it was found at first: a new title may well hide it.
    const auto h = static_cast<std::size_t>(mending.identity.internal_header);
    const unsigned right = right_sum(rom, h, mirrored_sum(rom));
    set_hex(rom, h + complement_at, right ^ 0xFFFF, 2, std::endian::little, "complement", mending.fields);
    set_hex(rom, h + sum_at, right, 2, std::endian::little, "checksum", mending.fields);
}

constexpr std::array mends{
    MendRow{.name = "checksum", .turn = Turn::checks, .what = "checksum and complement", .run = mend_checksum}};

std::optional<std::string> address_at(ByteView rom, std::uint64_t offset) {
    const Layout* const layout = layout_of(rom);
    if (layout == nullptr || offset >= rom.size() || offset >= (layout->extended ? 8U << 20 : 4U << 20))
        return std::nullopt;
    const bool upper = offset >= (4U << 20);
    const std::uint64_t in_half = offset & 0x3FFFFF;
    if (!layout->hi) {
        // Banks 7E and 7F are work RAM: the last two are seen from FE on only.
        const std::uint64_t bank = in_half >> 15;
        const bool low = layout->extended ? upper : bank < 0x7E;
        if (layout->extended && upper && bank >= 0x7E) return std::nullopt;
        return fmt::format("{:02X}:{:04X}", low ? bank : bank | 0x80, 0x8000 | (in_half & 0x7FFF));
    }
    const std::uint64_t bank = in_half >> 16, in_bank = in_half & 0xFFFF;
    if (!layout->extended || !upper) return fmt::format("{:02X}:{:04X}", 0xC0 | bank, in_bank);
    if (bank < 0x3E) return fmt::format("{:02X}:{:04X}", 0x40 | bank, in_bank);
    if (in_bank < 0x8000) return std::nullopt;
    return fmt::format("{:02X}:{:04X}", bank, in_bank);
}

std::optional<std::uint64_t> offset_at(ByteView rom, unsigned bank, std::uint64_t at, bool) {
    const Layout* const layout = layout_of(rom);
    if (layout == nullptr || bank > 0xFF || at > 0xFFFF || bank == 0x7E || bank == 0x7F) return std::nullopt;
    const bool fast = bank >= 0x80;
    const std::uint64_t half = layout->extended && !fast ? 4U << 20 : 0;
    if (!layout->hi) {
        if (at < 0x8000) return std::nullopt;
        return half + ((bank & 0x7FU) << 15) + (at & 0x7FFF);
    }
    if ((bank & 0x40U) == 0 && at < 0x8000) return std::nullopt;
    return half + ((bank & 0x3FU) << 16) + at;
}

constexpr MemoryMap map{
    "80:8000", [](const Identity& image) -> std::uint64_t { return layouts[image.layout].hi ? 0x10000 : 0x8000; },
    address_at, offset_at};

}  // namespace

const Platform snes{.name = "snes",
                    .title = "Super Nintendo (SNES)",
                    .extensions = ".sfc",
                    .dump_extensions = ".smc .fig .swc",
                    .recognise = recognise,
                    .fields = fields,
                    .mends = mends,
                    .map = &map,
                    .largest = [](const Identity& image) -> std::uint64_t {
                        return layouts[image.layout].extended ? 8 << 20 : 4 << 20;
                    },
                    .copier_header = true,
                    .header = {0, header_size}};

}  // namespace hotstitch::cartridge
