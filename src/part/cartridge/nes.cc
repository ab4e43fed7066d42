// SPDX-License-Identifier: MIT
// NES: a front header of 16 bytes says how to read the rest; and raw disk sides of the disk add-on.
// docs/formats/images.md, "NES". Tested by tests/part/image_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <limits>

#include "base/fixed_text.h"
#include "base/numbers.h"
#include "digest/sums.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/cartridge/nes_header.h"
#include "part/cartridge/platform.h"

namespace hotstitch::cartridge {

namespace {

constexpr std::uint64_t prg_unit = 16 << 10, chr_unit = 8 << 10;
constexpr std::uint64_t trainer_size = 512;

/// The size that two size bytes give in the new layout. A nibble F makes the byte EEEEEEMM: 2^E * (2M+1) bytes, which
/// can pass 64 bits: then the largest number stands for it.
std::uint64_t new_size(unsigned low, unsigned high, std::uint64_t unit) {
    if (high != 0xF) return (std::uint64_t{high} << 8 | low) * unit;
    const unsigned exponent = low >> 2, multiplier = 2 * (low & 3) + 1;
    if (exponent > 60) return std::numeric_limits<std::uint64_t>::max();
    return (std::uint64_t{1} << exponent) * multiplier;
}

std::uint64_t added(std::uint64_t a, std::uint64_t b) {
    return a > std::numeric_limits<std::uint64_t>::max() - b ? std::numeric_limits<std::uint64_t>::max() : a + b;
}

bool is_new_layout(ByteView file) {
    if ((u8(file, 7) & 0x0C) != 0x08) return false;
    const std::uint64_t needed =
        added(new_size(u8(file, 4), u8(file, 9) & 0xF, prg_unit), new_size(u8(file, 5), u8(file, 9) >> 4, chr_unit));
    return needed <= file.size() - nes_header_size;
}

/// Which bytes of an old header hold what does not belong there.
bool has_junk(ByteView file, bool new_layout) {
    if (new_layout) return false;
    const auto any = [&](std::size_t from, std::size_t to) {
        return std::any_of(file.begin() + static_cast<std::ptrdiff_t>(from),
                           file.begin() + static_cast<std::ptrdiff_t>(to),
                           [](std::byte b) { return b != std::byte{0}; });
    };
    return (u8(file, 7) & 0x0C) == 0x04 || any(12, 16) || any(10, 12);
}

constexpr std::array<NamedValue, 4> timings{{{0, "NTSC"}, {1, "PAL"}, {2, "NTSC and PAL"}, {3, "PAL-like clone"}}};

}  // namespace

NesHeader nes_header(ByteView file) {
    NesHeader h;
    h.new_layout = is_new_layout(file);
    const unsigned flags = u8(file, 6);
    h.trainer = (flags & 4) != 0;
    h.battery = (flags & 2) != 0;
    h.vertical = (flags & 1) != 0;
    h.four_screen = (flags & 8) != 0;
    h.mapper = flags >> 4 | (u8(file, 7) & 0xF0);
    h.prg = u8(file, 4) * prg_unit;
    h.chr = u8(file, 5) * chr_unit;
    h.junk = has_junk(file, h.new_layout);
    if (h.new_layout) {
        h.mapper |= (u8(file, 8) & 0xF) << 8;
        h.submapper = u8(file, 8) >> 4;
        h.prg = new_size(u8(file, 4), u8(file, 9) & 0xF, prg_unit);
        h.chr = new_size(u8(file, 5), u8(file, 9) >> 4, chr_unit);
        h.more_follows = (u8(file, 14) & 3) != 0;
        h.timing = u8(file, 12) & 3;
    } else if (h.junk) {
        h.mapper &= 0xF;  // what stands in the high nibble is likely part of the junk
    }
    h.rom_at = nes_header_size + (h.trainer ? trainer_size : 0);
    return h;
}

namespace {

bool is_nes(ByteView file) {
    return file.size() >= nes_header_size && text_at(file, 0, 4) == "NES\x1A";
}

std::optional<Identity> recognise(ByteView file) {
    if (!is_nes(file)) return std::nullopt;
    const NesHeader h = nes_header(file);
    Identity image = behind_front_header(file, nes_header_size);
    image.mapping = fmt::format("mapper {}{}", h.mapper, h.submapper != 0 ? fmt::format(".{}", h.submapper) : "");
    const std::uint64_t declared = added(added(h.prg, h.chr), h.rom_at - nes_header_size);
    image.declared_size = declared;
    if (h.new_layout) image.region = word_of(timings, h.timing);
    const auto kib = [](std::uint64_t size) {
        return size % 1024 == 0 ? fmt::format("{} KiB", size / 1024) : counted(size, "byte", "bytes");
    };
    image.facts.push_back({"layout", "layout", h.new_layout ? "the new one" : "the old one"});
    image.facts.push_back({"prg", "PRG", kib(h.prg)});
    image.facts.push_back({"chr", "CHR", h.chr == 0 ? "none, RAM" : kib(h.chr)});
    image.facts.push_back({"mirroring", "mirroring",
                           h.four_screen ? "four screens"
                           : h.vertical  ? "vertical"
                                         : "horizontal"});
    if (h.battery) image.facts.push_back({"battery", "battery", "yes"});
    if (h.trainer) image.facts.push_back({"trainer", "trainer", "512 bytes before PRG"});
    if (image.size < declared)
        image.warnings.push_back(fmt::format("the file ends {} before what its header claims",
                                             counted(declared - image.size, "byte", "bytes")));
    if (image.size > declared && h.more_follows)
        image.facts.push_back({"more", "after CHR",
                               fmt::format("{}, as the header says", counted(image.size - declared, "byte", "bytes"))});
    else if (image.size > declared)
        image.warnings.push_back(
            fmt::format("{} follow what the header claims", counted(image.size - declared, "byte", "bytes")));
    if (h.prg == 0) image.warnings.emplace_back("the header claims no PRG at all");
    if (h.junk)
        image.warnings.emplace_back(
            text_at(file, 12, 4) == std::string_view("\0\0\0\0", 4) && u8(file, 11) == 0 && (u8(file, 7) & 0x0C) != 4
                ? "the header may hold junk (byte 10 alone, which is weak evidence); mend header-junk zeroes it"
                : "the header holds junk in bytes that have to be 0; mend header-junk zeroes it");
    Evidence(image).add(image.size == declared, 16, "PRG and CHR fill the file exactly");
    return image;
}

void mend_junk(Mending& mending, std::string_view) {
    Bytes& rom = mending.rom;
    const NesHeader h = nes_header(rom);
    const std::string before = bytes_text(ByteView(rom).subspan(7, 9));
    if (!h.junk) return mending.fields.push_back({"bytes 7 to 15", before, before});
    if (const unsigned lost = u8(rom, 7) & 0xF0; lost != 0)
        mending.warnings.push_back(
            fmt::format("byte 7 held {:02x}: if its high nibble was a real part of the mapper ({}), that is lost now",
                        u8(rom, 7), (u8(rom, 6) >> 4) | lost));
    const Bytes zeros(9);
    Bytes kept(rom.begin() + 7, rom.begin() + 16);
    // Byte 7 stays where it is no junk itself; 8 and 9 mean something in the old layout too.
    const bool text_in_7 = (u8(rom, 7) & 0x0C) == 0x04 || u8(rom, 12) != 0 || u8(rom, 13) != 0;
    for (std::size_t i = text_in_7 ? 0 : 3; i < kept.size(); ++i) kept[i] = std::byte{0};
    set_field(rom, 7, kept, "bytes 7 to 15", before, bytes_text(kept), mending.fields);
}

constexpr std::array mends{MendRow{
    .name = "header-junk", .turn = Turn::field, .what = "junk in the front header's unused bytes", .run = mend_junk}};

/// Banks of 16 KiB at 8000; the last one stands at C000, as on most boards.
std::optional<std::string> address_at(ByteView rom, std::uint64_t offset) {
    const NesHeader h = nes_header(rom);
    const std::uint64_t trainer = h.rom_at - nes_header_size;
    if (offset < trainer || h.prg == 0) return std::nullopt;
    const std::uint64_t at = offset - trainer;
    if (at >= h.prg) return std::nullopt;
    const std::uint64_t bank = at / prg_unit, last = h.prg / prg_unit - (h.prg >= prg_unit ? 1 : 0);
    return fmt::format("{:02X}:{:04X}", bank, (bank == last ? 0xC000 : 0x8000) + at % prg_unit);
}
std::optional<std::uint64_t> offset_at(ByteView rom, unsigned bank, std::uint64_t at, bool has_bank) {
    const NesHeader h = nes_header(rom);
    if (at < 0x8000 || at > 0xFFFF) return std::nullopt;
    const std::uint64_t banks = h.prg / prg_unit;
    // Without a bank, only what never moves can be meant: the last one.
    if (!has_bank && at >= 0xC000) bank = static_cast<unsigned>(banks - 1);
    if (!has_bank && at < 0xC000 && banks > 2) return std::nullopt;
    if (bank >= banks) return std::nullopt;
    return h.rom_at - nes_header_size + bank * prg_unit + at % prg_unit;
}
constexpr MemoryMap map{"03:8000", [](const Identity&) { return prg_unit; }, address_at, offset_at};

/// Disk sides: 65500 bytes each, the first block 01 and a text of 14 letters between asterisks.
std::optional<Identity> recognise_disk(ByteView file) {
    constexpr std::uint64_t side = 65500, header = 16;
    const bool headered = file.size() >= header && text_at(file, 0, 4) == "FDS\x1A";
    const ByteView disk = file.subspan(headered ? header : 0);
    const auto begins_side = [&] {
        if (disk.size() < 56 || u8(disk, 0) != 1) return false;
        const std::string_view text = text_at(disk, 1, 14);
        return text.front() == '*' && text.back() == '*' &&
               std::all_of(text.begin() + 1, text.end() - 1, [](char c) { return c == '-' || (c >= 'A' && c <= 'Z'); });
    };
    Identity image;
    Evidence evidence(image);
    evidence.add(headered, 32, "it begins with the platform's magic number");
    evidence.add(begins_side(), 40, "a disk side begins with its text");
    evidence.add(!disk.empty() && disk.size() % side == 0, 8, "whole disk sides");
    if (image.evidence_bits < least_bits) return std::nullopt;
    image.front_header = headered ? header : 0;
    image.header_describes = headered;
    image.size = disk.size();
    if (begins_side()) image.title = readable(text_at(disk, 0x10, 3));
    if (begins_side()) image.revision = u8(disk, 0x14);
    if (headered) {
        image.declared_size = u8(file, 4) * side;
        image.facts.push_back({"sides", "sides", fmt::format("{}", u8(file, 4))});
        if (image.size != image.declared_size)
            image.warnings.push_back(fmt::format("the header claims {} sides, and there are {}", u8(file, 4),
                                                 counted(image.size, "byte", "bytes")));
    }
    return image;
}

}  // namespace

constexpr std::string_view describes_the_rest =
    "the front header says what is where: new banks go in with a program that knows the board";
const Platform nes{.name = "nes",
                   .title = "Nintendo Entertainment System (NES)",
                   .extensions = ".nes .unf",
                   .recognise = recognise,
                   .mends = mends,
                   .map = &map,
                   .fixed_size = describes_the_rest};
const Platform nes_disk{.name = "nes-disk",
                        .title = "Famicom Disk System (FDS)",
                        .extensions = ".fds",
                        .recognise = recognise_disk,
                        .fixed_size = "a disk side has its size"};

}  // namespace hotstitch::cartridge
