// SPDX-License-Identifier: MIT
// make_bench_data SIZE EDITS SOURCE TARGET: dense random bytes, and a copy with EDITS changes of 8 to 300 bytes
// to letters, which compress.
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <random>
#include <vector>

namespace {

void save(const char* path, const std::vector<std::uint64_t>& words) {
    std::ofstream file(path, std::ios::binary);
    file.write(reinterpret_cast<const char*>(words.data()), static_cast<std::streamsize>(words.size() * 8));
    if (!file.flush()) {
        std::perror(path);
        std::exit(4);
    }
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 5) {
        std::fputs("usage: make_bench_data SIZE EDITS SOURCE TARGET\n", stderr);
        return 2;
    }
    std::mt19937_64 random(20261123);
    std::vector<std::uint64_t> words(std::strtoull(argv[1], nullptr, 10) / 8);
    for (std::uint64_t& word : words) word = random();
    save(argv[3], words);
    for (std::uint64_t edits = std::strtoull(argv[2], nullptr, 10); edits != 0; --edits) {
        const std::size_t at = random() % words.size(), length = 1 + random() % 37;
        for (std::size_t i = at; i < words.size() && i < at + length; ++i)
            words[i] = (random() & 0x0F0F0F0F0F0F0F0F) | 0x6060606060606060;
    }
    save(argv[4], words);
    return 0;
}
