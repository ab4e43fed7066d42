// SPDX-License-Identifier: MIT
// Mega Drive / Genesis, also as interleaved dumps. docs/formats/images.md, "Mega Drive". Tested by
// tests/part/image_test.cc.
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

constexpr std::size_t header_end = 0x200, magic_at = 0x100, domestic_at = 0x120, overseas_at = 0x150, serial_at = 0x180,
                      sum_at = 0x18E, rom_end_at = 0x1A4, region_at = 0x1F0, title_length = 48, region_length = 3,
                      block = 16 << 10, front_size = 512, largest_dump = 16 << 20;

bool has_magic(ByteView rom) {
    return rom.size() >= header_end && (text_at(rom, magic_at, 4) == "SEGA" || text_at(rom, magic_at + 1, 4) == "SEGA");
}

struct RegionBit {
    char letter;
    unsigned bit;
    std::string_view word;
};
constexpr std::array<RegionBit, 3> region_bits{{{'J', 1, "Japan"}, {'U', 4, "Americas"}, {'E', 8, "Europe"}}};

/// Letters, or one hex digit of bits. A lone E is the letter: it is by far the more common.
unsigned regions_of(std::string_view field) {
    unsigned bits = 0;
    for (const char c : field)
        for (const RegionBit& r : region_bits) bits |= c == r.letter ? r.bit : 0U;
    if (bits != 0) return bits;
    const char c = field.front();
    if (c >= '0' && c <= '9') return static_cast<unsigned>(c - '0') & 0xD;
    return c >= 'A' && c <= 'F' ? static_cast<unsigned>(c - 'A' + 10) & 0xD : 0;
}

std::string words_of(unsigned bits) {
    std::string words;
    for (const RegionBit& r : region_bits)
        if ((bits & r.bit) != 0) words += fmt::format("{}{}", words.empty() ? "" : ", ", r.word);
    return words;
}

/// The sum from 0x200 to `end`.
unsigned sum_to(ByteView rom, std::uint64_t end) {
    return static_cast<unsigned>(sum_of_words(rom.subspan(header_end, static_cast<std::size_t>(end) - header_end))) &
           0xFFFF;
}

/// Where the header says that the ROM ends, where that can be so.
std::optional<std::uint64_t> stated_end(ByteView rom) {
    const std::uint64_t end = std::uint64_t{u32be(rom, rom_end_at)} + 1;
    return end > header_end && end <= rom.size() ? std::optional(end) : std::nullopt;
}

InternalCheck checksum_of(ByteView rom) {
    const unsigned stated = u16be(rom, sum_at), to_end = sum_to(rom, rom.size());
    const auto end = stated_end(rom);
    InternalCheck check = check_of("checksum", to_end, stated, 4, "the ROM behind its header");
    check.note = "to the file's end";
    if (end && *end != rom.size() && sum_to(rom, *end) == stated) {
        check = check_of("checksum", stated, stated, 4, "the ROM behind its header");
        check.note = "to the ROM end that the header states";
    }
    return check;
}

Identity facts_of(ByteView rom) {
    Identity image;
    image.size = rom.size();
    image.title = readable(text_at(rom, overseas_at, title_length));
    const std::string domestic = readable(text_at(rom, domestic_at, title_length));
    if (image.title.empty()) image.title = domestic;
    if (domestic != image.title) image.facts.push_back({"domestic_title", "domestic title", domestic});
    image.serial = readable(text_at(rom, serial_at, 14));
    image.region = words_of(regions_of(text_at(rom, region_at, region_length)));
    image.declared_size = std::uint64_t{u32be(rom, rom_end_at)} + 1;
    if (image.declared_size != rom.size())
        image.warnings.push_back(fmt::format("the header puts the ROM's end at {}, the file ends at {}",
                                             hex_text(u32be(rom, rom_end_at), 6), hex_text(rom.size() - 1, 6)));
    image.checks.push_back(checksum_of(rom));
    Evidence evidence(image);
    evidence.add(true, 32, "the platform's word stands where it belongs");
    evidence.add(image.checks[0].state == CheckState::right, 16, "the checksum is right");
    evidence.add(is_title(text_at(rom, overseas_at, title_length), true), 8, "the title can be read");
    evidence.add(!image.region.empty(), 4, "the region is a known one");
    return image;
}

