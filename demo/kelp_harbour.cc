// SPDX-License-Identifier: MIT
#include "kelp_harbour.h"

#include <algorithm>
#include <array>
#include <cstdint>
#include <string>
#include <string_view>

#include "random.h"

namespace demo {
namespace {

constexpr std::size_t kib = 1024, cartridge = 1024 * kib;
constexpr std::size_t code_at = 0x00000, header_at = 0x7FC0, texts_at = 0x40000, pictures_at = 0x60000,
                      music_at = 0xA0000;
constexpr std::size_t palettes_at = 0x5F000, free_at = 0xE0000;

void put(Rom& rom, std::size_t at, std::string_view text) {
    std::transform(text.begin(), text.end(), rom.begin() + static_cast<std::ptrdiff_t>(at),
                   [](char c) { return static_cast<std::byte>(c); });
}

void put16(Rom& rom, std::size_t at, std::size_t value) {
    rom[at] = static_cast<std::byte>(value);
    rom[at + 1] = static_cast<std::byte>(value >> 8);
}

/// Code-shaped bytes: common opcodes often, operands of two bytes.
void write_code(Rom& rom, std::size_t from, std::size_t to, Random& random) {
    constexpr std::array<unsigned char, 16> opcodes{0xA9, 0x8D, 0xA2, 0x20, 0x60, 0xD0, 0xF0, 0xC9,
                                                    0x85, 0xA5, 0xE8, 0xCA, 0x4C, 0x9D, 0xBD, 0x18};
    while (from < to) {
        rom[from++] = static_cast<std::byte>(opcodes[random.below(random.below(opcodes.size()) + 1)]);
        for (std::size_t operands = random.below(3); operands != 0 && from < to; --operands)
            rom[from++] = static_cast<std::byte>(random.below(4) == 0 ? random.next() : random.below(16));
    }
}

/// Tiles: eight-byte rows, many of them repeated or blank.
void write_pictures(Rom& rom, std::size_t from, std::size_t to, Random& random) {
    std::array<std::byte, 32> tile{};
    for (; from + tile.size() <= to; from += tile.size()) {
        if (random.below(3) == 0) tile.fill(std::byte{0});
        if (random.below(4) != 0)
            for (std::byte& row : tile) row = static_cast<std::byte>(random.next() & random.next());
        std::copy(tile.begin(), tile.end(), rom.begin() + static_cast<std::ptrdiff_t>(from));
    }
}

constexpr std::array<std::string_view, 8> sentences{
    "The ferry waits at berth seven. Ring the bell when the tide turns.",
    "Fog on the sound: two long blasts and keep to the north mole.",
    "The lighthouse keeper asks for oil, bread and a letter from home.",
    "Low water at dawn. Only the flat barges clear the bar.",
    "A berth for a night costs nine shells, twelve with a lantern.",
    "Kelp has wrapped the pilot boat again. Send the diver down.",
    "The crane is free. Which ship shall be unloaded first?",
    "Harbour master, the moon is up and the spring tide comes."};

/// A table of 16-bit pointers, then the texts they point to.
void write_texts(Rom& rom, const std::vector<std::string>& texts) {
    std::size_t at = texts_at + 2 * texts.size();
    for (std::size_t i = 0; i < texts.size(); ++i) {
        put16(rom, texts_at + 2 * i, at & 0xFFFF);
        put(rom, at, texts[i]);
        at += texts[i].size();
        rom[at++] = std::byte{0};
    }
    std::fill(rom.begin() + static_cast<std::ptrdiff_t>(at), rom.begin() + static_cast<std::ptrdiff_t>(palettes_at),
              std::byte{0xFF});
}

std::vector<std::string> day_texts() {
    std::vector<std::string> texts;
    for (std::size_t day = 1; day <= 120; ++day)
        texts.push_back("Day " + std::to_string(day) + ". " + std::string(sentences[day * 5 % sentences.size()]));
    return texts;
}

void write_header(Rom& rom, int revision) {
    put(rom, header_at, "KELP HARBOUR         ");
    constexpr std::array<unsigned char, 7> fields{0x20, 0x02, 0x0A, 0x03, 0x02, 0x33, 0x00};
    for (std::size_t i = 0; i < fields.size(); ++i) rom[header_at + 21 + i] = static_cast<std::byte>(fields[i]);
    rom[header_at + 0x1B] = static_cast<std::byte>(revision);
    put16(rom, header_at + 0x3C, 0x8000);
}

/// The internal checksum: the sum of all bytes, its own two fields counted as FF FF 00 00.
void write_checksum(Rom& rom) {
    put16(rom, header_at + 0x1C, 0xFFFF);
    put16(rom, header_at + 0x1E, 0);
    std::uint32_t sum = 0;
    for (const std::byte b : rom) sum += std::to_integer<std::uint32_t>(b);
    put16(rom, header_at + 0x1C, ~sum & 0xFFFF);
    put16(rom, header_at + 0x1E, sum & 0xFFFF);
}

void darken(Rom& rom, std::size_t from, std::size_t length) {
    for (std::size_t i = from; i < from + length; i += 2) {
        const std::size_t colour = std::to_integer<std::size_t>(rom[i]) | std::to_integer<std::size_t>(rom[i + 1]) << 8;
        put16(rom, i, (colour >> 1) & 0x3DEF);  // five bits a channel, each halved
    }
}

}  // namespace

Rom kelp_harbour(int revision) {
    Rom rom(cartridge, std::byte{0xFF});
    Random random(0x4B454C50);
    write_code(rom, code_at, 0x38000, random);
    write_pictures(rom, pictures_at, music_at, random);
    for (std::size_t i = palettes_at; i < palettes_at + 2048; i += 2) put16(rom, i, random.next() & 0x7FFF);
    write_code(rom, music_at, free_at, random);
    write_texts(rom, day_texts());
    if (revision == 1)
        for (std::size_t fix = 0; fix < 40; ++fix) rom[0x1000 + fix * 811] = static_cast<std::byte>(fix);
    write_header(rom, revision);
    write_checksum(rom);
    return rom;
}

Rom with_front_header(const Rom& rom) {
    Rom out(512 + rom.size(), std::byte{0});
    std::copy(rom.begin(), rom.end(), out.begin() + 512);
    return out;
}

Rom night_tides(Rom rom) {
    Random random(0x4E494748);
    darken(rom, palettes_at, 2048);
    std::vector<std::string> texts = day_texts();
    for (std::size_t i = 0; i < texts.size(); i += 4) texts[i] = "Night" + texts[i].substr(3) + " Mind the lanterns.";
    write_texts(rom, texts);
    write_code(rom, free_at + 0x100, free_at + 0xB00, random);
    std::fill_n(rom.begin() + free_at + 0xB00, 600, std::byte{0});
    for (std::size_t hook = 0; hook < 24; ++hook) put16(rom, 0x2000 + hook * 0x1357, free_at + 0x100 + hook * 16);
    write_checksum(rom);
    return rom;
}

Rom longer_berths(Rom rom) {
    Random random(0x42455254);
    rom.resize(2 * cartridge, std::byte{0xFF});
    write_pictures(rom, cartridge, cartridge + 24 * kib, random);
    for (std::size_t hook = 0; hook < 12; ++hook) put16(rom, 0x3000 + hook * 0x0ABC, hook);
    rom[header_at + 0x17] = std::byte{0x0B};
    write_checksum(rom);
    return rom;
}

Rom fog_signals(Rom rom) {
    for (std::size_t i = 0; i < 9; ++i) rom[0x4321 + i * 0x101] = static_cast<std::byte>(0xF0 + i);
    write_checksum(rom);
    return rom;
}

}  // namespace demo
