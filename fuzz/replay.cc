// SPDX-License-Identifier: MIT
// Runs a fuzz target, by its number in its file, over the files of folders, without a fuzzer.
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <filesystem>

#include "entry.h"
#include "lib/temporary_folder.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size);

std::size_t replay_entry = 0;

int main(int argc, char** argv) {
    int files = 0;
    if (argc > 1) replay_entry = std::strtoul(argv[1], nullptr, 10);
    for (int i = 2; i < argc; ++i) {
        for (const auto& entry : std::filesystem::recursive_directory_iterator(argv[i])) {
            if (!entry.is_regular_file()) continue;
            const hotstitch::Bytes bytes = contents(entry.path());
            LLVMFuzzerTestOneInput(reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size());
            ++files;
        }
    }
    std::printf("%d seeds replayed\n", files);
    return files == 0 ? 1 : 0;
}
