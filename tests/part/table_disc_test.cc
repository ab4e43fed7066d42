// SPDX-License-Identifier: MIT
// Discs with a table of files, plain and in encrypted partitions, by the public API. They are made, and read again
// after each change, by demo/console_discs.cc and demo/partition_disc.cc, which have readers, a cipher and a hash of
// their own.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <map>

#include "console_discs.h"
#include "executables.h"
#include "hotstitch/change_list.h"
#include "hotstitch/disc.h"
#include "hotstitch/error.h"
#include "hotstitch/keys.h"
#include "hotstitch/mend.h"
#include "hotstitch/part.h"
#include "lib/patch_makers.h"
#include "lib/rom_makers.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

using Files = std::map<std::string, Bytes>;

Limits with_keys(const std::string& text = demo::key_file()) {
    Limits limits;
    limits.keys = std::make_shared<const Keys>(read_keys(text));
    return limits;
}

/// What is in a disc, by the library; names below "files/" without that.
Files seen_in(ByteView disc, const std::string& prefix = "") {
    const MemorySource source(disc);
    Files files;
    open_container(source, with_keys())->visit([&](const Part& part, const ExtractPart& extract) {
        MemorySink sink;
        std::string name = part.name;
        if (!name.starts_with(prefix + "files/") && name != prefix + "sys/main.dol") return Flow::go_on;
        extract(sink);
        files[name.substr(prefix.size() + (name.ends_with("main.dol") ? 4 : 6))] = sink.take();
        return Flow::go_on;
    });
    return files;
}

Files expected(const std::vector<demo::DiscFile>& files) {
    Files all{{"main.dol", demo::dol()}};
    for (const demo::DiscFile& file : files) all[file.path] = file.content;
    return all;
}

