// SPDX-License-Identifier: MIT
// describe_bench: what recognising costs beside SHA-1, MD5 and CRC-32 of the same 64 MiB, median of 5, as describe does
// both: for images of platforms that sum the whole ROM, and for files that are none.
#include <algorithm>
#include <array>
#include <chrono>
#include <cstdio>
#include <random>

#include "cartridges.h"
#include "hotstitch/cartridge.h"
#include "hotstitch/digest.h"

namespace {

using namespace hotstitch;

constexpr std::size_t size = 64 << 20;

template <class Work>
double median_seconds(Work&& work) {
    std::array<double, 5> times{};
    for (double& time : times) {
        const auto begin = std::chrono::steady_clock::now();
        work();
        time = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    }
    std::sort(times.begin(), times.end());
    return times[times.size() / 2];
}

/// The image's headers, and noise up to 64 MiB; `tail` bytes of its end stay at the end.
Bytes grown(const Bytes& image, std::size_t tail = 0, std::size_t more = 0) {
    Bytes bytes(size + more);
    std::mt19937_64 random(7);
    for (std::byte& b : bytes) b = static_cast<std::byte>(random());
    std::copy(image.begin(), image.end() - static_cast<std::ptrdiff_t>(tail), bytes.begin());
    std::copy(image.end() - static_cast<std::ptrdiff_t>(tail), image.end(),
              bytes.end() - static_cast<std::ptrdiff_t>(tail));
    return bytes;
}

}  // namespace

int main() {
    const std::pair<const char*, Bytes> files[] = {
        {"SNES", grown(demo::kelp_harbour(1))},
        {"SNES, front header", grown(demo::with_front_header(demo::kelp_harbour(1)), 0, 512)},
        {"Game Boy", grown(demo::game_boy_kelp())},
        {"Mega Drive", grown(demo::mega_drive_kelp())},
        {"Mega Drive, interleaved", grown(demo::interleaved(demo::mega_drive_kelp()), 0, 512)},
        {"Nintendo 64, little-endian", grown(demo::with_words_reversed(demo::nintendo_64_kelp()))},
        {"WonderSwan", grown(demo::wonderswan_kelp(), 16)},
        {"noise", grown({})},
    };
    std::printf(
        "| 64 MiB | SHA-1, MD5, CRC-32 s | recognised as | with recognising s | x |\n|---|---:|---|---:|---:|\n");
    for (const auto& [name, bytes] : files) {
        const MemorySource source(bytes);
        const DigestChoice all{.crc32 = true, .md5 = true, .sha1 = true};
        std::optional<Identity> image;
        const double alone = median_seconds([&] { digest(source, all); });
        const double both = median_seconds([&, &file = bytes] {
            image = recognise_cartridge(file);
            digest(source, all);
        });
        std::printf("| %-26s | %.3f | %-12s | %.3f | %.2f |\n", name, alone,
                    image ? std::string(image->platform).c_str() : "data", both, both / alone);
    }
    return 0;
}
