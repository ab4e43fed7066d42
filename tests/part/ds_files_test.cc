// SPDX-License-Identifier: MIT
// The file system of a DS cartridge by the public API: read, put in every way, broken. Made by demo/console_discs.cc.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <map>

#include "console_discs.h"
#include "digest/sums.h"
#include "hotstitch/change_list.h"
#include "hotstitch/error.h"
#include "hotstitch/part.h"
#include "lib/patch_makers.h"
#include "lib/rom_makers.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

std::vector<demo::DiscFile> files() {
    std::vector<demo::DiscFile> all = demo::console_files(1);
    for (demo::DiscFile& file : all) file.content.resize(std::min<std::size_t>(file.content.size(), 5000));
    all[2].path = "data/foghorn.bin", all[3].path = "data/gull.bin";
    return all;
}

std::map<std::string, Bytes> seen_in(const Bytes& rom) {
    std::map<std::string, Bytes> all;
    const MemorySource source(rom);
    open_container(source)->visit([&](const Part& part, const ExtractPart& extract) {
        MemorySink sink;
        extract(sink);
        if (part.kind == PartKind::file) all[part.name] = sink.take();
        return Flow::go_on;
    });
    return all;
}

unsigned number(ByteView rom, std::size_t at, unsigned bytes) {
    unsigned value = 0;
    while (bytes-- > 0) value = value << 8 | std::to_integer<unsigned>(rom[at + bytes]);
    return value;
}

