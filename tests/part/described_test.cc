// SPDX-License-Identifier: MIT
// Archives and payloads that a map describes: read, put into in every way of making room, refused.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <map>

#include "data_files.h"
#include "hotstitch/error.h"
#include "hotstitch/fields.h"
#include "hotstitch/part.h"
#include "lib/patch_makers.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

/// An archive: 8 bytes, so many entries of offset (in units), size and a letter, then members, each aligned.
struct Archive {
    unsigned unit = 16;
    bool next = false;  ///< no sizes: each member reaches to the next
    std::vector<std::string> members{"alpha", "beta beta beta beta", "gamma"};

    Bytes file() const {
        Bytes out(8 + 12 * members.size());
        const auto align = [&] { out.resize((out.size() + unit - 1) / unit * unit, std::byte{0xEE}); };
        align();
        out[4] = static_cast<std::byte>(members.size());
        for (std::size_t i = 0; i < members.size(); ++i) {
            const std::size_t entry = 8 + 12 * i;
            out[entry] = static_cast<std::byte>(out.size() / unit);
            out[entry + 4] = static_cast<std::byte>(members[i].size());
            out[entry + 8] = static_cast<std::byte>('a' + i);
            for (const char c : members[i]) out.push_back(static_cast<std::byte>(c));
            if (!next) align();
        }
        return out;
    }
    std::string map(std::string_view more = "") const {
        return fmt::format(
            "hotstitch-map = 1\n[members.files]\nat = 8\ncount = {{at = 4, type = \"u32\"}}\nstride = 12\noffset = "
            "{{at = 0, type = \"u32\", unit = {}}}\n{}\nname = {{at = 8, type = \"text\", length = 4}}\nalign = "
            "{}\npad = 0xEE\n{}",
            unit, next ? "next = true" : "size = {at = 4, type = \"u32\"}", unit, more);
    }
};

Limits limits_for(const std::string& map) {
    Limits limits;
    auto maps = std::make_shared<Maps>();
    maps->add(read_map(map, "files.map.toml"));
    limits.maps = maps;
    return limits;
}

std::map<std::string, std::string> parts_of(const Bytes& file, const Limits& limits) {
    const MemorySource source(file);
    const auto container = open_container(source, limits);
    std::map<std::string, std::string> parts;
    container->visit([&](const Part& part, const ExtractPart& extract) {
        MemorySink sink;
        extract(sink);
        parts[part.name] = text_of(sink.bytes());
        return Flow::go_on;
    });
    return parts;
}

Bytes with(const Bytes& file, const std::string& part, const Bytes& content, const Limits& limits, Room room,
           std::string_view* how = nullptr) {
    const MemorySource source(file), now(content);
    const auto container = open_container(source, limits);
    const PutResult result = container->put(find_part(*container, part), borrowed(now), {.room = room});
    if (how != nullptr) *how = result.how;
    return changed(file, result.change);
}

TEST(Described, EveryMemberInEveryRoom) {
    for (const unsigned unit : {1U, 16U, 64U})
        for (const bool next : {false, true}) {
            if (next && unit != 1) continue;  // what fills up would belong to the member
            Archive archive{.unit = unit, .next = next};
            const Limits limits = limits_for(archive.map());
            const Bytes file = archive.file();
            std::map<std::string, std::string> wanted{
                {"files/a", archive.members[0]}, {"files/b", archive.members[1]}, {"files/c", archive.members[2]}};
            ASSERT_EQ(parts_of(file, limits), wanted);
            for (const auto& [name, before] : wanted)
                for (const std::size_t size :
                     {std::size_t{0}, before.size(), before.size() - 2, before.size() + 1, std::size_t{200}})
                    for (const Room room : {Room::any, Room::append, Room::rebuild}) {
                        SCOPED_TRACE(fmt::format("unit {}, next {}, {} to {} bytes, room {}", unit, next, name, size,
                                                 static_cast<int>(room)));
                        if (next && size == 0) continue;  // two members at one place
                        const std::string content(size, 'x');
                        std::string_view how;
                        const Bytes after = with(file, name, makers::bytes(content), limits, room, &how);
                        auto now = wanted;
                        now[name] = content;
                        EXPECT_EQ(parts_of(after, limits), now) << how;
                        if (size == before.size()) {
                            EXPECT_EQ(after.size(), file.size());
                        }
                        // The other members keep their bytes where they are asked to stay.
                        if (how == "in-place" && name != "files/c") {
                            EXPECT_EQ(after.size(), file.size());
                        }
                    }
        }
}

TEST(Described, APlaceThatIsTooSmallIsRefused) {
    const Archive archive{};
    const Limits limits = limits_for(archive.map());
    EXPECT_THROW(with(archive.file(), "files/a", Bytes(17), limits, Room::place), Error);
    EXPECT_NO_THROW(with(archive.file(), "files/a", Bytes(16), limits, Room::place));  // its padding is its room
    Bytes used = archive.file();
    used[48 + 7] = std::byte{1};  // something stands in the padding of the first
    EXPECT_EQ(parts_of(used, limits)["files/a"], "alpha");
    EXPECT_THROW(with(used, "files/a", Bytes(16), limits, Room::place), Error);
    // Offsets of one byte cannot say so large a place.
    std::string small = archive.map();
    small.replace(small.find("u32\", unit"), 3, "u8\" , unit");
    small.replace(small.find("u8\" , unit"), 10, "u8\", unit");
    small.erase(small.find("u8\", unit") + 3, 0);
    Bytes large = archive.file();
    large.resize(256 * 16, std::byte{0xEE});
    EXPECT_THROW(with(large, "files/b", Bytes(300), limits_for(small), Room::append), Error);
}

