// SPDX-License-Identifier: MIT
// Writes the demo world's files into a folder: make_demo FOLDER
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <string>
#include <string_view>
#include <utility>

#include "cartridges.h"
#include "console_discs.h"
#include "data_files.h"
#include "disc.h"
#include "executables.h"

namespace {

bool save(const std::filesystem::path& path, const demo::Rom& rom) {
    std::ofstream file(path, std::ios::binary);
    file.write(reinterpret_cast<const char*>(rom.data()), static_cast<std::streamsize>(rom.size()));
    return file.flush().good();
}

/// Both editions of the disc: plain, and in whole sectors with a foghorn behind it and the sheet that says so.
bool save_discs(const std::filesystem::path& folder) {
    bool saved = true;
    for (const int revision : {0, 1}) {
        const std::string name = "Kelp Harbour (disc, revision " + std::to_string(revision) + ")";
        const demo::Rom plain = demo::disc(demo::kelp_harbour_files(revision));
        saved = saved && save(folder / (name + ".iso"), plain);
        if (revision == 0) continue;
        demo::Rom whole = demo::in_sectors(plain, 2);
        const demo::Rom sound = demo::sound(2);
        const std::string sheet = demo::cue_sheet(name + ".bin", 2, whole.size() / 2352);
        whole.insert(whole.end(), sound.begin(), sound.end());
        demo::Rom text;
        for (const char c : sheet) text.push_back(static_cast<std::byte>(c));
        saved = saved && save(folder / (name + ".bin"), whole) && save(folder / (name + ".cue"), text);
    }
    return saved;
}

demo::Rom text_file(const std::string& from) {
    demo::Rom bytes;
    for (const char c : from) bytes.push_back(static_cast<std::byte>(c));
    return bytes;
}

/// A data file in two editions, with what its modders know of it.
bool save_data_files(const std::filesystem::path& folder) {
    return save(folder / "Kelp Harbour (Europe).dat", demo::harbour_data(false)) &&
           save(folder / "Kelp Harbour (Americas).dat", demo::harbour_data(true)) &&
           save(folder / "kelp.tbl", text_file(demo::letters())) &&
           save(folder / "kelp-europe.map.toml", text_file(demo::map_of(false))) &&
           save(folder / "kelp-americas.map.toml", text_file(demo::map_of(true))) &&
           save(folder / "Longer Berths.edits", text_file(demo::longer_berths_edits()));
}

/// The game on the discs and cartridges with file systems of their own, and copies of them.
bool save_console_files(const std::filesystem::path& folder) {
    const demo::Rom disc = demo::table_disc(demo::console_files(1), {.total = 3 << 20, .gap = 4096});
    demo::TableDiscOptions later{.later = true, .total = 66 * 0x7C00, .gap = 4096};
    demo::Rom sparse = demo::table_disc(demo::console_files(1), {});
    sparse.resize(24 << 20);
    return save(folder / "Kelp Harbour (table).gcm", disc) &&
           save(folder / "Kelp Harbour (table, revision 0).gcm",
                demo::table_disc(demo::console_files(0), {.revision = 0, .total = 3 << 20, .gap = 4096})) &&
           save(folder / "Kelp Harbour (partition).iso",
                demo::partition_disc(demo::table_disc(demo::console_files(1), later))) &&
           save(folder / "keys.txt", text_file(demo::key_file())) &&
           save(folder / "Kelp Harbour (compressed).cso", demo::deflate_copy(disc, 2048)) &&
           save(folder / "Kelp Harbour (container).wbfs", demo::drive_copy(sparse, 21)) &&
           save(folder / "Kelp Harbour (files).nds", demo::file_cartridge(demo::console_files(1), false)) &&
           save(folder / "foghorn.wav", demo::chunk("RIFF", demo::wave(demo::sound(1)), false));
}

/// The berths of harbour.cc: a name of 14 bytes and a depth of two, LZ10-packed as a hurried packer does it.
demo::Rom berths() {
    const std::pair<std::string_view, unsigned> rows[] = {{"North Quay", 38},  {"South Quay", 51}, {"Fog Pier", 27},
                                                          {"Kelp Pier", 33},   {"Lighthouse", 64}, {"Ferry Stairs", 40},
                                                          {"Fish Market", 22}, {"Tide Gate", 45}};
    demo::Rom table;
    for (const auto& [name, depth] : rows) {
        const std::size_t end = table.size() + 14;
        for (const char c : name) table.push_back(static_cast<std::byte>(c));
        table.resize(end);
        table.push_back(static_cast<std::byte>(depth)), table.push_back(std::byte{0});
    }
    demo::Rom packed{std::byte{0x10}, static_cast<std::byte>(table.size()), std::byte{0}, std::byte{0}};
    std::size_t flags = 0;
    int left = 0;
    for (std::size_t at = 0; at < table.size();) {
        if (left == 0) flags = packed.size(), packed.push_back({}), left = 8;
        --left;
        std::size_t run = 1;
        while (at != 0 && run < 18 && at + run < table.size() && table[at + run] == table[at]) ++run;
        if (at == 0 || table[at] != table[at - 1] || run < 3) {
            packed.push_back(table[at++]);
            continue;
        }
        packed[flags] |= static_cast<std::byte>(1 << left);
        packed.push_back(static_cast<std::byte>((run - 3) << 4)), packed.push_back({});
        at += run;
    }
    packed.resize((packed.size() + 3) / 4 * 4);
    return packed;
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) {
        std::fputs("usage: make_demo FOLDER\n", stderr);
        return 2;
    }
    const std::filesystem::path folder = argv[1];
    std::error_code code;
    std::filesystem::create_directories(folder, code);
    const demo::Rom original = demo::kelp_harbour(1);
    bool saved = save(folder / "Kelp Harbour (Europe, revision 1).sfc", original) &&
                 save(folder / "Kelp Harbour (Europe, revision 0).sfc", demo::kelp_harbour(0)) &&
                 save(folder / "Kelp Harbour (copier header).smc", demo::with_front_header(original)) &&
                 save(folder / "Night Tides.sfc", demo::night_tides(original)) &&
                 save(folder / "Longer Berths.sfc", demo::longer_berths(original)) &&
                 save(folder / "Fog Signals.sfc", demo::fog_signals(original)) &&
                 save(folder / "berths.lz", berths()) &&
                 save(folder / "Harbour Master.exe", demo::pe({.overlay = 24})) &&
                 save(folder / "Harbour Master (signed).exe", demo::pe({.certificates = 0x5A8, .overlay = 24})) &&
                 save(folder / "Harbour Master.elf", demo::elf({.is_64_bit = false, .machine = 8, .room = true})) &&
                 save(folder / "Harbour Master.dol", demo::dol()) && save(folder / "Harbour Master.ps-x", demo::ps_x());
    for (const demo::NamedRom& other : demo::cartridges()) saved = saved && save(folder / other.name, other.rom);
    saved = saved && save_discs(folder) && save_console_files(folder) && save_data_files(folder);
    if (!saved) std::fprintf(stderr, "make_demo: cannot write into %s\n", folder.c_str());
    return saved ? 0 : 4;
}
