// SPDX-License-Identifier: MIT
// Walks by chance: many changes after each other, each on what the one before has made, held against a plain map of
// names to contents. What a single put cannot show (tables that move, places that are used again) shows here.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <functional>
#include <map>
#include <random>

#include "console_discs.h"
#include "hotstitch/apply.h"
#include "hotstitch/change_list.h"
#include "hotstitch/create.h"
#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "hotstitch/keys.h"
#include "hotstitch/part.h"
#include "hotstitch/text.h"
#include "lib/patch_makers.h"
#include "lib/rom_makers.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

using Files = std::map<std::string, Bytes>;

/// A kind of file to walk on.
struct Ground {
    const char* name;
    std::function<Bytes()> made;
    std::function<Files(ByteView)> read;  ///< by another reader where there is one
    std::string prefix;                   ///< of parts that stand for files
    std::vector<std::string> new_names;   ///< that may be added, and removed again
    std::size_t largest;                  ///< content that is put in
    int steps;
    bool keyed = false;
    friend void PrintTo(const Ground& row, std::ostream* out) { *out << row.name; }
};

Limits limits_for(const Ground& ground) {
    Limits limits;
    if (ground.keyed) limits.keys = std::make_shared<const Keys>(read_keys(demo::key_file()));
    return limits;
}

/// By the library itself: all parts that are files.
Files by_library(ByteView image) {
    const MemorySource source(image);
    Files files;
    open_container(source)->visit([&](const Part& part, const ExtractPart& extract) {
        MemorySink sink;
        extract(sink);
        if (part.kind == PartKind::file) files[part.name] = sink.take();
        return Flow::go_on;
    });
    return files;
}

Files without_program(Files files) {
    files.erase("main.dol");
    return files;
}

std::vector<demo::DiscFile> cartridge_files() {
    return {{"opening.bin", Bytes(3000, std::byte{1})},
            {"data/a.bin", Bytes(700, std::byte{2})},
            {"data/b.bin", Bytes(10, std::byte{3})}};
}

