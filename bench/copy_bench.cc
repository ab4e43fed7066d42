// SPDX-License-Identifier: MIT
// copy_bench FOLDER [SIZE]: compressed copies of a made-up disc of SIZE bytes (by default 64 MiB) are written to FOLDER
// by zlib and lz4, and a sparse disc of 4.3 GB with an encrypted partition; then each copy is read from begin to end,
// in MiB, beside a plain copy of the same bytes in the same run. Best of 3.
#include <lz4.h>
#include <zlib.h>

#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <functional>

#include "console_discs.h"
#include "hotstitch/digest.h"
#include "hotstitch/file_io.h"
#include "hotstitch/part.h"

namespace {

using namespace hotstitch;

void put_little(std::string& bytes, std::size_t at, std::uint64_t value, unsigned count) {
    for (unsigned i = 0; i < count; ++i) bytes[at + i] = static_cast<char>(value >> (8 * i));
}

/// Half of it chance, half of it text-like: what discs with some films on them come to.
Bytes content(std::size_t size) {
    Bytes bytes = demo::junk(size, 3);
    for (std::size_t at = 0; at < size; ++at)
        if (at >> 12 & 1) bytes[at] &= std::byte{0x0F};
    return bytes;
}

std::string deflated(ByteView block, int bits) {
    z_stream stream{};
    deflateInit2(&stream, 6, Z_DEFLATED, bits, 8, Z_DEFAULT_STRATEGY);
    std::string out(deflateBound(&stream, static_cast<uLong>(block.size())), '\0');
    stream.next_in = reinterpret_cast<Bytef*>(const_cast<std::byte*>(block.data()));
    stream.avail_in = static_cast<uInt>(block.size());
    stream.next_out = reinterpret_cast<Bytef*>(out.data());
    stream.avail_out = static_cast<uInt>(out.size());
    deflate(&stream, Z_FINISH);
    out.resize(stream.total_out);
    deflateEnd(&stream);
    return out;
}

std::string lz4ed(ByteView block) {
    std::string out(static_cast<std::size_t>(LZ4_compressBound(static_cast<int>(block.size()))), '\0');
    out.resize(
        static_cast<std::size_t>(LZ4_compress_default(reinterpret_cast<const char*>(block.data()), out.data(),
                                                      static_cast<int>(block.size()), static_cast<int>(out.size()))));
    return out;
}

/// The same MiB of content again and again: what is measured is unpacking.
void write_short_list(const std::filesystem::path& path, ByteView unit, std::uint64_t size, std::size_t block,
                      bool lz4) {
    const std::uint64_t blocks = size / block;
    std::vector<std::string> packed;
    for (std::size_t at = 0; at < unit.size(); at += block)
        packed.push_back(lz4 ? lz4ed(unit.subspan(at, block)) : deflated(unit.subspan(at, block), -15));
    std::string head(24 + 4 * (blocks + 1), '\0');
    std::memcpy(head.data(), lz4 ? "ZISO" : "CISO", 4);
    put_little(head, 4, 0x18, 4), put_little(head, 8, size, 8), put_little(head, 16, block, 4), head[20] = 1;
    std::uint64_t at = head.size();
    for (std::uint64_t i = 0; i <= blocks; ++i) {
        put_little(head, 24 + 4 * i, at, 4);
        at += packed[i % packed.size()].size();
    }
    std::ofstream out(path, std::ios::binary);
    out << head;
    for (std::uint64_t i = 0; i < blocks; ++i) out << packed[i % packed.size()];
}

void write_zlib_list(const std::filesystem::path& path, ByteView unit, std::uint64_t size, std::size_t block) {
    const std::uint64_t blocks = size / block;
    std::vector<std::string> packed;
    for (std::size_t at = 0; at < unit.size(); at += block) packed.push_back(deflated(unit.subspan(at, block), 15));
    std::string head(32 + 12 * blocks, '\0');
    put_little(head, 0, 0xB10BC001, 4), put_little(head, 16, size, 8), put_little(head, 24, block, 4);
    put_little(head, 28, blocks, 4);
    std::uint64_t at = 0;
    for (std::uint64_t i = 0; i < blocks; ++i) {
        const std::string& one = packed[i % packed.size()];
        put_little(head, 32 + 8 * i, at, 8);
        put_little(head, 32 + 8 * blocks + 4 * i,
                   ::adler32(1, reinterpret_cast<const Bytef*>(one.data()), static_cast<uInt>(one.size())), 4);
        at += one.size();
    }
    put_little(head, 8, at, 8);
    std::ofstream out(path, std::ios::binary);
    out << head;
    for (std::uint64_t i = 0; i < blocks; ++i) out << packed[i % packed.size()];
}

double best_seconds(const std::function<void()>& work) {
    double best = 1e9;
    for (int i = 0; i < 3; ++i) {
        const auto begin = std::chrono::steady_clock::now();
        work();
        best = std::min(best, std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count());
    }
    return best;
}

/// Takes what is written and keeps one MiB of it.
class Taken final : public ByteSink {
public:
    void write(ByteView bytes) override { std::memcpy(into_.data(), bytes.data(), bytes.size()); }

private:
    Bytes into_ = Bytes(1 << 20);
};

}  // namespace

int main(int argc, char** argv) {
    const std::filesystem::path folder = argc > 1 ? argv[1] : ".";
    const std::uint64_t size = (argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 64 << 20) >> 20 << 20;
    const Bytes unit = content(1 << 20);
    write_short_list(folder / "deflate.cso", unit, size, 2048, false);
    write_short_list(folder / "lz4.zso", unit, size, 2048, true);
    write_zlib_list(folder / "zlib.gcz", unit, size, 32768);
    const Bytes volume = demo::table_disc(demo::console_files(1), {.later = true, .total = 64 * 0x7C00, .gap = 4096});
    constexpr std::uint64_t sparse = 4'300'000'000, clusters = (sparse - 0x70000) / 0x8000;
    const Bytes disc = demo::partition_disc(volume, clusters);
    std::ofstream(folder / "sparse.iso", std::ios::binary)
        .write(reinterpret_cast<const char*>(disc.data()), static_cast<std::streamsize>(disc.size()));
    std::filesystem::resize_file(folder / "sparse.iso", sparse);
    std::ofstream(folder / "keys.txt") << demo::key_file();

    Bytes from(unit), into(unit.size());
    const double copied = best_seconds([&] {
        for (std::uint64_t at = 0; at < size; at += unit.size()) std::memcpy(into.data(), from.data(), unit.size());
    });
    for (const char* const name : {"deflate.cso", "lz4.zso", "zlib.gcz"}) {
        const InputFile file(folder / name);
        const auto plain = plain_copy(borrowed(file));
        Taken sink;
        const double seconds = best_seconds([&] { write_source(*plain, sink); });
        const double mb = static_cast<double>(size) / 1e6;
        std::printf("%-12s %6.0f MB/s, %.3f of a copy in memory\n", name, mb / seconds, copied / seconds);
    }
}
