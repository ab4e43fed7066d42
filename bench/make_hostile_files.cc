// SPDX-License-Identifier: MIT
// make_hostile_files FOLDER: small files that ask for much. refused/: patches, each to be refused soon and in little
// memory. large/: patches of a few bytes that make a gibibyte, which is allowed and has to cost little more than
// writing it. archives/: each to be refused or looked through in two seconds and 256 MiB.
// inside/: executables and packed files that claim too much, each to be refused in a second and 64 MiB.
#include <zlib.h>

#include <algorithm>
#include <cstdio>
#include <filesystem>
#include <fstream>

#include "disc.h"
#include "executables.h"
#include "hotstitch/digest.h"
#include "lib/archive_makers.h"
#include "lib/patch_makers.h"
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

/// A BPS patch of a source of that size: a few bytes, then a copy of the target from so far back.
std::string repeating_copy(hotstitch::ByteView source, std::string_view stretch, std::uint64_t size) {
    using namespace makers;
    std::string body = "BPS1" + vlv(source.size()) + vlv(size) + vlv(0) + bps_action(1, stretch.size()) +
                       std::string(stretch) + bps_action(3, size - stretch.size()) + bps_move(0);
    hotstitch::Crc32 sum;
    std::string block;
    while (block.size() < (1U << 20)) block += stretch;
    std::uint64_t left = size;
    for (; left >= block.size(); left -= block.size()) sum = hotstitch::crc32(hotstitch::bytes_of(block), sum);
    sum = hotstitch::crc32(hotstitch::bytes_of(block).first(left), sum);
    const auto little = [](std::uint32_t value) {
        std::string text = big_endian(value, 4);
        return std::string(text.rbegin(), text.rend());
    };
    body += little(hotstitch::crc32(source).value) + little(sum.value);
    return body + little(hotstitch::crc32(hotstitch::bytes_of(body)).value);
}

