// SPDX-License-Identifier: MIT
// make_hostile_patches FOLDER: small patches that ask for much. Each has to be refused soon and in little memory.
#include <cstdio>
#include <filesystem>
#include <fstream>

#include "lib/vcdiff_makers.h"

namespace {

using makers::integer, makers::vcdiff_header, makers::VcdiffWindow;

constexpr std::uint64_t most_window = 64 << 20;

/// 64 MiB of one byte.
std::string long_run() {
    std::string code(1, '\0');
    code += integer(most_window);
    return VcdiffWindow{.size = most_window, .data = "z", .instructions = code}.text();
}

std::string repeated(const std::string& text, std::size_t times) {
    std::string out;
    for (std::size_t i = 0; i < times; ++i) out += text;
    return out;
}

/// 64 MiB of target by one-byte instructions, LZMA-compressed, in each window.
std::string tiny_instructions(std::size_t windows) {
    makers::LzmaSections data, codes;
    const std::string bytes(most_window, 'a'), adds(most_window, '\2');
    std::string out = vcdiff_header(1, "\2");
    for (std::size_t i = 0; i < windows; ++i)
        out +=
            VcdiffWindow{
                .size = most_window, .data = data.feed(bytes), .instructions = codes.feed(adds), .delta_flags = 3}
                .text();
    return out;
}

std::string bomb() {
    makers::LzmaSections data;
    return vcdiff_header(1, "\2") +
           VcdiffWindow{
               .size = 10, .data = data.feed(std::string(512 << 20, '\0')), .instructions = "\x0B", .delta_flags = 1}
               .text();
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) {
        std::fputs("usage: make_hostile_patches FOLDER\n", stderr);
        return 2;
    }
    const std::filesystem::path folder = argv[1];
    const auto put = [&](const char* name, const std::string& patch) {
        std::ofstream(folder / name, std::ios::binary) << patch;
    };
    makers::LzmaSections greedy(1U << 30);
    const std::string damaged(1, '\x7F');
    put("a terabyte in windows", vcdiff_header() + repeated(long_run(), 16384));
    put("a gibibyte, then damage", vcdiff_header() + repeated(long_run(), 15) + damaged);
    put("a gibibyte, then a wrong window",
        vcdiff_header() + repeated(long_run(), 15) +
            VcdiffWindow{.size = 1, .data = "a", .instructions = "\2", .adler32 = 7}.text());
    put("millions of empty windows", vcdiff_header() + repeated(VcdiffWindow{}.text(), 4'000'000) + damaged);
    put("one-byte instructions", tiny_instructions(15));
    put("a section that unpacks to 512 MiB", bomb());
    put("a dictionary of 1 GiB", vcdiff_header(1, "\2") + VcdiffWindow{.size = 500,
                                                                       .data = greedy.feed(std::string(500, 'a')),
                                                                       .instructions = "\1" + integer(500),
                                                                       .delta_flags = 1}
                                                              .text());
    put("a window of 2^63", vcdiff_header() + VcdiffWindow{.size = std::uint64_t{1} << 63}.text());
    put("a huge length", vcdiff_header(4, integer(UINT64_MAX)));
    return 0;
}
