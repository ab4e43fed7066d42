// SPDX-License-Identifier: MIT
// Work in memory, beside memcpy and one CRC-32 pass over the same bytes. Compare rows by bytes per second.
#include <benchmark/benchmark.h>

#include <cstring>
#include <map>
#include <random>

#include "hotstitch/apply.h"
#include "hotstitch/create.h"
#include "hotstitch/digest.h"
#include "hotstitch/patch.h"
#include "hotstitch/summary.h"

namespace {

using namespace hotstitch;

constexpr std::size_t size = 16 << 20;
const CreateOptions as_ips{.format = PatchFormat::ips};

struct Pair {
    Bytes source, target, patch;
};

/// 16 MiB of noise and a copy with `edits` changes.
const Pair& pair_with(std::size_t edits) {
    static std::map<std::size_t, Pair> made;
    Pair& pair = made[edits];
    if (!pair.patch.empty()) return pair;
    std::mt19937_64 random(edits);
    pair.source.resize(size);
    for (std::size_t i = 0; i < size; i += 8) {
        const std::uint64_t word = random();
        std::memcpy(&pair.source[i], &word, 8);
    }
    pair.target = pair.source;
    for (std::size_t i = 0; i < edits; ++i) {
        const std::size_t at = random() % (size - 64);
        for (std::size_t j = 0; j < 1 + random() % 64; ++j) pair.target[at + j] = static_cast<std::byte>(random());
    }
    pair.patch = hotstitch::create(pair.source, pair.target, as_ips);
    return pair;
}

void report(benchmark::State& state) {
    state.SetBytesProcessed(state.iterations() * static_cast<std::int64_t>(size));
}

void Memcpy(benchmark::State& state) {
    const Pair& pair = pair_with(1000);
    Bytes out(size);
    for (auto _ : state) {
        std::memcpy(out.data(), pair.source.data(), size);
        benchmark::DoNotOptimize(out.data());
    }
    report(state);
}
BENCHMARK(Memcpy);

void Crc32Pass(benchmark::State& state) {
    const Pair& pair = pair_with(1000);
    for (auto _ : state) benchmark::DoNotOptimize(crc32(pair.source));
    report(state);
}
BENCHMARK(Crc32Pass);

void IpsApply(benchmark::State& state) {
    const Pair& pair = pair_with(static_cast<std::size_t>(state.range(0)));
    for (auto _ : state) benchmark::DoNotOptimize(hotstitch::apply_in_memory(pair.patch, pair.source).target);
    report(state);
}
BENCHMARK(IpsApply)->Arg(1'000)->Arg(100'000);

void IpsCreateAndCheck(benchmark::State& state) {
    const Pair& pair = pair_with(static_cast<std::size_t>(state.range(0)));
    for (auto _ : state) benchmark::DoNotOptimize(hotstitch::create(pair.source, pair.target, as_ips));
    report(state);
    state.counters["patch"] = static_cast<double>(pair.patch.size());
}
BENCHMARK(IpsCreateAndCheck)->Arg(1'000)->Arg(100'000);

void IpsSummary(benchmark::State& state) {
    const Pair& pair = pair_with(100'000);
    for (auto _ : state) benchmark::DoNotOptimize(summarise(*open_patch(pair.patch)));
    report(state);
}
BENCHMARK(IpsSummary);

void SharedBytesCount(benchmark::State& state) {
    const Pair& pair = pair_with(100'000);
    const auto reader = open_patch(pair.patch);
    for (auto _ : state) benchmark::DoNotOptimize(count_shared(*reader, MemorySource(pair.source)));
    report(state);
}
BENCHMARK(SharedBytesCount);

}  // namespace

BENCHMARK_MAIN();