struct Row {
    const char* name;
    const char* part;
    std::size_t size;
    const char* how;
    bool trimmed = false;
};
constexpr Row rows[] = {{"the same size", "data/berths.bin", 5000, "in-place"},
                        {"smaller", "data/berths.bin", 10, "in-place"},
                        {"into the padding behind it", "data/messages.txt", 500, "in-place"},
                        {"behind all", "data/messages.txt", 6000, "moved"},
                        {"behind all, larger than the ROM", "data/messages.txt", 300'000, "moved"},
                        {"behind all of a trimmed ROM", "data/messages.txt", 6000, "moved", true},
                        {"an overlay, in its place", "overlay9/0000", 510, "in-place"},
                        {"an overlay, behind all", "overlay9/0000", 2000, "moved"},
                        {"the second program", "arm7", 1300, "in-place"},
                        {"the banner", "banner", 0x840, "in-place"}};

TEST(DsFiles, ComeInAndWhatDependsOnThemFollows) {
    for (const Row& row : rows) {
        SCOPED_TRACE(row.name);
        const Bytes rom = demo::file_cartridge(files(), row.trimmed);
        auto wanted = seen_in(rom);
        ASSERT_EQ(wanted.size(), 4 + files().size()) << "both programs, banner, overlay, files";
        for (const demo::DiscFile& file : files()) EXPECT_EQ(wanted[file.path], file.content) << file.path;
        const MemorySource source(rom);
        const auto container = open_container(source);
        Bytes content = demo::junk(row.size, 31);
        const bool banner = std::string_view(row.part) == "banner";
        if (banner) content[0] = std::byte{1}, content[1] = std::byte{0};
        const PutResult result = container->put(find_part(*container, row.part), owned(content), {});
        EXPECT_EQ(result.how, row.how);
        const Bytes made = changed(rom, result.change);
        if (banner) {
            const unsigned check = crc16(ByteView(content).subspan(0x20));
            content[2] = static_cast<std::byte>(check), content[3] = static_cast<std::byte>(check >> 8);
        }
        wanted[row.part] = content;
        EXPECT_EQ(seen_in(made), wanted);
        const Identity identity = identify(made);
        EXPECT_TRUE(all_checks_right(identity)) << "the header's CRC";
        EXPECT_GE(*identity.declared_size, made.size());
        EXPECT_LE(*identity.used_size, made.size());
        if (!row.trimmed) {
            EXPECT_EQ(made.size() & (made.size() - 1), 0U) << "a power of two";
        }
        if (row.trimmed) {
            EXPECT_LT(made.size(), rom.size() + 7000) << "no larger than it must be";
        }
        if (row.size < 6000) {
            EXPECT_TRUE(row.trimmed || made.size() == rom.size());
        }
        if (std::string_view(row.part).starts_with("overlay")) {
            EXPECT_EQ(number(made, number(made, 0x50, 4) + 8, 4), row.size) << "its size in memory";
        }
        if (std::string_view(row.part) == "arm7") {
            EXPECT_EQ(number(made, 0x3C, 4), row.size);
        }
    }
}

TEST(DsFiles, WhatHasToStayIsRefusedWhereItDoesNotFit) {
    const Bytes rom = demo::file_cartridge(files(), false);
    const MemorySource source(rom);
    const auto container = open_container(source);
    for (const auto& [part, size] :
         {std::pair("arm9", std::size_t{9000}), {"arm7", std::size_t{9000}}, {"banner", std::size_t{100}}})
        EXPECT_THROW((void)container->put(find_part(*container, part), owned(demo::junk(size, 1)), {}), Error) << part;
    EXPECT_THROW((void)container->put(find_part(*container, "data/messages.txt"), owned(demo::junk(9000, 1)),
                                      {.room = Room::place}),
                 Error);
    EXPECT_THROW((void)container->put(find_part(*container, "data/messages.txt"), owned(demo::junk(9000, 1)),
                                      {.room = Room::rebuild}),
                 Error);
}

/// A file whose place is, by a table that lies, that of a table or of the header: it goes elsewhere, and nothing
/// breaks.
TEST(DsFiles, NothingIsWrittenOverTheTables) {
    const Bytes rom = demo::file_cartridge(files(), false);
    const std::size_t allocation = number(rom, 0x48, 4), entries = number(rom, 0x4C, 4) / 8;
    for (const std::size_t over : {allocation, std::size_t{number(rom, 0x40, 4)}, std::size_t{0x100}}) {
        Bytes lying = rom;
        for (unsigned i = 0; i < 4; ++i) {
            lying[allocation + 8 * (entries - 1) + i] = static_cast<std::byte>(over >> (8 * i));
            lying[allocation + 8 * (entries - 1) + 4 + i] = static_cast<std::byte>((over + 40) >> (8 * i));
        }
        const MemorySource source(lying);
        const auto container = open_container(source);
        auto wanted = seen_in(lying);
        const auto changed_one =
            std::find_if(wanted.begin(), wanted.end(), [](const auto& f) { return f.second.size() == 40; });
        ASSERT_NE(changed_one, wanted.end());
        const std::string name = changed_one->first;
        const PutResult put = container->put(find_part(*container, name), owned(demo::junk(20, 5)), {});
        EXPECT_EQ(put.how, "moved");
        wanted[name] = demo::junk(20, 5);
        EXPECT_EQ(seen_in(changed(lying, put.change)), wanted) << over;
        EXPECT_THROW((void)container->put(find_part(*container, name), owned(demo::junk(20, 5)), {.room = Room::place}),
                     Error);
    }
}

/// 55,000 files below 31 long names: 200 MB of paths in a ROM of a megabyte.
TEST(DsFiles, PathsAreBounded) {
    constexpr unsigned depth = 31, count = 55'000;
    Bytes rom = demo::file_cartridge(files(), false), table, names;
    const auto little = [](Bytes& bytes, std::size_t value, unsigned length) {
        for (unsigned i = 0; i < length; ++i) bytes.push_back(static_cast<std::byte>(value >> (8 * i)));
    };
    const auto name = [](Bytes& bytes, const std::string& text, bool folder) {
        bytes.push_back(static_cast<std::byte>(text.size() | (folder ? 0x80U : 0U)));
        const ByteView letters = bytes_of(text);
        bytes.insert(bytes.end(), letters.begin(), letters.end());
    };
    for (unsigned i = 0; i <= depth; ++i) {
        little(table, 8 * (depth + 1) + names.size(), 4), little(table, 0, 2);
        little(table, i == 0 ? depth + 1 : 0xF000 + i - 1, 2);
        if (i < depth)
            name(names, std::string(127, static_cast<char>('a' + i % 26)), true), little(names, 0xF001 + i, 2);
        else
            for (unsigned f = 0; f < count; ++f) name(names, fmt::format("{:04X}", f), false);
        names.push_back(std::byte{0});
    }
    const auto append = [&](std::size_t field, const Bytes& bytes) {
        for (unsigned i = 0; i < 4; ++i) {
            rom[field + i] = static_cast<std::byte>(rom.size() >> (8 * i));
            rom[field + 4 + i] = static_cast<std::byte>(bytes.size() >> (8 * i));
        }
        rom.insert(rom.end(), bytes.begin(), bytes.end());
    };
    table.insert(table.end(), names.begin(), names.end());
    append(0x40, table);
    Bytes places;
    for (unsigned f = 0; f < count; ++f) little(places, 0x200, 4), little(places, 0x210, 4);
    append(0x48, places);
    const MemorySource source(rom);
    std::uint64_t paths = 0;
    for (const Part& part : open_container(source)->parts()) paths += part.name.size();
    EXPECT_GT(paths, 15U << 20);
    EXPECT_LT(paths, 17U << 20);
}

TEST(DsFiles, AStaleBannerIsSeenAndMended) {
    Bytes rom = demo::file_cartridge(files(), false);
    const std::size_t banner = number(rom, 0x68, 4);
    rom[banner + 0x100] ^= std::byte{1};
    const Identity stale = identify(rom);
    EXPECT_FALSE(all_checks_right(stale));
    const Bytes made = makers::mended(rom, {{"checksum", ""}});
    EXPECT_TRUE(all_checks_right(identify(made)));
    EXPECT_EQ(differing_ranges(rom, made).size(), 1U) << "the banner's CRC alone";
}

TEST(DsFiles, TablesThatLieAreReadAsFarAsTheyAreRight) {
    const Bytes rom = demo::file_cartridge(files(), false);
    const std::size_t names = number(rom, 0x40, 4), allocation = number(rom, 0x48, 4);
    struct Lie {
        const char* name;
        std::size_t at;
        std::uint32_t value;
        unsigned bytes;
        const char* said;
    };
    const Lie lies[] = {{"an allocation table outside", 0x48, 0x7FFFFFFF, 4, "allocation table lies outside"},
                        {"names outside", 0x40, 0x7FFFFFFF, 4, "table of names lies outside"},
                        {"a folder's names outside", names, 0x7FFFFFFF, 4, "has no end"},
                        {"a folder in itself", names + 16 + 12 + 5, 0xF000, 2, "lies in itself"},
                        {"a folder that is not there", names + 16 + 12 + 5, 0xF0FF, 2, "not in the table of names"},
                        {"file numbers that are not there", names + 4, 0xE000, 2, "no place in the allocation table"},
                        {"a file that ends before it begins", allocation + 8 + 4, 1, 4, "lies outside the ROM"},
                        {"overlays outside", 0x50, 0x7FFFFFFF, 4, "table of overlays 9 lies outside"},
                        {"a program outside", 0x20, 0x7FFFFFFF, 4, "arm9 lies outside"}};
    for (const Lie& lie : lies) {
        SCOPED_TRACE(lie.name);
        Bytes broken = rom;
        for (unsigned i = 0; i < lie.bytes; ++i) broken[lie.at + i] = static_cast<std::byte>(lie.value >> (8 * i));
        const unsigned check = crc16(ByteView(broken).first(0x15E));
        broken[0x15E] = static_cast<std::byte>(check), broken[0x15F] = static_cast<std::byte>(check >> 8);
        const MemorySource source(broken);
        const auto container = open_container(source);
        ASSERT_NE(container, nullptr);
        std::string said;
        for (const std::string& warning : container->warnings()) said += warning + "\n";
        EXPECT_NE(said.find(lie.said), std::string::npos) << said;
        for (const Part& part : container->parts())
            if (part.offset) {
                EXPECT_LE(*part.offset + *part.size, broken.size());
            }
    }
}

}  // namespace
}  // namespace hotstitch
