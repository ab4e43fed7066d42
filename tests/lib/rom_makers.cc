// SPDX-License-Identifier: MIT
#include "lib/rom_makers.h"
#include "hotstitch/text.h"

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <random>
#include <string_view>

namespace makers {
namespace {

Bytes noise(std::size_t size, std::uint64_t seed) {
    std::mt19937_64 random(seed);
    Bytes bytes(size);
    for (std::byte& b : bytes) b = static_cast<std::byte>(random());
    return bytes;
}

void put(Bytes& bytes, std::size_t at, std::string_view text) {
    for (const char c : text) bytes[at++] = static_cast<std::byte>(c);
}

/// As hardware sees it: what is no power of two, byte by byte, mirrored up.
std::uint32_t mirrored_sum(const Bytes& rom) {
    Bytes seen = rom;
    while ((seen.size() & (seen.size() - 1)) != 0) {
        // The last odd part, the lowest bit of the size, twice.
        const std::size_t part = seen.size() & (0 - seen.size());
        seen.insert(seen.end(), seen.end() - static_cast<std::ptrdiff_t>(part), seen.end());
    }
    std::uint32_t sum = 0;
    for (const std::byte b : seen) sum += std::to_integer<std::uint32_t>(b);
    return sum & 0xFFFF;
}

Bytes snes(std::size_t size, std::size_t header, unsigned mode, std::size_t code) {
    Bytes rom = noise(size, size + header);
    std::fill(rom.begin() + static_cast<std::ptrdiff_t>(header), rom.begin() + static_cast<std::ptrdiff_t>(header) + 64,
              std::byte{0});
    put(rom, header, "KELP HARBOUR         ");
    std::size_t field = 0;
    while ((std::size_t{1024} << field) < size) ++field;
    const unsigned fields[] = {mode, 0, static_cast<unsigned>(field), 0, 1, 0x33, 0, 0xFF, 0xFF, 0, 0};
    for (std::size_t i = 0; i < std::size(fields); ++i) rom[header + 0x15 + i] = static_cast<std::byte>(fields[i]);
    put(rom, header + 0x3C, std::string_view("\x00\x80", 2));
    rom[code] = std::byte{0x78};
    const std::uint32_t sum = mirrored_sum(rom);
    for (int i = 0; i < 2; ++i) {
        rom[header + 0x1C + static_cast<std::size_t>(i)] = static_cast<std::byte>(~sum >> 8 * i);
        rom[header + 0x1E + static_cast<std::size_t>(i)] = static_cast<std::byte>(sum >> 8 * i);
    }
    return rom;
}

Bytes head_of(const std::filesystem::path& path) {
    std::ifstream file(path, std::ios::binary);
    Bytes bytes(1 << 20);
    file.read(reinterpret_cast<char*>(bytes.data()), static_cast<std::streamsize>(bytes.size()));
    bytes.resize(static_cast<std::size_t>(file.gcount()));
    return bytes;
}

void add_files_in(const char* folder, std::size_t most, std::vector<std::pair<std::string, Bytes>>& all) {
    namespace fs = std::filesystem;
    std::error_code code;
    std::vector<fs::path> found;
    for (fs::recursive_directory_iterator i(folder, fs::directory_options::skip_permission_denied, code), end;
         i != end && !code; i.increment(code))
        if (i->is_regular_file(code)) found.push_back(i->path());
    std::sort(found.begin(), found.end());
    // Spread over the folder.
    const std::size_t step = std::max<std::size_t>(1, found.size() / most);
    for (std::size_t i = 0; i < found.size(); i += step) all.emplace_back(found[i].string(), head_of(found[i]));
}

}  // namespace

Bytes joined(ByteView a, ByteView b) {
    Bytes out(a.begin(), a.end());
    out.insert(out.end(), b.begin(), b.end());
    return out;
}

Bytes first(const Bytes& bytes, std::size_t length) {
    return {bytes.begin(), bytes.begin() + static_cast<std::ptrdiff_t>(std::min(length, bytes.size()))};
}

Bytes poked(Bytes bytes, std::size_t place, unsigned value) {
    const auto wanted = static_cast<std::byte>(value);
    bytes[place] = bytes[place] == wanted ? ~wanted : wanted;
    return bytes;
}

Bytes hirom(std::size_t size) {
    return snes(size, 0xFFC0, 0x21, 0x8000);
}
Bytes ex_hirom(std::size_t size) {
    return snes(size, 0x40FFC0, 0x25, 0x408000);
}
Bytes ex_lorom(std::size_t size) {
    return snes(size, 0x407FC0, 0x22, 0x400000);
}

Bytes headered_disk(const Bytes& side) {
    Bytes out(16);
    put(out, 0, "FDS\x1A\x01");
    return joined(out, side);
}

std::vector<std::pair<std::string, Bytes>> other_files() {
    std::vector<std::pair<std::string, Bytes>> all;
    for (const char* folder : {"/usr/bin", "/usr/lib", "/usr/share", "/usr/include", "/etc"})
        add_files_in(folder, 40, all);
    for (std::size_t i = 0; i < 60; ++i)
        all.emplace_back("noise " + std::to_string(i), noise(std::size_t{32 << 10} << i % 6, i));
    for (const unsigned value : {0U, 0xFFU, 0x20U, 0x41U, 0x96U, 0xEAU})
        for (const std::size_t size : {0x8000U, 0x10000U, 0x10200U, 0x100000U})
            all.emplace_back("run of " + std::to_string(value), Bytes(size, static_cast<std::byte>(value)));
    std::string text;
    while (text.size() < 1 << 20) text += "KELP HARBOUR: mind the tide at berth 7, and ring twice. ";
    const auto bytes = hotstitch::bytes_of(text);
    for (const std::size_t size : {0x8000U, 0x8200U, 0x10000U, 0x100000U})
        all.emplace_back("text", Bytes(bytes.begin(), bytes.begin() + static_cast<std::ptrdiff_t>(size)));
    for (std::size_t period = 2; period < 12; ++period) {
        Bytes counted(0x10000);
        for (std::size_t i = 0; i < counted.size(); ++i) counted[i] = static_cast<std::byte>(i / period);
        all.emplace_back("counting by " + std::to_string(period), std::move(counted));
    }
    return all;
}

Bytes mended(ByteView file, const std::vector<hotstitch::MendRequest>& requests,
             const hotstitch::MendOptions& options) {
    return hotstitch::changed(file, hotstitch::plan_mends(file, requests, options).change);
}

}  // namespace makers