struct Putting {
    const char* name;
    std::string part;
    std::optional<std::size_t> size;  ///< of the new content; nothing: removed
    const char* how;
    Room room = Room::any;
    bool add = false;
    demo::TableDiscOptions disc{.total = 1 << 20, .gap = 512};
    friend void PrintTo(const Putting& row, std::ostream* out) { *out << row.name; }
};
const std::vector<Putting> puttings{
    {"the same size", "files/data/berths.bin", 6400, "in-place"},
    {"smaller", "files/data/berths.bin", 100, "in-place"},
    {"empty", "files/data/berths.bin", 0, "in-place"},
    {"a little larger, into the gap behind it", "files/data/berths.bin", 6600, "in-place"},
    {"behind all others", "files/data/berths.bin", 20'000, "moved"},
    {"streamed, behind all others", "files/data/voices/gull.str", 200'000, "moved"},
    {"the last one, where it was", "files/opening.bin", 300'000, "in-place"},
    {"what follows moves", "files/data/berths.bin", 20'000, "rebuilt", Room::rebuild},
    {"the program", "sys/main.dol", 384, "in-place"},
    {"a file more", "files/data/new.bin", 5000, "added", Room::any, true, {.total = 1 << 20, .gap = 512, .room = 256}},
    {"a file more where the table has no room", "files/data/new.bin", 5000, "added", Room::any, true},
    {"a file in a folder that is not there", "files/maps/north/a.bin", 40, "added", Room::any, true},
    {"an empty file more", "files/aaa", 0, "added", Room::any, true},
    {"a file less", "files/data/messages.txt", std::nullopt, "removed"},
    {"behind all on a copy that was cut", "files/data/berths.bin", 20'000, "moved", Room::any, false, {.gap = 512}},
};

/// The change that a row asks for.
PutResult put_as(const Container& disc, const std::string& prefix, const Putting& row, const Bytes& content) {
    const PutOptions options{.room = row.room, .add = row.add};
    if (row.add) return disc.add(prefix + row.part, owned(content), options);
    const Part part = find_part(disc, prefix + row.part);
    return row.size ? disc.put(part, owned(content), options) : disc.remove(part, options);
}

void change_expected(Files& files, const Putting& row, const Bytes& content) {
    const std::string name = row.part.substr(row.part.find('/') + 1);
    if (row.size)
        files[name] = content;
    else
        files.erase(name);
}

class PutIntoTable : public testing::TestWithParam<Putting> {};
INSTANTIATE_TEST_SUITE_P(Ways, PutIntoTable, testing::ValuesIn(puttings));

TEST_P(PutIntoTable, AFileComesInAndNothingElseChanges) {
    const Putting& row = GetParam();
    const Bytes image = demo::table_disc(demo::console_files(1), row.disc);
    Files files = expected(demo::console_files(1));
    ASSERT_EQ(demo::files_of_table(image, false), files);
    ASSERT_EQ(seen_in(image), files);
    const MemorySource source(image);
    const auto disc = open_container(source);
    Bytes content = demo::junk(row.size.value_or(0), 77);
    if (row.part == "sys/main.dol") content = demo::dol(), content.back() ^= std::byte{1};
    const PutResult result = put_as(*disc, "", row, content);
    EXPECT_EQ(result.how, row.how);
    change_expected(files, row, content);
    const Bytes made = changed(image, result.change);
    EXPECT_EQ(demo::files_of_table(made, false), files);
    EXPECT_EQ(seen_in(made), files);
    if (row.disc.total != 0) {
        EXPECT_EQ(made.size(), image.size());
    }
    const MemorySource again(made);
    EXPECT_TRUE(open_container(again)->warnings().empty());
    if (row.room == Room::rebuild) return;
    // What no file lies in, and no table, is as it was: the junk too.
    std::uint64_t other = 0;
    for (const ByteRange& range : differing_ranges(ByteView(image).first(std::min(image.size(), made.size())),
                                                   ByteView(made).first(std::min(image.size(), made.size()))))
        other += range.length;
    EXPECT_LE(other, row.size.value_or(0) + 6400 + 600) << "as much as comes in, an old file and the table";
}

class PutIntoPartition : public testing::TestWithParam<Putting> {};
/// All but those into a copy that was cut: a partition keeps its size.
INSTANTIATE_TEST_SUITE_P(Ways, PutIntoPartition, testing::ValuesIn(puttings.begin(), puttings.end() - 1));

TEST_P(PutIntoPartition, HashesAreRightFromTheLeavesToTheMetadata) {
    Putting row = GetParam();
    row.disc.later = true;
    const Bytes volume = demo::table_disc(demo::console_files(1), row.disc);
    const Bytes image = demo::partition_disc(volume);
    ASSERT_EQ(demo::wrong_hashes(image), "");
    const MemorySource source(image);
    const auto disc = open_container(source, with_keys());
    Files files = expected(demo::console_files(1));
    ASSERT_EQ(seen_in(image, "partition 0/"), files);
    Bytes content = demo::junk(row.size.value_or(0), 78);
    if (row.part == "sys/main.dol") content = demo::dol(), content.back() ^= std::byte{1};
    const PutResult result = put_as(*disc, "partition 0/", row, content);
    EXPECT_EQ(result.how, row.how);
    ASSERT_FALSE(result.warnings.empty());
    EXPECT_NE(result.warnings.back().find("no longer matches, and none is forged"), std::string::npos);
    change_expected(files, row, content);
    const Bytes made = changed(image, result.change);
    ASSERT_EQ(made.size(), image.size());
    EXPECT_EQ(demo::wrong_hashes(made), "");
    EXPECT_EQ(demo::files_of_table(demo::volume_of(made), true), files);
    EXPECT_EQ(seen_in(made, "partition 0/"), files);
    // Ticket, signature, certificates: nothing forged, nothing touched.
    EXPECT_EQ(text_of(ByteView(made).first(0x502C0 + 0x1F4)), text_of(ByteView(image).first(0x502C0 + 0x1F4)));
}

TEST(PartitionDiscs, OnlyTheGroupsTouchedAreWrittenAnew) {
    constexpr std::size_t group = 64 * 0x8000, data = 0x70000;
    std::vector<demo::DiscFile> files = demo::console_files(1);
    const Bytes volume = demo::table_disc(files, {.later = true, .total = 66 * 0x7C00});
    const Bytes image = demo::partition_disc(volume);
    const MemorySource source(image);
    const auto disc = open_container(source, with_keys());
    const auto put = [&](std::size_t size) {
        return changed(
            image,
            disc->put(find_part(*disc, "partition 0/files/data/messages.txt"), owned(demo::junk(size, 5)), {}).change);
    };
    const Bytes made = put(60);
    const auto same = [&](const Bytes& other, std::size_t g) {
        const std::size_t at = data + g * group, length = std::min(group, image.size() - at);
        return std::equal(image.begin() + static_cast<std::ptrdiff_t>(at),
                          image.begin() + static_cast<std::ptrdiff_t>(at + length),
                          other.begin() + static_cast<std::ptrdiff_t>(at));
    };
    EXPECT_FALSE(same(made, 0));
    EXPECT_TRUE(same(made, 1));
    EXPECT_EQ(demo::wrong_hashes(put(1'700'000)), "") << "behind all, over two groups, the last of them short";
}

TEST(PartitionDiscs, KeysAreTheUsersOwn) {
    const Bytes image =
        demo::partition_disc(demo::table_disc(demo::console_files(1), {.later = true, .total = 1 << 20}));
    const MemorySource source(image);
    const auto locked = open_container(source);
    EXPECT_NE(locked->warnings().front().find("it can be read with your own key, common"), std::string::npos);
    EXPECT_EQ(find_part(*locked, "partition 0/ticket").size, 0x2A4U);
    MemorySink sink;
    EXPECT_THROW(extract_part(*locked, "partition 0/data", sink), Error);
    EXPECT_THROW(locked->put(find_part(*locked, "partition 0/data"), owned({}), {}), Error);
    std::string wrong = demo::key_file();
    wrong[wrong.find("= ") + 2] ^= 1;
    try {
        (void)open_container(source, with_keys(wrong));
        ADD_FAILURE() << "a wrong key opens it";
    } catch (const Error& error) {
        EXPECT_EQ(error.code(), ErrorCode::refused);
        EXPECT_NE(std::string(error.what()).find("first hash does not come out right"), std::string::npos);
    }
    EXPECT_EQ(open_container(source, with_keys("other = 00112233445566778899aabbccddeeff\n"))->parts().size(),
              locked->parts().size());
    for (const char* const text : {"common = 12", "common = 00112233445566778899aabbccddeefg", "common", "= 00", "",
                                   "a = 00112233445566778899aabbccddeeff\na = 00112233445566778899aabbccddeeff"})
        EXPECT_THROW((void)read_keys(text), Error) << text;
    EXPECT_EQ(read_keys("# mine\r\n\r\n common = 00112233445566778899AABBCCDDEEFF # so\r\n").by_name.size(), 1U);
}

/// What somebody may have done to a disc, and what is said of it.
struct Lie {
    const char* name;
    std::vector<std::pair<std::size_t, std::uint32_t>> set;  ///< places and numbers, big-endian
    const char* said;
};
TEST(TableDiscs, TablesThatLieAreReadAsFarAsTheyAreRight) {
    const Bytes image = demo::table_disc(demo::console_files(1), {.total = 1 << 20});
    constexpr std::size_t table = 0x2F00, entries = 8;
    const Lie lies[] = {
        {"a table outside the disc", {{0x424, 0x7FFFFFFF}}, "lies outside the disc"},
        {"a table over the header", {{0x424, 0x100}}, "lies outside the disc"},
        {"a table of no size", {{0x428, 4}}, "has no room for its root"},
        {"more entries than bytes", {{table + 8, 0xFFFFFFFF}}, "more entries than it has room for"},
        {"a root that is a file", {{table, 0}}, "no root folder"},
        {"a name outside", {{table + 24, 0xFFFFFF}}, "has its name outside the table"},
        {"a name without an end", {{0x428, 12 * entries + 3}}, "without an end"},
        {"a folder that never ends", {{table + 12 + 8, 0xFFFFFFFF}}, "ends outside"},
        {"a folder that ends before it begins", {{table + 12 + 8, 0}}, "ends outside"},
        {"a folder in a folder behind it", {{table + 12 + 4, 7}}, "another folder than the one it lies in"},
        {"a file past the end", {{table + 24 + 4, 0x7FFFFFFF}}, "past the image's end"},
        {"a file of 4 GiB", {{table + 24 + 8, 0xFFFFFFFF}}, "past the image's end"}};
    for (const Lie& lie : lies) {
        SCOPED_TRACE(lie.name);
        Bytes broken = image;
        for (const auto& [at, value] : lie.set)
            for (unsigned i = 0; i < 4; ++i) broken[at + i] = static_cast<std::byte>(value >> (24 - 8 * i));
        std::string said;
        const MemorySource source(broken);
        EXPECT_EQ(identify(broken).platform, "gamecube");
        try {
            const auto disc = open_container(source);
            for (const std::string& warning : disc->warnings()) said += warning + "\n";
            EXPECT_THROW((void)disc->add("files/new", owned({}), {}), Error) << "such a table is not laid out anew";
            for (const Part& part : disc->parts())
                if (part.storage != PartStorage::past_the_end) {
                    EXPECT_NE(disc->open(part), nullptr) << part.name;
                }
        } catch (const Error& error) {
            said = error.what();
        }
        EXPECT_NE(said.find(lie.said), std::string::npos) << said;
    }
}

TEST(TableDiscs, FilesThatShareAPlaceGetPlacesOfTheirOwn) {
    Bytes image = demo::table_disc(demo::console_files(1), {.total = 1 << 20, .gap = 512});
    // messages.txt where berths.bin is
    constexpr std::size_t table = 0x2F00;
    std::copy_n(image.begin() + table + 24 + 4, 4, image.begin() + table + 36 + 4);
    const MemorySource source(image);
    const auto disc = open_container(source);
    const Files before = seen_in(image);
    const PutResult result = disc->put(find_part(*disc, "files/data/messages.txt"), owned(demo::junk(82, 1)), {});
    EXPECT_EQ(result.how, "moved");
    EXPECT_NE(result.warnings.front().find("shared its place"), std::string::npos);
    EXPECT_EQ(seen_in(changed(image, result.change))["data/berths.bin"], before.at("data/berths.bin"));
}

TEST(TableDiscs, WhatDoesNotFitIsRefused) {
    const Bytes image = demo::table_disc(demo::console_files(1), {.total = 1 << 20, .gap = 512});
    const MemorySource source(image);
    const auto disc = open_container(source);
    const auto refuses = [&](const char* part, SharedSource content, PutOptions options, const char* why) {
        try {
            (void)disc->put(find_part(*disc, part), content, options);
            ADD_FAILURE() << part << ": " << why;
        } catch (const Error& error) {
            EXPECT_NE(std::string(error.what()).find(why), std::string::npos) << error.what();
        }
    };
    refuses("files/data/berths.bin", owned(demo::junk(20'000, 1)), {.room = Room::place}, "does not fit in its place");
    refuses("files/data/berths.bin", std::make_shared<FilledSource>(std::byte{}, std::uint64_t{1} << 32), {},
            "4 GiB and more");
    refuses("files/data/berths.bin", std::make_shared<FilledSource>(std::byte{}, 1'459'900'000), {}, "no place");
    refuses("sys/header", owned(demo::junk(100, 1)), {}, "fixed size");
    refuses("sys/main.dol", owned(demo::junk(100, 1)), {}, "shorter than its header");
    refuses("sys/file-table", owned(demo::junk(100, 1)), {}, "table of files is broken");
    EXPECT_THROW((void)disc->add("files/data/berths.bin", owned({}), {}), Error);
    EXPECT_THROW((void)disc->add("files/opening.bin/x", owned({}), {}), Error);
    EXPECT_THROW((void)disc->add("elsewhere/x", owned({}), {}), Error);
    EXPECT_THROW((void)disc->remove(find_part(*disc, "sys/loader"), {}), Error);
    // A header from elsewhere comes in without its places.
    Bytes header(image.begin(), image.begin() + 0x2440);
    header[0x425] ^= std::byte{1}, header[0x20] = std::byte{'H'};
    const Bytes made = changed(image, disc->put(find_part(*disc, "sys/header"), owned(header), {}).change);
    EXPECT_EQ(identify(made).title, "Help Harbour");
    EXPECT_EQ(seen_in(made), seen_in(image));
}

TEST(TableDiscs, SayWhatTheyAre) {
    const Bytes image = demo::table_disc(demo::console_files(1), {.number = 1, .total = 1 << 20});
    const Identity identity = identify(image);
    EXPECT_EQ(std::tuple(identity.platform, identity.title, identity.serial, identity.region, identity.revision),
              std::tuple("gamecube", "Kelp Harbour", "GKHP99", "Europe", std::optional(1U)));
    EXPECT_EQ(fact_of(identity, "disc_number"), "2");
    EXPECT_NE(fact_of(identity, "copy").find("less than a full disc"), std::string::npos);
    const Bytes later =
        demo::partition_disc(demo::table_disc(demo::console_files(1), {.later = true, .total = 1 << 20}));
    EXPECT_EQ(identify(later).platform, "wii");
    EXPECT_NE(fact_of(identify(later), "partitions").find("0: game"), std::string::npos);
}

TEST(TableDiscs, MendsOfTheirHeaders) {
    const Bytes plain = demo::table_disc(demo::console_files(1), {.total = 1 << 20});
    const Bytes later =
        demo::partition_disc(demo::table_disc(demo::console_files(1), {.later = true, .total = 1 << 20}));
    for (const Bytes& image : {plain, later}) {
        const MendPlan plan = plan_mends(image, {{"region", "Japan"}, {"title", "Kelp II"}, {"disc-number", "3"}});
        const Bytes made = changed(image, plan.change);
        const Identity identity = identify(made);
        EXPECT_EQ(identity.title, "Kelp II");
        EXPECT_EQ(fact_of(identity, "disc_number"), "3");
        EXPECT_EQ(made[image == plain ? 0x45B : 0x4E003], std::byte{0});
        EXPECT_EQ(identity.serial, "GKHP99") << "which saved games go by";
        for (const auto& [mend, value] : {std::pair("region", "Atlantis"), {"disc-number", "0"}, {"title", ""}})
            EXPECT_THROW((void)plan_mends(image, {{mend, value}}), Error) << mend;
    }
}

TEST(TableDiscs, AScrubbedCopyIsToldFromAFullOne) {
    const Bytes full = demo::table_disc(demo::console_files(1), {.total = 8 << 20});
    Bytes scrubbed = full;
    std::fill(scrubbed.begin() + (1 << 20), scrubbed.end(), std::byte{0});
    EXPECT_FALSE(copy_state(MemorySource(full))->is_scrubbed());
    EXPECT_TRUE(copy_state(MemorySource(scrubbed))->is_scrubbed());
    EXPECT_EQ(copy_state(MemorySource(full))->full, 1'459'978'240U);
    Bytes later = demo::partition_disc(demo::table_disc(demo::console_files(1), {.later = true, .total = 66 * 0x7C00}));
    EXPECT_FALSE(copy_state(MemorySource(later))->is_scrubbed());
    std::fill(later.begin() + 0x70000 + 20 * 0x8000, later.begin() + 0x70000 + 40 * 0x8000, std::byte{0});
    EXPECT_FALSE(copy_state(MemorySource(demo::kelp_harbour_files(1)[0].content)));
    EXPECT_GT(copy_state(MemorySource(later))->unused_zeros, 0U);
}

TEST(TableDiscs, LooseFilesBecomeADiscAgain) {
    const Bytes image = demo::table_disc(demo::console_files(1), {.total = 1 << 20, .gap = 512});
    const MemorySource source(image);
    const auto disc = open_container(source);
    std::vector<std::pair<std::string, SharedSource>> files;
    for (const Part& part : disc->parts()) files.emplace_back(part.name, disc->open(part));
    const auto made = disc_from_files(files);
    MemorySink sink;
    write_source(*made, sink);
    EXPECT_EQ(demo::files_of_table(sink.bytes(), false), expected(demo::console_files(1)));
    // The header in two files under other names, no old table, a file more.
    const Bytes header(image.begin(), image.begin() + 0x2440);
    std::erase_if(files, [](const auto& file) { return file.first == "sys/header" || file.first == "sys/file-table"; });
    files.emplace_back("sys/one", owned(Bytes(header.begin(), header.begin() + 0x440)));
    files.emplace_back("sys/two", owned(Bytes(header.begin() + 0x440, header.end())));
    files.emplace_back("files/maps/a.bin", owned(demo::junk(10, 1)));
    MemorySink other;
    write_source(*disc_from_files(files, 4 << 20), other);
    Files wanted = expected(demo::console_files(1));
    wanted["maps/a.bin"] = demo::junk(10, 1);
    EXPECT_EQ(demo::files_of_table(other.bytes(), false), wanted);
    EXPECT_EQ(other.bytes().size(), 4U << 20);
    EXPECT_THROW((void)disc_from_files(files, 100'000), Error) << "too small";
    files.emplace_back("sys/odd", owned(demo::junk(50, 1)));
    EXPECT_THROW((void)disc_from_files(files), Error);
    EXPECT_THROW((void)disc_from_files({{"files/a", owned({})}}), Error) << "no header";
}

}  // namespace
}  // namespace hotstitch
