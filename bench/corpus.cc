// SPDX-License-Identifier: MIT
#include "corpus.h"

#include <algorithm>
#include <array>
#include <random>
#include <string>

namespace bench {
namespace {

using hotstitch::Bytes;
using Random = std::mt19937_64;

std::size_t below(Random& random, std::size_t bound) {
    return static_cast<std::size_t>(random() % bound);
}

/// A file is cut into blocks of this size, and each tenth of a block has its kind of content.
constexpr std::size_t block = 64 << 10, pointers_at = block * 6 / 10, texts_at = pointers_at + 1024,
                      free_at = block * 9 / 10;

void write_code(Bytes& rom, std::size_t from, std::size_t to, Random& random) {
    constexpr std::array<unsigned char, 16> opcodes{0xA9, 0x8D, 0xA2, 0x20, 0x60, 0xD0, 0xF0, 0xC9,
                                                    0x85, 0xA5, 0xE8, 0xCA, 0x4C, 0x9D, 0xBD, 0x18};
    while (from < to) {
        rom[from++] = static_cast<std::byte>(opcodes[below(random, below(random, opcodes.size()) + 1)]);
        for (std::size_t operands = below(random, 3); operands != 0 && from < to; --operands)
            rom[from++] = static_cast<std::byte>(below(random, 4) == 0 ? random() : below(random, 16));
    }
}

void write_pictures(Bytes& rom, std::size_t from, std::size_t to, Random& random) {
    for (std::size_t at = from; at < to; at += 8) {
        const auto row = static_cast<std::byte>(below(random, 3) == 0 ? 0 : random() & random());
        std::fill_n(rom.begin() + static_cast<std::ptrdiff_t>(at), std::min<std::size_t>(8, to - at), row);
        if (below(random, 2) == 0)
            rom[at + below(random, std::min<std::size_t>(8, to - at))] ^= static_cast<std::byte>(random());
    }
}

constexpr std::array<const char*, 6> phrases{"The ferry waits at berth ",   "Fog on the sound: keep to mole ",
                                             "Low water at dawn, day ",     "A berth for a night costs shells ",
                                             "The crane is free for ship ", "Ring the bell at buoy "};

/// 500 pointers and the texts they point to; longer texts push the later ones on.
void write_texts(Bytes& rom, std::size_t begin, Random& random, const char* more) {
    std::size_t at = begin + texts_at;
    const std::size_t end = begin + free_at;
    for (std::size_t i = 0; i < 500; ++i) {
        const std::string text =
            phrases[below(random, phrases.size())] + std::to_string(below(random, 1000)) + (i % 7 == 3 ? more : "");
        rom[begin + pointers_at + 2 * i] = static_cast<std::byte>(at);
        rom[begin + pointers_at + 2 * i + 1] = static_cast<std::byte>(at >> 8);
        for (const char c : text)
            if (at < end) rom[at++] = static_cast<std::byte>(c);
        if (at < end) rom[at++] = std::byte{0};
    }
    std::fill(rom.begin() + static_cast<std::ptrdiff_t>(at), rom.begin() + static_cast<std::ptrdiff_t>(end),
              std::byte{0xFF});
}

Bytes with_texts(Bytes rom, const char* more) {
    for (std::size_t begin = 0; begin + block <= rom.size(); begin += 4 * block) {
        Random random(begin + 77);
        write_texts(rom, begin, random, more);
    }
    return rom;
}

Bytes scattered_edits(Bytes rom) {
    Random random(1);
    for (std::size_t n = rom.size() / 2048; n != 0; --n) {
        const std::size_t at = below(random, rom.size() - 8);
        for (std::size_t i = 0, length = 1 + below(random, 4); i < length; ++i)
            rom[at + i] = static_cast<std::byte>(random());
    }
    return rom;
}

Bytes shifted_pointers(Bytes rom) {
    for (std::size_t begin = 0; begin + block <= rom.size(); begin += 2 * block)
        for (std::size_t i = 0; i < 500; ++i) {
            const std::size_t at = begin + pointers_at + 2 * i;
            const auto value =
                std::to_integer<unsigned>(rom[at]) + 256 * std::to_integer<unsigned>(rom[at + 1]) + 0x134;
            rom[at] = static_cast<std::byte>(value), rom[at + 1] = static_cast<std::byte>(value >> 8);
        }
    return rom;
}

Bytes moved_blocks(Bytes rom) {
    Random random(2);
    for (std::size_t n = rom.size() / (256 << 10); n != 0; --n) {
        const std::size_t length = 500 + below(random, 20'000), from = below(random, rom.size() - length),
                          to = below(random, rom.size() - length);
        const Bytes moved(rom.begin() + static_cast<std::ptrdiff_t>(from),
                          rom.begin() + static_cast<std::ptrdiff_t>(from + length));
        rom.erase(rom.begin() + static_cast<std::ptrdiff_t>(from),
                  rom.begin() + static_cast<std::ptrdiff_t>(from + length));
        rom.insert(rom.begin() + static_cast<std::ptrdiff_t>(to), moved.begin(), moved.end());
    }
    return rom;
}

Bytes filled_space(Bytes rom) {
    Random random(3);
    for (std::size_t begin = 0; begin + block <= rom.size(); begin += block)
        write_code(rom, begin + free_at + 100, begin + free_at + 100 + below(random, 4000), random);
    return rom;
}

Bytes doubled(Bytes rom) {
    const std::size_t size = rom.size();
    rom.resize(2 * size, std::byte{0xFF});
    std::copy_n(rom.begin(), size / 8, rom.begin() + static_cast<std::ptrdiff_t>(size));
    Random random(4);
    write_code(rom, size + size / 4, size + size / 4 + size / 64, random);
    return rom;
}

}  // namespace

Bytes rom_shaped(std::size_t size) {
    Bytes rom(size, std::byte{0xFF});
    Random random(20261123);
    for (std::size_t begin = 0; begin + block <= size; begin += block) {
        write_code(rom, begin, begin + block * 3 / 10, random);
        write_pictures(rom, begin + block * 3 / 10, begin + pointers_at, random);
        write_texts(rom, begin, random, "");
    }
    return with_texts(rom, "");
}

const std::vector<Mod>& mods() {
    static const std::vector<Mod> all{
        {"scattered edits", scattered_edits},
        {"shifted pointers", shifted_pointers},
        {"longer texts", [](Bytes rom) { return with_texts(std::move(rom), ", and mind the lanterns"); }},
        {"moved blocks", moved_blocks},
        {"filled space", filled_space},
        {"doubled", doubled},
        {"all together",
         [](Bytes rom) {
             return doubled(filled_space(
                 moved_blocks(with_texts(shifted_pointers(scattered_edits(std::move(rom))), ", at night"))));
         }},
    };
    return all;
}

}  // namespace bench
