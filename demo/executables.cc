// SPDX-License-Identifier: MIT
#include "executables.h"

#include <string_view>

namespace demo {
namespace {

void put_text(Bytes& bytes, std::size_t at, std::string_view text) {
    for (const char c : text) bytes[at++] = static_cast<std::byte>(c);
}

/// Bytes that look like code, and are the same every time.
void put_code(Bytes& bytes, std::size_t at, std::size_t length) {
    for (std::size_t i = 0; i < length; ++i)
        bytes[at + i] = static_cast<std::byte>("\x55\x89\xE5\x83\xC4\x08\xC3\x90"[i % 8]);
}

}  // namespace

void put_number(Bytes& bytes, std::size_t at, std::uint64_t value, std::size_t width, std::endian order) {
    for (std::size_t i = 0; i < width; ++i)
        bytes[at + (order == std::endian::little ? i : width - 1 - i)] = static_cast<std::byte>(value >> (8 * i));
}

Bytes pe(const PeOptions& options) {
    constexpr std::size_t header = 0x80, optional = pe_optional, sections_end = 0x600;
    const std::size_t fixed = options.is_64_bit ? 112 : 96, optional_size = fixed + 128;
    Bytes file(sections_end + options.overlay);
    put_text(file, 0, "MZ");
    put_number(file, 0x18, 0x40, 2), put_number(file, 0x3C, header, 4);
    put_text(file, header, "PE");
    put_number(file, header + 4, options.is_64_bit ? 0x8664 : 0x14C, 2), put_number(file, header + 6, 2, 2);
    put_number(file, header + 20, optional_size, 2);
    put_number(file, header + 22, 0x0102U | (options.dll ? 0x2000U : 0U) | (options.relocations ? 0U : 1U), 2);
    put_number(file, optional, options.is_64_bit ? 0x20B : 0x10B, 2);
    put_number(file, optional + 16, 0x1000, 4);
    if (options.is_64_bit)
        put_number(file, optional + 24, 0x140000000, 8);
    else
        put_number(file, optional + 28, 0x400000, 4);
    put_number(file, optional + 32, 0x1000, 4), put_number(file, optional + 36, 0x200, 4);
    put_number(file, optional + 56, 0x3000, 4), put_number(file, optional + 60, 0x200, 4);
    put_number(file, optional + 68, 3, 2);
    put_number(file, optional + fixed - 4, 16, 4);
    if (options.relocations)
        put_number(file, optional + fixed + 40, 0x2000, 4), put_number(file, optional + fixed + 44, 8, 4);
    const struct {
        std::string_view name;
        std::uint32_t memory, address, size, offset, flags;
    } sections[] = {{".text", 0x180, 0x1000, 0x200, 0x200, 0x60000020},
                    {".data", 0x800, 0x2000, 0x200, 0x400, 0xC0000040}};
    std::size_t row = optional + optional_size;
    for (const auto& s : sections) {
        put_text(file, row, s.name);
        put_number(file, row + 8, s.memory, 4), put_number(file, row + 12, s.address, 4);
        put_number(file, row + 16, s.size, 4), put_number(file, row + 20, s.offset, 4);
        put_number(file, row + 36, s.flags, 4);
        row += 40;
    }
    put_code(file, 0x200, 0x180);
    if (options.certificates != 0) {
        file.resize((file.size() + 7) / 8 * 8);
        put_number(file, optional + fixed + 32, file.size(), 4);
        put_number(file, optional + fixed + 36, options.certificates, 4);
        file.resize(file.size() + options.certificates, std::byte{0xC3});
    }
    if (options.checksum) {
        std::uint64_t sum = 0;
        for (std::size_t i = 0; i < file.size(); ++i) sum += std::to_integer<std::uint64_t>(file[i]) << (i % 2 * 8);
        while (sum > 0xFFFF) sum = (sum & 0xFFFF) + (sum >> 16);
        put_number(file, optional + 64, sum + file.size(), 4);
    }
    return file;
}

Bytes packed_pe() {
    Bytes file = pe();
    constexpr std::size_t last = pe_optional + 96 + 128 + 40;
    put_number(file, pe_optional + 16, 0x2000, 4);
    put_number(file, last + 36, 0xE0000020, 4), put_number(file, last + 8, 0x400000, 4);
    return file;
}

Bytes elf(const ElfOptions& options) {
    const std::endian order = options.big_endian ? std::endian::big : std::endian::little;
    const std::size_t w = options.is_64_bit ? 8 : 4, header = options.is_64_bit ? 64 : 52,
                      row_size = options.is_64_bit ? 56 : 32, count = options.spare ? 3 : 2;
    constexpr std::size_t code = 0x1000, data = 0x2000;
    Bytes file(data + 0x100, std::byte{0});
    put_text(file, 0,
             "\x7F"
             "ELF");
    file[4] = std::byte{options.is_64_bit ? std::uint8_t{2} : std::uint8_t{1}};
    file[5] = std::byte{options.big_endian ? std::uint8_t{2} : std::uint8_t{1}}, file[6] = std::byte{1};
    const auto put = [&](std::size_t at, std::uint64_t value, std::size_t width) {
        put_number(file, at, value, width, order);
    };
    put(16, 2, 2), put(18, options.machine, 2), put(20, 1, 4);
    put(24, 0x401000, w), put(24 + w, header, w);
    const std::size_t rest = 24 + 3 * w;
    put(rest + 4, header, 2), put(rest + 6, row_size, 2), put(rest + 8, count, 2), put(rest + 10, w == 8 ? 64 : 40, 2);
    const struct {
        std::uint64_t flags, offset, address, size, memory;
    } segments[] = {{5, 0, 0x400000, code + 0x40, code + 0x40}, {6, data, 0x402000, 0x100, 0x200}};
    std::size_t at = header;
    for (const auto& s : segments) {
        put(at, 1, 4);
        if (w == 8) put(at + 4, s.flags, 4);
        const std::size_t first = at + (w == 8 ? 8 : 4);
        put(first, s.offset, w), put(first + w, s.address, w), put(first + 2 * w, s.address, w);
        put(first + 3 * w, s.size, w), put(first + 4 * w, s.memory, w);
        if (w == 4) put(at + 24, s.flags, 4);
        put(at + row_size - w, 0x1000, w);
        at += row_size;
    }
    if (options.spare) at += row_size;
    if (!options.room) put_text(file, at, "Kelp Harbour");
    put_code(file, code, 0x40);
    return file;
}

Bytes ps_x() {
    Bytes file(2048 + 4096);
    put_text(file, 0, "PS-X EXE");
    put_number(file, 0x10, 0x80010010, 4), put_number(file, 0x18, 0x80010000, 4);
    put_number(file, 0x1C, 4096, 4), put_number(file, 0x30, 0x801FFFF0, 4);
    put_text(file, 0x4C, "Kelp Harbour for Europe area");
    put_code(file, 2048, 4096);
    return file;
}

Bytes dol() {
    Bytes file(0x180);
    const auto put = [&](std::size_t at, std::uint32_t value) { put_number(file, at, value, 4, std::endian::big); };
    put(0x00, 0x100), put(0x48, 0x80003100), put(0x90, 0x40);
    put(0x1C, 0x140), put(0x64, 0x80005000), put(0xAC, 0x40);
    put(0xD8, 0x80005040), put(0xDC, 0x1000), put(0xE0, 0x80003104);
    put_code(file, 0x100, 0x80);
    return file;
}

}  // namespace demo
