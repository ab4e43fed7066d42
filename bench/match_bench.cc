// SPDX-License-Identifier: MIT
// match_bench MIB…: BPS patches of ROM-shaped pairs, each depth of the matcher against the exhaustive yardstick: bytes
// of patch and time of matching and writing (median of 3, under 8 MiB of 11), both as ratios.
#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <vector>

#include "corpus.h"
#include "exhaustive.h"
#include "hotstitch/patch.h"
#include "match/match.h"

namespace {

using namespace hotstitch;

struct Result {
    std::size_t bytes = 0;
    double seconds = 0;
};

template <class Make>
Result measured(ByteView source, ByteView target, Make&& make) {
    Result result;
    std::vector<double> times(source.size() < 8 << 20 ? 11 : 3);
    for (double& time : times) {
        MemorySink patch;
        const auto begin = std::chrono::steady_clock::now();
        const auto writer = make_patch_writer(PatchFormat::bps, source, target, patch);
        make(*writer);
        writer->finish();
        time = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
        result.bytes = patch.bytes().size();
    }
    std::sort(times.begin(), times.end());
    result.seconds = times[times.size() / 2];
    return result;
}

}  // namespace

int main(int argc, char** argv) {
    std::printf("%4s  %-17s %21s", "MiB", "mod", "exhaustive");
    for (const char* depth : {"quick", "normal", "best"}) std::printf("  %20s", depth);
    std::printf("\n");
    for (int i = 1; i < argc; ++i) {
        const std::size_t size = std::strtoull(argv[i], nullptr, 10) << 20;
        const Bytes source = bench::rom_shaped(size);
        for (const bench::Mod& mod : bench::mods()) {
            const Bytes target = mod.modify(source);
            const Result yard =
                measured(source, target, [&](EditSink& sink) { bench::match_exhaustively(source, target, sink); });
            std::printf("%4s  %-17s %9zu B %7.3f s", argv[i], mod.name, yard.bytes, yard.seconds);
            for (const Effort effort : {Effort::quick, Effort::normal, Effort::best}) {
                const Progress none;
                const Result own = measured(source, target, [&](EditSink& sink) {
                    Meter meter(none, Phase::comparing, target.size());
                    match(source, target, {.anywhere = true, .effort = effort}, sink, meter);
                });
                std::printf("  %6.3f x B, %5.3f x s", double(own.bytes) / double(yard.bytes),
                            own.seconds / yard.seconds);
            }
            std::printf("\n");
            std::fflush(stdout);
        }
    }
    return 0;
}
