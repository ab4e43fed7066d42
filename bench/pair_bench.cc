// SPDX-License-Identifier: MIT
// pair_bench NAME OLD NEW JOINT: one line of each depth for two versions of a real file: VCDIFF, bytes and the
// speed of create() in MB of target per second (median of 3, of best the only one; the check of the result included)
// with plain sections, and bytes with LZMA sections, also as times of JOINT, the bytes that a general compressor needs
// for NEW after OLD.
#include <algorithm>
#include <array>
#include <chrono>
#include <cstdio>
#include <cstdlib>

#include "hotstitch/create.h"
#include "hotstitch/file_io.h"

using namespace hotstitch;

namespace {

struct Result {
    std::size_t bytes = 0;
    double seconds = 0;
};

Result made(const InputFile& old_file, const InputFile& new_file, Effort effort, bool lzma) {
    std::array<double, 3> times{};
    const std::size_t rounds = lzma || effort == Effort::best ? 1 : times.size();
    Result result;
    for (std::size_t i = 0; i < rounds; ++i) {
        MemorySink patch;
        const auto begin = std::chrono::steady_clock::now();
        create(old_file, new_file, patch,
               {.format = PatchFormat::vcdiff, .effort = effort, .vcdiff = {.lzma = lzma, .window_checks = lzma}});
        times[i] = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
        result.bytes = patch.bytes().size();
    }
    std::sort(times.begin(), times.begin() + static_cast<std::ptrdiff_t>(rounds));
    result.seconds = times[rounds / 2];
    return result;
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 5) return 2;
    const InputFile old_file(argv[2]), new_file(argv[3]);
    const double joint = std::strtod(argv[4], nullptr), megabytes = double(new_file.size()) / 1e6;
    for (const auto& [name, effort] :
         {std::pair{"quick", Effort::quick}, std::pair{"normal", Effort::normal}, std::pair{"best", Effort::best}}) {
        const Result plain = made(old_file, new_file, effort, false), lzma = made(old_file, new_file, effort, true);
        std::printf("| %-22s | %6.1f | %-6s | %10zu | %6.1f | %9zu | %5.1f | %9.0f | %5.2f |\n", argv[1], megabytes,
                    name, plain.bytes, megabytes / plain.seconds, lzma.bytes, megabytes / lzma.seconds, joint,
                    double(lzma.bytes) / joint);
        std::fflush(stdout);
    }
    return 0;
}
