// SPDX-License-Identifier: MIT
// payload_bench TEXT CODE: packing and unpacking of 1 MiB of each file, and of a picture drawn here, by the codecs of
// consoles; beside zlib's strongest level and a plain copy of the same bytes in the same run. Best of 5.
#include <zlib.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstring>
#include <fstream>
#include <string>

#include "part/payload/codec.h"

namespace {

using namespace hotstitch;

constexpr std::size_t size = 1 << 20;

Bytes read_file(const char* path) {
    std::ifstream file(path, std::ios::binary);
    Bytes bytes(size);
    file.read(reinterpret_cast<char*>(bytes.data()), static_cast<std::streamsize>(size));
    bytes.resize(static_cast<std::size_t>(file.gcount()));
    return bytes;
}

/// A harbour in 256 colours, 1024 by 1024: flat water with waves, a rough coast, a sky that fades.
Bytes picture() {
    Bytes pixels(size);
    std::uint32_t random = 7;
    unsigned coast = 600;
    for (unsigned y = 0; y < 1024; ++y)
        for (unsigned x = 0; x < 1024; ++x) {
            random = random * 1664525 + 1013904223;
            if (x % 4 == 0) coast = std::clamp(coast + (random >> 30) - 1, 500U, 700U);
            unsigned colour = y / 8;
            if (y > 512) colour = x > coast ? 160 + (random >> 29) : (x + y * 5) % 97 == 0 ? 140U : 141U;
            pixels[y * 1024 + x] = static_cast<std::byte>(colour);
        }
    return pixels;
}

template <class Work>
double best_seconds(int rounds, Work&& work) {
    double best = 1e9;
    for (int i = 0; i < rounds; ++i) {
        const auto begin = std::chrono::steady_clock::now();
        work();
        best = std::min(best, std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count());
    }
    return best;
}

Bytes from(std::string_view hex) {
    Bytes bytes;
    for (std::size_t i = 0; i < hex.size(); i += 2)
        bytes.push_back(static_cast<std::byte>(std::stoul(std::string(hex.substr(i, 2)), nullptr, 16)));
    return bytes;
}

void print_rows(const char* what, const Bytes& content) {
    Bytes copy(content.size());
    const double plain = best_seconds(5, [&] { std::memcpy(copy.data(), content.data(), content.size()); });
    uLongf packed_size = compressBound(content.size());
    Bytes packed(packed_size);
    const double zlib = best_seconds(2, [&] {
        packed_size = static_cast<uLongf>(packed.size());
        compress2(reinterpret_cast<Bytef*>(packed.data()), &packed_size, reinterpret_cast<const Bytef*>(content.data()),
                  content.size(), 9);
    });
    const double megabytes = static_cast<double>(content.size()) / 1e6;
    std::printf("| %s | zlib -9 | %lu | %.1f | 1.00 | | |\n", what, packed_size, megabytes / zlib);
    // Each beside a payload with a copy from the byte before, so that it may have such copies too.
    const std::pair<const char*, const char*> rows[] = {{"lz10", "1005000040001000"},
                                                        {"lz11", "1105000040003000"},
                                                        {"yaz0", "59617a30000000000000000000000000"},
                                                        {"huffman8", "2801000001c04b4b00000000"},
                                                        {"rle", "300100000041"}};
    for (const auto& [name, like] : rows)
        for (const Codec* const codec : codecs()) {
            if (codec->name != name) continue;
            Bytes made;
            const double pack = best_seconds(2, [&] { made = codec->pack(content, from(like)); });
            const double open = best_seconds(5, [&] { codec->measure(made), codec->unpack(made, copy); });
            std::printf("| %s | %s | %zu | %.1f | %.2f | %.0f | %.1f |%s\n", what, name, made.size(), megabytes / pack,
                        zlib / pack, megabytes / open, open / plain, copy == content ? "" : " DIFFERS");
        }
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 3) return std::fprintf(stderr, "payload_bench TEXT CODE\n"), 2;
    std::printf(
        "| 1 MiB of | codec | bytes | pack MB/s | x zlib -9 | check and unpack MB/s | copies as long |\n"
        "|---|---|---:|---:|---:|---:|---:|\n");
    print_rows("text", read_file(argv[1]));
    print_rows("code", read_file(argv[2]));
    print_rows("picture", picture());
}
