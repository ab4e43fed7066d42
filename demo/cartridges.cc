// SPDX-License-Identifier: MIT
#include "cartridges.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cstdint>
#include <string_view>

#include "random.h"

namespace demo {
namespace {

using namespace std::string_view_literals;

constexpr std::size_t kib = 1024;

unsigned at(const Rom& rom, std::size_t i) {
    return std::to_integer<unsigned>(rom[i]);
}
void put(Rom& rom, std::size_t i, std::string_view text) {
    for (const char c : text) rom[i++] = static_cast<std::byte>(c);
}
void put_little(Rom& rom, std::size_t i, std::uint32_t value, int bytes) {
    for (int b = 0; b < bytes; ++b) rom[i++] = static_cast<std::byte>(value >> 8 * b);
}
void put_big(Rom& rom, std::size_t i, std::uint32_t value, int bytes) {
    for (int b = bytes; b-- != 0;) rom[i++] = static_cast<std::byte>(value >> 8 * b);
}
std::uint32_t big_word(const Rom& rom, std::size_t i) {
    return at(rom, i) << 24 | at(rom, i + 1) << 16 | at(rom, i + 2) << 8 | at(rom, i + 3);
}
std::uint32_t sum(const Rom& rom, std::size_t from, std::size_t to) {
    std::uint32_t total = 0;
    for (; from < to; ++from) total += at(rom, from);
    return total;
}

/// Made-up content: half of it new bytes, the rest free.
Rom filled(std::size_t size, std::uint64_t seed, std::byte free = std::byte{0xFF}) {
    Rom rom(size, free);
    Random random(seed);
    for (std::size_t i = 0; i < size / 2; ++i) rom[i] = static_cast<std::byte>(random.next());
    return rom;
}

std::array<std::uint32_t, 256> crc_table() {
    std::array<std::uint32_t, 256> table{};
    for (std::uint32_t i = 0; i < table.size(); ++i) {
        table[i] = i;
        for (int bit = 0; bit < 8; ++bit) table[i] = (table[i] >> 1) ^ (table[i] % 2 != 0 ? 0xEDB88320 : 0);
    }
    return table;
}

/// Chooses the last four bytes before `to` so that the CRC-32 of [from, to) is `wanted`: a known variant of a boot
/// code, without its code.
void force_crc(Rom& rom, std::size_t from, std::size_t to, std::uint32_t wanted) {
    const auto table = crc_table();
    std::uint32_t before = 0xFFFFFFFF, after = ~wanted;
    for (; from < to - 4; ++from) before = before >> 8 ^ table[(before ^ at(rom, from)) & 0xFF];
    for (int i = 0; i < 4; ++i) {
        std::uint32_t row = 0;
        while (table[row] >> 24 != after >> 24) ++row;
        after = (after ^ table[row]) << 8 | row;
    }
    put_little(rom, to - 4, before ^ after, 4);
}

/// The check words of the variants 6101 and 6102.
void write_check_words(Rom& rom) {
    const std::uint32_t seed = 0xF8CA4DDC;
    std::uint32_t a = seed, b = seed, c = seed, d = seed, e = seed, f = seed;
    for (std::size_t i = 0x1000; i < 0x101000; i += 4) {
        const std::uint32_t word = big_word(rom, i), turned = std::rotl(word, static_cast<int>(word % 32));
        d += f + word < f ? 1 : 0;
        f += word;
        c ^= word;
        e += turned;
        b ^= b >= word ? turned : f ^ word;
        a += e ^ word;
    }
    put_big(rom, 0x10, f ^ d ^ c, 4);
    put_big(rom, 0x14, e ^ b ^ a, 4);
}

std::uint32_t crc16(const Rom& rom, std::size_t from, std::size_t to) {
    std::uint32_t crc = 0xFFFF;
    for (; from < to; ++from) {
        crc ^= at(rom, from);
        for (int bit = 0; bit < 8; ++bit) crc = (crc >> 1) ^ (crc % 2 != 0 ? 0xA001 : 0);
    }
    return crc;
}

}  // namespace

Rom nes_kelp() {
    Rom rom = filled(40 * kib, 1);
    const std::array<unsigned char, 16> header{'N', 'E', 'S', 0x1A, 2, 1, 0x13, 0x00};
    Rom out;
    for (const unsigned char b : header) out.push_back(static_cast<std::byte>(b));
    out.insert(out.end(), rom.begin(), rom.end());
    return out;
}

Rom nes_disk_kelp() {
    Rom rom = filled(65500, 2, std::byte{0});
    put(rom, 0, "\1*KELP-HARBOUR*"sv);
    rom[13] = std::byte{'-'}, rom[14] = std::byte{'*'};
    put(rom, 0x0F, "\x00KLP"sv);
    rom[0x14] = std::byte{1};
    return rom;
}

Rom game_boy_kelp() {
    Rom rom = filled(64 * kib, 3);
    put(rom, 0x100, "\x00\xC3\x50\x01"sv);
    std::fill(rom.begin() + 0x134, rom.begin() + 0x150, std::byte{0});
    put(rom, 0x134, "KELPHARBOUR");
    put(rom, 0x13F, "AKHE");
    put(rom, 0x143, "\x80"sv);
    put(rom, 0x147, "\x1B\x01\x02\x01\x33\x01"sv);
    unsigned check = 0;
    for (std::size_t i = 0x134; i < 0x14D; ++i) check -= at(rom, i) + 1;
    put_big(rom, 0x14D, check, 1);
    put_big(rom, 0x14E, sum(rom, 0, 0x14E), 2);
    put_big(rom, 0x14E, sum(rom, 0, 0x14E) + sum(rom, 0x150, rom.size()), 2);
    return rom;
}

Rom game_boy_advance_kelp() {
    Rom rom = filled(128 * kib, 4, std::byte{0});
    put(rom, 0, "\x2E\x00\x00\xEA"sv);
    std::fill(rom.begin() + 0xA0, rom.begin() + 0xC0, std::byte{0});
    put(rom, 0xA0, "KELP HARBOUR");
    put(rom, 0xAC, "AKHP77\x96"sv);
    put(rom, 0xBC, "\x01"sv);
    put_big(rom, 0xBD, 0 - sum(rom, 0xA0, 0xBD) - 0x19, 1);
    return rom;
}

Rom nintendo_ds_kelp() {
    constexpr std::uint32_t used = 100'000;
    Rom rom = filled(128 * kib, 5);
    std::fill(rom.begin(), rom.begin() + 0x200, std::byte{0});
    std::fill(rom.begin() + used, rom.end(), std::byte{0xFF});
    put(rom, 0, "KELP HARBOUR");
    put(rom, 0x0C, "AKHP77");
    rom[0x1E] = std::byte{1};
    put_little(rom, 0x20, 0x4000, 4);
    put_little(rom, 0x80, used, 4);
    put_little(rom, 0x84, 0x4000, 4);
    for (std::size_t i = 0xC0; i < 0x15C; ++i) rom[i] = static_cast<std::byte>(i * 7);
    put_little(rom, 0x15C, crc16(rom, 0xC0, 0x15C), 2);
    put_little(rom, 0x15E, crc16(rom, 0, 0x15E), 2);
    return rom;
}

Rom nintendo_64_kelp() {
    Rom rom = filled(0x110000, 6);
    std::fill(rom.begin(), rom.begin() + 0x40, std::byte{0});
    put(rom, 0, "\x80\x37\x12\x40"sv);
    put(rom, 0x20, "KELP HARBOUR        ");
    put(rom, 0x3B, "NKHP\x01"sv);
    force_crc(rom, 0x40, 0x1000, 0x90BB6CB5);
    write_check_words(rom);
    return rom;
}

Rom mega_drive_kelp() {
    Rom rom = filled(128 * kib, 7);
    put(rom, 0x100, std::string(256, ' '));
    put(rom, 0x100, "SEGA MEGA DRIVE (C)KELP 2026.NOV");
    put(rom, 0x120, "KELP HARBOUR");
    put(rom, 0x150, "KELP HARBOUR");
    put(rom, 0x180, "GM 00070777-01");
    put_big(rom, 0x1A0, 0, 4);
    put_big(rom, 0x1A4, static_cast<std::uint32_t>(rom.size() - 1), 4);
    put(rom, 0x1F0, "E");
    std::uint32_t total = 0;
    for (std::size_t i = 0x200; i < rom.size(); i += 2) total += at(rom, i) << 8 | at(rom, i + 1);
    put_big(rom, 0x18E, total, 2);
    return rom;
}

Rom master_system_kelp() {
    Rom rom = filled(32 * kib, 8);
    put(rom, 0x7FF0, "TMR SEGA\x00\x00\x00\x00\x34\x12\x11\x4C"sv);
    put_little(rom, 0x7FFA, sum(rom, 0, 0x7FF0), 2);
    return rom;
}

Rom pc_engine_kelp() {
    Rom rom = filled(64 * kib, 9);
    for (std::size_t vector = 0; vector < 5; ++vector)
        put_little(rom, 0x1FF6 + 2 * vector, static_cast<std::uint32_t>(0xE010 + 0x20 * vector), 2);
    put(rom, 0x90, "\x78\xD4\xD8"sv);
    return rom;
}

Rom lynx_kelp() {
    Rom rom(64, std::byte{0});
    put(rom, 0, "LYNX\x00\x01\x00\x00\x01\x00"sv);
    put(rom, 10, "KELP HARBOUR");
    const Rom body = filled(64 * kib, 10);
    rom.insert(rom.end(), body.begin(), body.end());
    return rom;
}

Rom atari_7800_kelp() {
    Rom rom(128, std::byte{0});
    put(rom, 0,
        "\x01"
        "ATARI7800"sv);
    put(rom, 0x11, "KELP HARBOUR");
    put_big(rom, 0x31, 32 * kib, 4);
    rom[0x39] = std::byte{1};
    const Rom body = filled(32 * kib, 11);
    rom.insert(rom.end(), body.begin(), body.end());
    return rom;
}

Rom wonderswan_kelp() {
    Rom rom = filled(128 * kib, 12);
    put(rom, rom.size() - 16, "\xEA\x00\x00\x00\x20\x00\x77\x01\x07\x01\x00\x10\x04\x00\x00\x00"sv);
    put_little(rom, rom.size() - 2, sum(rom, 0, rom.size() - 2), 2);
    return rom;
}

Rom with_pairs_swapped(Rom rom) {
    for (std::size_t i = 0; i + 1 < rom.size(); i += 2) std::swap(rom[i], rom[i + 1]);
    return rom;
}

Rom with_words_reversed(Rom rom) {
    for (std::size_t i = 0; i + 3 < rom.size(); i += 4) {
        std::swap(rom[i], rom[i + 3]);
        std::swap(rom[i + 1], rom[i + 2]);
    }
    return rom;
}

Rom interleaved(const Rom& rom) {
    Rom out(512, std::byte{0});
    out[0] = static_cast<std::byte>(rom.size() / (16 * kib));
    put(out, 8, "\xAA\xBB\x06"sv);
    for (std::size_t block = 0; block < rom.size(); block += 16 * kib)
        for (const std::size_t first : {std::size_t{1}, std::size_t{0}})
            for (std::size_t i = first; i < 16 * kib; i += 2) out.push_back(rom[block + i]);
    return out;
}

std::vector<NamedRom> cartridges() {
    const Rom game_boy = game_boy_kelp(), nintendo_64 = nintendo_64_kelp(), mega_drive = mega_drive_kelp(),
              nes = nes_kelp();
    Rom junk = nes;
    put(junk, 7, "Kelp 2026");
    return {{"Kelp Harbour.nes", nes},
            {"Kelp Harbour (junk in the header).nes", junk},
            {"Kelp Harbour.gb", game_boy},
            {"Kelp Harbour (copier header).gb", with_front_header(game_boy)},
            {"Kelp Harbour.gba", game_boy_advance_kelp()},
            {"Kelp Harbour.z64", nintendo_64},
            {"Kelp Harbour.v64", with_pairs_swapped(nintendo_64)},
            {"Kelp Harbour.n64", with_words_reversed(nintendo_64)},
            {"Kelp Harbour.md", mega_drive},
            {"Kelp Harbour (copier header).md", with_front_header(mega_drive)},
            {"Kelp Harbour.smd", interleaved(mega_drive)}};
}

}  // namespace demo
