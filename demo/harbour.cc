// SPDX-License-Identifier: MIT
// harbour BERTHS: Kelp Harbour as a small program. Reads its table of berths, LZ10-packed as on a console, and says
// where a ferry of 42 decimetres may lie. Makers change the table.
#include <cstdio>
#include <fstream>
#include <iterator>
#include <string>
#include <vector>

namespace {

constexpr std::size_t name_size = 14, row_size = 16;

/// LZ10: eight flags, then literals and copies of 3 to 18 bytes.
std::string unpacked(const std::vector<unsigned char>& in) {
    std::string out;
    if (in.size() < 4 || in[0] != 0x10) return out;
    const std::size_t size = in[1] | in[2] * std::size_t{0x100} | in[3] * std::size_t{0x10000};
    unsigned flags = 0, left = 0;
    for (std::size_t at = 4; out.size() < size && at < in.size();) {
        if (left == 0) {
            flags = in[at++], left = 8;
            continue;
        }
        if ((flags >> --left & 1) == 0) {
            out += static_cast<char>(in[at++]);
            continue;
        }
        if (at + 2 > in.size()) break;
        const std::size_t length = (in[at] >> 4) + 3U, distance = ((in[at] & 0xFU) << 8 | in[at + 1]) + 1;
        at += 2;
        if (distance > out.size()) break;
        for (std::size_t i = 0; i < length; ++i) out += out[out.size() - distance];
    }
    return out;
}

}  // namespace

int main(int argc, char** argv) {
    constexpr unsigned ferry = 42;
    if (argc != 2) return std::fputs("usage: harbour BERTHS\n", stderr), 2;
    std::ifstream file(argv[1], std::ios::binary);
    const std::vector<unsigned char> packed{std::istreambuf_iterator<char>(file), {}};
    const std::string table = unpacked(packed);
    if (table.empty() || table.size() % row_size != 0) return std::fputs("harbour: no table of berths\n", stderr), 3;
    std::puts("KELP HARBOUR      depth in dm");
    for (std::size_t row = 0; row < table.size(); row += row_size) {
        const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(table[row + i]); };
        const unsigned depth = byte(name_size) + byte(name_size + 1) * 256U;
        std::printf("  %-14s  %4u  %s\n", table.substr(row, table.find('\0', row) - row).c_str(), depth,
                    depth >= ferry ? "the ferry may lie here" : "too shallow");
    }
}