/// A front header of a copier, then either the ROM as it is or blocks of odd and even addresses.
std::optional<Identity> recognise(ByteView file) {
    if (has_magic(file)) return facts_of(file);
    if (file.size() < front_size + header_end) return std::nullopt;
    std::optional<Identity> image;
    const ByteView body = file.subspan(front_size);
    if (has_magic(body)) {
        image = facts_of(body);
        image->reading = Representation{RepresentationKind::without_front_header, front_size};
    } else if (body.size() >= block && body.size() <= largest_dump && body.size() % block == 0) {
        // Only the first block is put in order before it is clear that it pays.
        const Representation reading{RepresentationKind::de_interleaved, front_size};
        Bytes head(header_end);
        read_as(file.first(front_size + block), reading)->read(0, head.size(), head);
        if (!has_magic(head)) return std::nullopt;
        Bytes rom(body.size());
        read_as(file, reading)->read(0, rom.size(), rom);
        image = facts_of(rom);
        image->reading = reading;
        image->order = "interleaved in blocks of 16 KiB";
    }
    if (image) image->front_header = front_size;
    return image;
}

void mend_end(Mending& mending, std::string_view) {
    Bytes& rom = mending.rom;
    set_hex(rom, rom_end_at, static_cast<std::uint32_t>(rom.size() - 1), 4, std::endian::big, "ROM end",
            mending.fields);
}

void mend_checksum(Mending& mending, std::string_view) {
    Bytes& rom = mending.rom;
    set_hex(rom, sum_at, sum_to(rom, rom.size()), 2, std::endian::big, "checksum, to the file's end", mending.fields);
}

void mend_region(Mending& mending, std::string_view value) {
    Bytes& rom = mending.rom;
    unsigned bits = 0;
    for (std::size_t begin = 0; begin <= value.size();) {
        const std::size_t end = std::min(value.find_first_of("+ ", begin), value.size());
        const std::string_view word = value.substr(begin, end - begin);
        const auto same = [&](std::string_view known) {
            return std::equal(word.begin(), word.end(), known.begin(), known.end(),
                              [](char a, char b) { return (a | 0x20) == (b | 0x20); });
        };
        for (const RegionBit& r : region_bits) bits |= same(r.word) ? r.bit : 0U;
        begin = end + 1;
    }
    const bool letters = !value.empty() && value.find_first_not_of("JUE") == std::string_view::npos;
    if (letters) bits = regions_of(value);
    if (bits == 0)
        throw Error(ErrorCode::usage, fmt::format("this platform knows no region \"{}\"", value))
            .wanted("Japan, Americas, Europe, several joined by +, or the letters J, U, E");
    std::string field;
    for (const RegionBit& r : region_bits)
        if ((bits & r.bit) != 0) field += r.letter;
    field.resize(region_length, ' ');
    const std::string before = words_of(regions_of(text_at(rom, region_at, region_length)));
    set_field(rom, region_at, bytes_of(field), "region", before, words_of(bits), mending.fields);
}

void mend_title(Mending& mending, std::string_view value) {
    Bytes& rom = mending.rom;
    set_title(rom, domestic_at, title_length, ' ', false, value, mending.fields);
    set_title(rom, overseas_at, title_length, ' ', false, value, mending.fields);
}

constexpr std::array mends{
    MendRow{.name = "rom-end", .turn = Turn::field, .what = "the ROM's end that the header states", .run = mend_end},
    MendRow{"region", Turn::field, MendRow::Value::needed, "Japan, Americas, Europe, joined by +", "the regions",
            mend_region},
    MendRow{"title", Turn::field, MendRow::Value::needed, "up to 48 characters", "both titles", mend_title},
    MendRow{.name = "checksum", .turn = Turn::checks, .what = "the checksum", .run = mend_checksum}};

}  // namespace

const Platform mega_drive{.name = "mega-drive",
                          .title = "Mega Drive / Genesis",
                          .extensions = ".md .gen .32x",
                          .dump_extensions = ".smd",
                          .recognise = recognise,
                          .mends = mends,
                          .interleaves = true,
                          .largest = [](const Identity&) -> std::uint64_t { return 8 << 20; },
                          .copier_header = true,
                          .header = {0x100, 0x100}};

}  // namespace hotstitch::cartridge