std::vector<Ground> grounds() {
    const auto table = [](std::size_t room, std::size_t total) {
        return [=] { return demo::table_disc(demo::console_files(1), {.total = total, .gap = 300, .room = room}); };
    };
    const auto read_table = [](ByteView image) { return without_program(demo::files_of_table(image, false)); };
    const std::vector<std::string> names{"new.bin", "data/new.bin", "data/voices/a.str", "maps/deep/er/x", "zz"};
    return {
        {"a disc whose table has room", table(2000, 2 << 20), read_table, "files/", names, 40'000, 60},
        {"a disc whose table has none", table(0, 2 << 20), read_table, "files/", names, 40'000, 60},
        {"a disc that was cut", table(0, 0), read_table, "files/", names, 20'000, 40},
        {"an encrypted partition",
         [] {
             return demo::partition_disc(
                 demo::table_disc(demo::console_files(1), {.later = true, .total = 20 * 0x7C00, .gap = 300}));
         },
         [](ByteView image) { return without_program(demo::files_of_table(demo::volume_of(image), true)); },
         "partition 0/files/", names, 9000, 4, true},
        {"a cartridge", [] { return demo::file_cartridge(cartridge_files(), false); }, by_library, "", {}, 5000, 40},
        {"a trimmed cartridge",
         [] { return demo::file_cartridge(cartridge_files(), true); },
         by_library,
         "",
         {},
         5000,
         40},
        {"a RIFF",
         [] { return demo::chunk("RIFF", demo::wave(Bytes(99, std::byte{4})), false); },
         by_library,
         "",
         {},
         900,
         40}};
}

class Walks : public testing::TestWithParam<Ground> {};
INSTANTIATE_TEST_SUITE_P(Grounds, Walks, testing::ValuesIn(grounds()));

TEST_P(Walks, EndWhereTheyShould) {
    const Ground& ground = GetParam();
    const Limits limits = limits_for(ground);
    Bytes image = ground.made();
    Files wanted = ground.read(image);
    std::mt19937 random(7);
    int done = 0, refused = 0;
    for (int step = 0; step < ground.steps; ++step) {
        SCOPED_TRACE(fmt::format("step {}", step));
        const MemorySource source(image);
        const auto container = open_container(source, limits);
        ASSERT_NE(container, nullptr);
        EXPECT_TRUE(container->warnings().empty());
        const Bytes content = demo::junk(random() % ground.largest, random());
        const PutOptions options{.room = random() % 8 == 0 ? Room::rebuild : Room::any};
        const bool adds = !ground.new_names.empty() && random() % 3 == 0;
        std::string name;
        if (adds) {
            name = ground.new_names[random() % ground.new_names.size()];
        } else {
            name = std::next(wanted.begin(), static_cast<std::ptrdiff_t>(random() % wanted.size()))->first;
        }
        const bool there = wanted.contains(name), removes = there && adds;
        try {
            const PutResult result =
                removes ? container->remove(find_part(*container, ground.prefix + name), options)
                : there ? container->put(find_part(*container, ground.prefix + name), owned(content), options)
                        : container->add(ground.prefix + name, owned(content), options);
            image = changed(image, result.change);
            ++done;
        } catch (const Error& error) {
            // Programs and banners have to stay; discs are full in the end.
            EXPECT_TRUE(error.code() == ErrorCode::unsupported || error.code() == ErrorCode::usage) << error.what();
            ++refused;
            continue;
        }
        if (removes)
            wanted.erase(name);
        else
            wanted[name] = content;
        Files found = ground.read(image);
        // The banner gets its checks anew.
        for (auto* const files : {&found, &wanted}) files->erase("banner");
        ASSERT_EQ(found, wanted) << name << ", " << content.size();
        if (ground.keyed) {
            ASSERT_EQ(demo::wrong_hashes(image), "");
        }
    }
    EXPECT_GT(done, refused) << "most steps lead somewhere";
    // All of it is one patch, in the end.
    const Bytes first = ground.made();
    const Bytes patch = create(first, image);
    MemorySink made;
    apply(MemorySource(patch), MemorySource(first), made);
    EXPECT_EQ(made.bytes(), image);
}

TEST(Placement, NamesAreMadeOfWhatAFileSays) {
    Identity identity;
    identity.kind = {KindId::disc, "a disc image"};
    identity.title = "Kelp: Fog/Night", identity.serial = "GKHP99", identity.platform = "gamecube",
    identity.revision = 2;
    const std::filesystem::path otherwise = "there/Night Tides.gcm";
    struct Row {
        const char *pattern, *made;
    };
    for (const Row& row : {Row{"{title}.iso", "Kelp_ Fog_Night.iso"},
                           {"games/{title} [{serial}]/game.iso", "games/Kelp_ Fog_Night [GKHP99]/game.iso"},
                           {"{platform}-{revision}/{name}.{extension}", "gamecube-2/Night Tides.gcm"},
                           {"plain", "plain"},
                           {"/abs/{serial}{serial}", "/abs/GKHP99GKHP99"}})
        EXPECT_EQ(placed_as(row.pattern, identity, otherwise), row.made) << row.pattern;
    for (const char* const wrong : {"{region}.iso", "{author}", "{title", "{}", "", "games/", "{title}/"})
        EXPECT_THROW((void)placed_as(wrong, identity, otherwise), Error) << wrong;
    for (const auto& [name, safe] : {std::pair("a/b", "a_b"),
                                     {"con", "_con"},
                                     {"COM1.bin", "_COM1.bin"},
                                     {"..", "._"},
                                     {"a.", "a_"},
                                     {"a\tb", "a_b"},
                                     {"console", "console"}})
        EXPECT_EQ(safe_name(name), safe);
}

}  // namespace
}  // namespace hotstitch