TEST(Described, AMemberThatIsAnothersTooGetsAPlaceOfItsOwn) {
    const Archive archive{};
    Bytes file = archive.file();
    file[8 + 24] = file[8], file[8 + 28] = file[8 + 4];  // the third entry says what the first does
    const Limits limits = limits_for(archive.map());
    ASSERT_EQ(parts_of(file, limits)["files/c"], "alpha");
    std::string_view how;
    const Bytes after = with(file, "files/c", makers::bytes("omega"), limits, Room::any, &how);
    EXPECT_EQ(how, "moved");
    EXPECT_EQ(parts_of(after, limits)["files/a"], "alpha");
    EXPECT_EQ(parts_of(after, limits)["files/c"], "omega");
    EXPECT_THROW(with(file, "files/c", makers::bytes("omega"), limits, Room::place), Error);
}

TEST(Described, TablesBehindAMemberDoNotMove) {
    const Archive archive{};
    Bytes file = archive.file();
    const std::size_t table = file.size();
    file.resize(table + 4);
    const Limits limits = limits_for(archive.map(
        fmt::format("[table.t]\nat = {}\n[[table.t.field]]\nname = \"x\"\nat = 0\ntype = \"u32\"\n", table)));
    EXPECT_THROW(with(file, "files/a", Bytes(300), limits, Room::rebuild), Error);
    const Bytes after = with(file, "files/a", Bytes(300), limits, Room::append);
    EXPECT_EQ(parts_of(after, limits)["files/a"].size(), 300U);
}

TEST(Described, PackedMembersAndPayloads) {
    // Two members, each packed by RLE of the consoles: a header of four bytes, then runs.
    const auto packed = [](char letter, unsigned times) {
        return std::string{"\x30", 1} + static_cast<char>(times) + std::string(2, '\0') +
               static_cast<char>(0x80 | (times - 3)) + letter + std::string(2, '\0');
    };
    Archive archive{.unit = 4, .members = {packed('k', 40), packed('h', 50)}};
    std::string longer(60, 'z');
    longer += "and more of it";
    for (const bool both : {false, true}) {
        std::string map = archive.map("codec = \"rle\"\n");
        if (both) map.replace(map.find("size = {at = 4, type = \"u32\"}"), 29, "stored = {at = 4, type = \"u32\"}");
        const Limits limits = limits_for(map);
        const Bytes file = archive.file();
        EXPECT_EQ(parts_of(file, limits)["files/a"], std::string(40, 'k'));
        const MemorySource source(file);
        const auto container = open_container(source, limits);
        const SharedSource stored = container->stored(find_part(*container, "files/a"));
        EXPECT_EQ(text_of(WholeView(*stored).bytes()), archive.members[0]) << "as it is stored";
        const Bytes after = with(file, "files/a", makers::bytes(longer), limits, Room::any);
        EXPECT_EQ(parts_of(after, limits)["files/a"], longer);
        EXPECT_EQ(parts_of(after, limits)["files/b"], std::string(50, 'h'));
    }
    const Limits wrong = limits_for(archive.map("codec = \"yaz0\"\n"));
    try {
        parts_of(archive.file(), wrong);
        FAIL();
    } catch (const Error& error) {
        EXPECT_NE(std::string(error.what()).find("files.map.toml, line 2"), std::string::npos) << error.what();
    }
}

TEST(Described, AChecksumOfTheMapFollows) {
    const Bytes file = demo::harbour_data(false);
    Limits limits;
    auto maps = std::make_shared<Maps>();
    maps->add(read_map(demo::map_of(false), "kelp.map.toml",
                       [](const std::string&) { return makers::bytes(demo::letters()); }));
    limits.maps = maps;
    makers::Random random(3);
    for (const Room room : {Room::any, Room::append}) {
        const Bytes after = with(file, "sounds/GULLS", makers::file_like(random, 220), limits, room);
        unsigned sum = 0;
        for (std::size_t i = 0x20; i < 0x1000; ++i) sum += std::to_integer<unsigned>(after[i]);
        EXPECT_EQ(sum & 0xFFFF, std::to_integer<unsigned>(after[0x10]) | std::to_integer<unsigned>(after[0x11]) << 8);
    }
}

TEST(Described, BrokenEntriesNameTheMap) {
    const Archive archive{};
    struct Row {
        std::size_t at;
        unsigned value;
        const char* says;
    };
    for (const Row& row : {Row{8, 250, "over the end of the file"},
                           {12, 255, "over the end of the file"},
                           {4, 200, "over the end of the file"},
                           {7, 1, "more records"}}) {
        Bytes file = archive.file();
        file[row.at] = static_cast<std::byte>(row.value);
        try {
            parts_of(file, limits_for(archive.map()));
            FAIL() << row.at;
        } catch (const Error& error) {
            EXPECT_EQ(error.code(), ErrorCode::damaged);
            EXPECT_NE(std::string(error.what()).find(row.says), std::string::npos) << error.what();
            EXPECT_TRUE(std::string(error.what()).starts_with("files.map.toml, line ")) << error.what();
        }
    }
    // Any bytes: an error or parts, within the file.
    makers::Random random(4);
    for (int round = 0; round < 2000; ++round) {
        Bytes file = archive.file();
        for (std::uint64_t n = 1 + makers::below(random, 4); n > 0; --n)
            file[makers::below(random, 44)] = static_cast<std::byte>(random());
        try {
            const Limits limits = limits_for(archive.map());
            for (const auto& [name, content] : parts_of(file, limits)) {
                const Bytes after = with(file, name, Bytes(40), limits, round % 2 == 0 ? Room::append : Room::rebuild);
                EXPECT_FALSE(after.empty());
            }
        } catch (const Error&) {
        }
    }
}

}  // namespace
}  // namespace hotstitch