void put_archives(const std::filesystem::path& folder) {
    using namespace makers;
    const auto put = [&](const char* name, const std::string& bytes) {
        std::ofstream(folder / name, std::ios::binary) << bytes;
    };
    const std::string zeros(256 << 20, '\0'), tar = tar_header("f", zeros.size()) + zeros + tar_end();
    std::string names, folders, files, nested = zeros;
    for (int i = 0; i < 200; ++i)
        names += tar_header("@LongLink", 1 << 20, 'L') + std::string(1 << 20, static_cast<char>('a' + i % 26)) +
                 tar_header("n", 0);
    for (int i = 0; i < 100'000; ++i)
        folders += tar_header(std::string("d").append(std::to_string(i)).append("/"), 0, '5');
    for (int i = 0; i < 60'000; ++i) files += tar_header(std::string("f").append(std::to_string(i)), 0);
    for (int i = 0; i < 5; ++i) nested = gzipped(nested);
    std::string streams;
    const std::string one = bzipped(zeros.substr(0, 900'000));
    while (streams.size() < 900'000) streams += one;
    put("a quarter gibibyte of zeros.gz", gzipped(zeros));
    put("a quarter gibibyte of zeros.bz2", bzipped(zeros));
    put("a quarter gibibyte of zeros.xz", xzed(zeros));
    put("zeros passed over.tar.bz2", bzipped(tar));
    put("packed five times.gz", nested);
    put("many streams.bz2", streams);
    put("names of 1 MiB.tar.gz", gzipped(names + tar_end()));
    put("100,000 folders.tar.xz", xzed(folders + tar_end()));
    put("60,000 files.tar.xz", xzed(files + tar_end()));
    put("a hole of 7 GiB.tar", sparse_tar(std::uint64_t{7} << 30));
    // Just below the ratio of a bomb: noise among the zeros.
    std::string below;
    Random random(3);
    for (int i = 0; i < 16'000; ++i) {
        below += std::string(50'000, '\0');
        for (int j = 0; j < 40; ++j) below += static_cast<char>(random());
    }
    put("just below the ratio.gz", gzipped(below));
}

std::string text(const hotstitch::Bytes& bytes) {
    return std::string(hotstitch::text_of(bytes));
}

/// `file` with a number set, then zeros up to `size`.
std::string with(hotstitch::Bytes file, std::size_t at, std::uint64_t value, std::size_t width, std::size_t size = 0) {
    demo::put_number(file, at, value, width);
    file.resize(std::max(file.size(), size));
    return text(file);
}

/// Executables and payloads.
template <class Put>
void put_inside(const Put& put) {
    constexpr std::size_t megabytes = 16 << 20, sections = demo::pe_optional + 96 + 128;
    put("PE of 65535 sections", with(demo::pe(), 0x80 + 6, 0xFFFF, 2, megabytes));
    put("PE with a section of 4 GiB", with(demo::pe(), sections + 16, 0xFFFFFFFF, 4));
    put("PE with a certificate table of 4 GiB",
        with(demo::pe({.certificates = 8}), demo::pe_optional + 96 + 36, 0xFFFFFFFF, 4));
    put("ELF of 65534 segments", with(demo::elf(), 56, 0xFFFE, 2, megabytes));
    put("ELF with sections far behind its end", with(demo::elf(), 40, UINT64_MAX - 63, 8, megabytes));
    put("ELF with a segment of 2^63", with(demo::elf(), 64 + 32, std::uint64_t{1} << 63, 8));
    put("PS-X of 4 GiB", with(demo::ps_x(), 0x1C, 0xFFFFFFFF, 4));
    put("Yaz0 of 4 GiB", std::string("Yaz0\xFF\xFF\xFF\xFF", 8) + std::string(megabytes, '\0'));
    put("Yaz0 that copies from nowhere", std::string("Yaz0\x00\xFF\xFF\xFF\0\0\0\0\0\0\0\0\0\x1F\xFF", 19));
    put("LZ10 of 16 MiB and damage",
        std::string("\x10\xFF\xFF\xFF", 4) + repeated(std::string("\0zzzzzzzz", 9), 200'000) + "\x80\xFF\xFF");
    put("LZ11 of 4 GiB", std::string("\x11\0\0\0\xFF\xFF\xFF\xFF\x40z\x1F\xFF\xF0\0", 14) +
                             repeated(std::string("\xFF\x1F\xFF\xF0\0\x1F\xFF\xF0\0\x1F\xFF\xF0\0\x1F\xFF\xF0\0\x1F\xFF"
                                                  "\xF0\0\x1F\xFF\xF0\0\x1F\xFF\xF0\0\x1F\xFF\xF0\0",
                                                  33),
                                      9));
    put("Huffman of one endless code", std::string("\x28\xFF\xFF\xFF\1\xC0KK", 8) + std::string(megabytes / 16, '\0'));
    std::vector<unsigned char> packed(1 << 20);
    uLongf size = static_cast<uLongf>(packed.size());
    const std::string zeros(512 << 20, '\0');
    compress2(packed.data(), &size, reinterpret_cast<const unsigned char*>(zeros.data()), zeros.size(), 9);
    put("zlib that unpacks to 512 MiB",
        std::string(packed.begin(), packed.begin() + static_cast<std::ptrdiff_t>(size)));
}

/// Discs that lie: to be read as far as they are right.
template <class Put>
void put_discs(const Put& put) {
    constexpr std::size_t sector = 2048, root_extent = 16 * sector + 158, root_size = root_extent + 8, root = 20;
    const hotstitch::Bytes disc = demo::disc({{"A/B.BIN", hotstitch::Bytes(100)}}, {.joliet = false});
    put("a root of 4 GiB.iso", with(disc, root_size, 0xFFFFF800, 4, 32 << 20));
    // A folder full of records, each a folder again: the same one, or one that begins in the middle of it.
    std::string loops = text(disc);
    loops.resize(root * sector);
    std::string folder;
    for (unsigned i = 0; i < 30'000; ++i) {
        std::string record(46, '\0');
        record[0] = 46, record[25] = 2, record[32] = 12;
        for (int b = 0; b < 4; ++b) {
            record[static_cast<std::size_t>(2 + b)] = record[static_cast<std::size_t>(9 - b)] =
                static_cast<char>((root + i % 600) >> (8 * b));
            record[static_cast<std::size_t>(10 + b)] = record[static_cast<std::size_t>(17 - b)] =
                static_cast<char>((std::size_t{600} * sector) >> (8 * b));
        }
        record.replace(33, 12, "FOLDER" + std::to_string(100'000 + i));
        if (folder.size() % sector + record.size() > sector) folder.resize((folder.size() / sector + 1) * sector);
        folder += record;
    }
    loops += folder;
    loops.resize((root + 700) * sector);
    hotstitch::Bytes bytes(loops.size());
    std::transform(loops.begin(), loops.end(), bytes.begin(), [](char c) { return static_cast<std::byte>(c); });
    put("30,000 folders in each other.iso", with(bytes, root_size, 600 * sector, 4));
    put("a sheet of a mebibyte.cue",
        "FILE \"a.bin\" BINARY\nTRACK 01 AUDIO\n" + repeated("INDEX 01 00:00:00\n", 55'000));
}

/// Number of `count` bytes, high byte first.
std::string big(std::uint64_t value, unsigned count) {
    std::string bytes;
    for (unsigned i = count; i-- > 0;) bytes += static_cast<char>(value >> (8 * i));
    return bytes;
}
std::string little(std::uint64_t value, unsigned count) {
    const std::string bytes = big(value, count);
    return {bytes.rbegin(), bytes.rend()};
}

/// A disc with this table of files.
std::string with_table(const std::string& table) {
    std::string disc(0x3000, '\0');
    disc.replace(0, 6, "GKHP99");
    disc.replace(0x1C, 4, big(0xC2339F3D, 4));
    disc.replace(0x424, 8, big(0x3000, 4) + big(table.size(), 4));
    return disc + table;
}

template <class Put>
void put_console_files(const Put& put) {
    // A million files in 30 folders, one in the other, each with a name of 250 letters.
    constexpr unsigned files = 200'000, depth = 30;
    std::string entries = big(0x01000000, 4) + big(0, 4) + big(files + depth + 1, 4);
    for (unsigned i = 0; i < depth; ++i) entries += big(0x01000000, 4) + big(i, 4) + big(files + depth + 1, 4);
    for (unsigned i = 0; i < files; ++i) entries += big(0, 4) + big(0x100, 4) + big(0x100, 4);
    put("200,000 long names in 30 folders.gcm", with_table(entries + std::string(250, 'k') + '\0'));
    put("a table of one name without an end.gcm",
        with_table(big(0x01000000, 4) + big(0, 4) + big(2, 4) + big(0, 4) + big(0, 8) + std::string(20 << 20, 'k')));
    // Maps and indexes that say much.
    std::string map(0x8000, '\1');
    map.replace(0, 8, "CISO" + little(0x400000, 4));
    put("a map of 128 GiB.ciso", map + std::string(1000, '\0'));
    put("an index of a billion blocks.cso", "CISO" + little(0x18, 4) + little(std::uint64_t{1} << 36, 8) +
                                                little(512, 4) + little(1, 4) + std::string(1 << 20, '\1'));
    const std::string index = "CISO" + little(0x18, 4) + little(8 << 20, 8) + little(8 << 20, 4) + little(1, 4) +
                              little(32, 4) + little(32 + 100, 4);
    put("a block that is no deflate.cso", index + std::string(100, '\xFF'));
    // Chunks in chunks, and very many.
    std::string chunk = "KELP";
    for (int i = 0; i < 20'000; ++i) chunk = "KELPLIST" + little(chunk.size(), 4) + chunk;
    put("20,000 lists in each other.riff", "RIFF" + little(chunk.size(), 4) + chunk);
    const std::string many = "KELP" + repeated("kelp" + little(0, 4), 1'000'000);
    put("a million empty chunks.riff", "RIFF" + little(many.size(), 4) + many);
}

/// Maps that ask for much, for a file of zeros of 16 MiB.
template <class Put>
void put_maps(const Put& put) {
    const std::string head = "hotstitch-map = 1\n", field = "[[table.t.field]]\nname = \"x\"\nat = 0\ntype = \"u8\"\n";
    put("2^32 records", head + "[table.t]\nat = 0\nstride = 1\ncount = 4294967296\n" + field);
    put("a million values", head + "x = [" + repeated("1,", 1'000'000) + "]\n");
    put("a thousand lists in lists", head + "x = " + std::string(1000, '[') + "\n");
    put("keys of a thousand parts", head + repeated("a.", 1000) + "a = 1\n");
    put("a text of 9 MiB", head + "title = \"" + std::string(9 << 20, 'a') + "\"\n");
    put("a pattern everywhere", head + "[table.t]\nat = {find = \"" + repeated("00", 63) + "01\"}\n" + field);
    put("an end that never comes", head + "[table.t]\nat = 0\nstride = 1\ncount = {until = \"01\"}\n" + field);
    put("a million pointers to one place",
        head + "[table.t]\nat = 4096\ncount = 1000000\nvia = {type = \"u8\", plus = 4096}\n" + field);
    std::string tables = head;
    for (int i = 0; i < 400; ++i) {
        std::string table = "[table.t" + std::to_string(i) + "]\nat = 0\nstride = 4\ncount = 1000000\n" + field;
        table.replace(table.find("table.t.field"), 13, "table.t" + std::to_string(i) + ".field");
        tables += table;
    }
    put("400 tables over one another", tables);
    put("a hundred thousand members of everything",
        head + "[members.m]\nat = 0\nstride = 1\ncount = 1000000\nnext = true\noffset = {at = 0, type = \"u8\"}\n");
}

/// Edit lists that ask for much, for the same file.
template <class Put>
void put_edit_lists(const Put& put) {
    const std::string head = "hotstitch-edits = 1\n", edit = "[[edit]]\nat = 0\nold = \"01\"\nnew = \"02\"\n";
    put("fifty thousand edits", head + repeated(edit, 50'000));
    put("edits that overlap", head + repeated(edit, 20'000));
    put("patterns that are everywhere",
        head + repeated("[[edit]]\nfind = \"" + repeated("00", 63) + "01\"\nnew = \"02\"\n", 20));
    put("an offset past all files", head + "[[edit]]\nat = 9223372036854775807\nnew = \"02\"\n");
    put("a text of 9 MiB", head + "title = \"" + std::string(9 << 20, 'a') + "\"\n");
    put("strings that do not end", head + repeated("x = \"\"\"\n", 100'000));
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) {
        std::fputs("usage: make_hostile_files FOLDER\n", stderr);
        return 2;
    }
    std::filesystem::path folder = argv[1];
    for (const char* name : {"refused", "large", "archives", "inside", "discs", "consoles", "maps", "edits"})
        std::filesystem::create_directories(folder / name);
    put_archives(folder / "archives");
    folder /= "refused";
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
    folder.replace_filename("inside");
    put_inside(put);
    folder.replace_filename("discs");
    put_discs(put);
    folder.replace_filename("consoles");
    put_console_files(put);
    folder.replace_filename("maps");
    put_maps(put);
    folder.replace_filename("edits");
    put_edit_lists(put);
    folder.replace_filename("large");
    std::string source;
    for (int i = 0; i < 5000; ++i) source += "Kelp Harbour";
    const hotstitch::ByteView bytes = hotstitch::bytes_of(source);
    constexpr std::uint64_t gibibyte = 1 << 30;
    put("one byte again and again", repeating_copy(bytes, "z", gibibyte));
    put("seven bytes again and again", repeating_copy(bytes, "harbour", gibibyte));
    put("a run in each window", vcdiff_header() + repeated(long_run(), 16));
    std::string records = "IPS32";
    for (std::uint64_t at = 0; at < gibibyte - 65535; at += 65535) records += makers::ips_run(at, 65535, 'z', 4);
    put("run records", records + "EEOF");
    return 0;
}
