// SPDX-License-Identifier: MIT
// Writes the demo world's files into a folder: make_demo FOLDER
#include <cstdio>
#include <filesystem>
#include <fstream>

#include "cartridges.h"

namespace {

bool save(const std::filesystem::path& path, const demo::Rom& rom) {
    std::ofstream file(path, std::ios::binary);
    file.write(reinterpret_cast<const char*>(rom.data()), static_cast<std::streamsize>(rom.size()));
    return file.flush().good();
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
                 save(folder / "Fog Signals.sfc", demo::fog_signals(original));
    for (const demo::NamedRom& other : demo::cartridges()) saved = saved && save(folder / other.name, other.rom);
    if (!saved) std::fprintf(stderr, "make_demo: cannot write into %s\n", folder.c_str());
    return saved ? 0 : 4;
}
