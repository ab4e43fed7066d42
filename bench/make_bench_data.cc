// SPDX-License-Identifier: MIT
// make_bench_data SIZE EDITS SOURCE TARGET: dense random bytes, and a copy with EDITS changes of 8 to 300 bytes
// to letters, which compress.
// make_bench_data SIZE shifted SOURCE TARGET: the copy has 98 % of the bytes, in pieces of up to a mebibyte that
// swapped places with their neighbours, and new bytes between them.
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <random>
#include <string_view>
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

using Words = std::vector<std::uint64_t>;

Words shifted(const Words& words, std::mt19937_64& random) {
    Words made;
    std::size_t next = 0;
    const auto append = [&](std::size_t begin, std::size_t end) {
        made.insert(made.end(), words.begin() + static_cast<std::ptrdiff_t>(begin),
                    words.begin() + static_cast<std::ptrdiff_t>(end));
        for (std::size_t fresh = (end - begin) / 50; fresh != 0; --fresh) made.push_back(random());
    };
    while (next + (1 << 18) < words.size()) {
        const std::size_t middle = next + 1000 + random() % (1 << 17), end = middle + 1000 + random() % (1 << 16);
        append(middle, end);
        append(next, middle);
        next = end;
    }
    append(next, words.size());
    return made;
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
    if (std::string_view(argv[2]) == "shifted") {
        save(argv[4], shifted(words, random));
        return 0;
    }
    for (std::uint64_t edits = std::strtoull(argv[2], nullptr, 10); edits != 0; --edits) {
        const std::size_t at = random() % words.size(), length = 1 + random() % 37;
        for (std::size_t i = at; i < words.size() && i < at + length; ++i)
            words[i] = (random() & 0x0F0F0F0F0F0F0F0F) | 0x6060606060606060;
    }
    save(argv[4], words);
    return 0;
}
