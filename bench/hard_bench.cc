// SPDX-License-Identifier: MIT
// hard_bench: nanoseconds for each target byte that the matcher takes on pairs made to be hard for an index of hashes,
// and on files with nothing in common, against an ordinary pair given by name: hard_bench OLD NEW.
#include <chrono>
#include <cstdio>
#include <random>

#include "hotstitch/file_io.h"
#include "match/match.h"

namespace {

using namespace hotstitch;

constexpr std::size_t size = 16 << 20;

template <class Make>
Bytes filled(Make&& make) {
    Bytes bytes(size);
    for (std::size_t i = 0; i < size; ++i) bytes[i] = static_cast<std::byte>(make(i));
    return bytes;
}

double nanoseconds(ByteView source, ByteView target, Effort effort) {
    struct : EditSink {
        Flow put(const Edit&) override { return Flow::go_on; }
    } ignored;
    const Progress none;
    Meter meter(none, Phase::comparing, target.size());
    const auto begin = std::chrono::steady_clock::now();
    match(source, target, {.anywhere = true, .effort = effort}, ignored, meter);
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count() * 1e9 /
           double(target.size());
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 3) return 2;
    std::mt19937_64 random(5);
    const Bytes noise = filled([&](std::size_t) { return random(); }),
                other = filled([&](std::size_t) { return random(); }), equal = filled([](std::size_t) { return 'a'; }),
                period = filled([](std::size_t i) { return i % 3; }),
                long_period = filled([&](std::size_t i) { return std::to_integer<int>(noise[i % 1000]); }),
                blocks = filled([&](std::size_t i) { return std::to_integer<int>(noise[i % 4096]) ^ (i % 9973 == 0); }),
                bits = filled([state = 1U](std::size_t) mutable {
                    state = (state >> 1) ^ (state % 2 == 0 ? 0U : 0x80200003U);
                    return state % 2;
                });
    const InputFile old_file(argv[1]), new_file(argv[2]);
    Bytes old_storage, new_storage;
    const auto whole = [](const InputFile& file, Bytes& storage) {
        storage.resize(file.size());
        return file.read(0, storage.size(), storage);
    };
    struct {
        const char* name;
        ByteView source, target;
    } const pairs[] = {{"ordinary (the named pair)", whole(old_file, old_storage), whole(new_file, new_storage)},
                       {"nothing in common", noise, other},
                       {"equal bytes", equal, equal},
                       {"period 3", equal, period},
                       {"period 1000, noise", long_period, noise},
                       {"equal blocks", blocks, blocks},
                       {"equal blocks, period 1000", blocks, long_period},
                       {"noise, two-letter sequence", noise, bits},
                       {"two-letter sequence twice", bits, bits}};
    std::printf("| %-27s | quick ns/B | normal ns/B | best ns/B |\n|---|---:|---:|---:|\n", "source, target");
    for (const auto& pair : pairs)
        std::printf(
            "| %-27s | %10.1f | %11.1f | %9.1f |\n", pair.name, nanoseconds(pair.source, pair.target, Effort::quick),
            nanoseconds(pair.source, pair.target, Effort::normal), nanoseconds(pair.source, pair.target, Effort::best));
    return 0;
}
