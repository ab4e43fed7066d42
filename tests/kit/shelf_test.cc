// SPDX-License-Identifier: MIT
// A shelf whose records are gone, lie, are links or pipes, or are wanted by two at once: what the player had is there.
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/stat.h>

#include <cstdlib>
#include <thread>

#include "data_files.h"
#include "disc.h"
#include "hotstitch/create.h"
#include "hotstitch/digest.h"
#include "hotstitch/error.h"
#include "hotstitch/shelf.h"
#include "lib/fault_walk.h"
#include "lib/rom_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

namespace fs = std::filesystem;
using Call = std::vector<std::string>;
using makers::poked;

class ShelfTest : public testing::Test {
protected:
    void SetUp() override {
        game.put("kelp.iso", disc);
        game.put("a.bps", create(disc, night)), game.put("b.bps", create(disc, fog));
    }
    static ToolResult run(const TemporaryFolder& folder, const Call& call) {
        return run_tool(call, {.folder = folder.path()});
    }
    /// What is said, whatever it is said on.
    std::string say(const Call& call, int code) const {
        const ToolResult result = run(game, call);
        EXPECT_EQ(result.code, code) << call.back() << "\n" << result.out << result.err;
        return result.out + result.err;
    }
    /// Whether these bytes are there under whatever name.
    static bool is_kept(const TemporaryFolder& folder, const Bytes& wanted) {
        const auto names = folder.names();
        return std::any_of(names.begin(), names.end(), [&](const std::string& name) {
            return fs::is_regular_file(folder / name) && name.find("hotstitch-tmp") == std::string::npos &&
                   contents(folder / name) == wanted;
        });
    }
    Bytes stands() const { return contents(game / "kelp.iso"); }

    const TemporaryFolder game;
    const Bytes disc = demo::disc({{"BERTHS.TXT", Bytes(3000)}, {"TITLE.BIN", Bytes(9000)}});
    const Bytes night = poked(disc, 50'000, 7), fog = poked(disc, 60'000, 9);
};

TEST_F(ShelfTest, NoListThatLiesCostsTheOriginal) {
    const auto list_of = [&](const Bytes& original, const char* used) {
        return fmt::format(
            "hotstitch-shelf = 1\ngame = \"kelp.iso\"\n[original]\nsize = {}\ncrc32 = \"{}\"\n{}[[mod]]\nname = "
            "\"a\"\nfile = \"mods/a.bps\"\n[[mod]]\nname = \"b\"\nfile = \"mods/b.bps\"\n",
            original.size(), crc32(original).hex(), used);
    };
    const std::string lists[] = {
        "",  // none at all
        "hotstitch-shelf = 1\ngame = \"kelp.iso\"\n[[mod]]\nname = \"b\"\nfile = \"mods/b.bps\"\n",
        list_of(night, ""),
        list_of(night, "[in-place]\nmods = [\"b\"]\n"),
        list_of(fog, ""),
        list_of(disc, "[in-place]\nmods = [\"b\"]\n")};
    const std::vector<std::vector<Call>> tries = {{{"--use", "original"}},
                                                  {{"--keep", "c.bps"}, {"--use", "b"}, {"--use", "original"}},
                                                  {{"--use", "b"}, {"--use", "original"}},
                                                  {{"--adopt"}, {"--use", "b"}, {"--use", "original"}}};
    for (const std::string& list : lists)
        for (const auto& calls : tries) {
            const TemporaryFolder here;
            here.put("kelp.iso", disc), here.put("a.bps", create(disc, night)), here.put("b.bps", create(disc, fog));
            here.put("c.bps", create(disc, poked(disc, 45'000, 3)));
            ASSERT_EQ(run(here, {"shelf", "kelp.iso", "--keep", "a.bps", "b.bps"}).code, 0);
            ASSERT_EQ(run(here, {"shelf", "kelp.iso", "--use", "a"}).code, 0);
            fs::remove(here / "kelp.iso.shelf/shelf.toml");
            if (!list.empty()) here.put("kelp.iso.shelf/shelf.toml", list);
            for (const Call& call : calls) {
                Call all{"shelf", "kelp.iso"};
                all.insert(all.end(), call.begin(), call.end());
                const ToolResult result = run(here, all);
                EXPECT_LT(result.code, 3) << result.err;
                EXPECT_TRUE(is_kept(here, disc)) << list << "\n" << call.front() << "\n" << result.out << result.err;
            }
            // The list names another as the original, or it is gone: the one that the shelf put away comes back.
            if (calls.front().back() == "original" && crc32(fog).hex() != crc32(disc).hex() && list != lists[4]) {
                EXPECT_TRUE(contents(here / "kelp.iso") == disc) << list;
            }
        }
}

TEST_F(ShelfTest, WhatIsPutAsideStays) {
    say({"shelf", "kelp.iso", "--keep", "a.bps"}, 0);
    say({"shelf", "kelp.iso", "--use", "a"}, 0);
    // Left by a call that was stopped: an undated name in changed/, temporary files, a backup that nobody needs.
    game.put("kelp.iso.shelf/changed/kelp.iso", "the player's own");
    game.put("kelp.iso.shelf/.shelf.toml.abcdef.hotstitch-tmp", "half");
    game.put("kelp.iso.shelf/mods/.a.bps.000000.hotstitch-tmp", "half");
    fs::create_hard_link(game / "kelp.iso.shelf/mods/a.bps",
                         game / "kelp.iso.shelf/mods/a.bps.2026-11-30-120000.backup");
    for (int i = 0; i < 3; ++i) {
        game.put("kelp.iso", fmt::format("update {}", i));
        EXPECT_NE(say({"shelf", "kelp.iso", "--use", "a"}, 0).find("kept aside"), std::string::npos);
    }
    const Bytes own(bytes_of("the player's own").begin(), bytes_of("the player's own").end());
    EXPECT_TRUE(contents(game / "kelp.iso.shelf/changed/kelp.iso") == own);
    for (const char* const update : {"update 0", "update 1", "update 2"})
        EXPECT_TRUE(is_kept(game, Bytes(bytes_of(update).begin(), bytes_of(update).end()))) << update;
    EXPECT_FALSE(fs::exists(game / "kelp.iso.shelf/.shelf.toml.abcdef.hotstitch-tmp"));
    EXPECT_FALSE(fs::exists(game / "kelp.iso.shelf/mods/.a.bps.000000.hotstitch-tmp"));
    EXPECT_FALSE(fs::exists(game / "kelp.iso.shelf/mods/a.bps.2026-11-30-120000.backup"));
    game.put("kelp.iso", "update 3");
    say({"shelf", "kelp.iso", "--adopt"}, 0);
    EXPECT_TRUE(is_kept(game, disc)) << "the first original";
    EXPECT_TRUE(contents(game / "kelp.iso.shelf/changed/kelp.iso") == own);
    // Refused for nothing: no shelf is left behind.
    game.put("other.iso", disc);
    say({"shelf", "other.iso", "--use", "none"}, 2);
    EXPECT_FALSE(fs::exists(game / "other.iso.shelf"));
}

TEST_F(ShelfTest, TheDiscOfASheetIsMeant) {
    const Bytes raw = demo::in_sectors(disc, 2);
    game.put("disc.bin", raw), game.put("disc.cue", demo::cue_sheet("disc.bin", 1, disc.size() / 2048));
    const Bytes sheet = contents(game / "disc.cue");
    say({"shelf", "disc.cue", "--keep", "a.bps"}, 0);
    say({"shelf", "disc.cue", "--use", "a"}, 0);
    EXPECT_TRUE(contents(game / "disc.bin") == demo::in_sectors(night, 2)) << "in the form that it had";
    EXPECT_NE(say({"shelf", "disc.bin"}, 0).find("a is in place"), std::string::npos) << "the same shelf";
    say({"shelf", "disc.cue", "--use", "original"}, 0);
    EXPECT_TRUE(contents(game / "disc.bin") == raw && contents(game / "disc.cue") == sheet);
}

TEST_F(ShelfTest, WhatMayBeExpectedIsAnAnswer) {
    game.put("other.bps", create(fog, night));
    Shelf shelf(game / "kelp.iso", {});
    const ShelfResult kept = shelf.keep({(game / "a.bps").string(), (game / "other.bps").string()});
    ASSERT_TRUE(kept.refusal);
    EXPECT_EQ(kept.refusal->code(), ErrorCode::wrong_source);
    EXPECT_EQ(kept.kept, std::vector<std::string>{"a"});
    const std::string said = say({"shelf", "kelp.iso", "--keep", "b.bps", "other.bps"}, 1);
    EXPECT_NE(said.find("On the shelf already: b"), std::string::npos) << said;
    EXPECT_FALSE(shelf.use({"a"}).refusal);
    game.put("kelp.iso", "an update"), game.put("kelp.iso.shelf/original/kelp.iso", "spoiled");
    const ShelfResult lost = shelf.use({"b"});
    ASSERT_TRUE(lost.refusal);
    EXPECT_EQ(lost.refusal->id(), ErrorId::original_gone);
    EXPECT_EQ(stands(), Bytes(bytes_of("an update").begin(), bytes_of("an update").end()));
}

TEST_F(ShelfTest, TwoCallsAtOnceLoseNothing) {
    say({"shelf", "kelp.iso", "--keep", "a.bps", "b.bps"}, 0);
    const std::vector<Call> calls = {{"shelf", "kelp.iso", "--use", "a"},
                                     {"shelf", "kelp.iso", "--use", "b"},
                                     {"shelf", "kelp.iso", "--use", "original"},
                                     {"apply", "kelp.iso", "a.bps", "--in-place", "--no-receipt"}};
    for (int round = 0; round < 24 * fault_rounds(); ++round) {
        int codes[2] = {};
        std::vector<std::thread> at_once;
        for (int one = 0; one < 2; ++one)
            at_once.emplace_back([&, one] {
                codes[one] = run(game, calls[static_cast<std::size_t>(round + one * (1 + round / 4)) % 4]).code;
            });
        for (std::thread& thread : at_once) thread.join();
        SCOPED_TRACE(fmt::format("round {}: {} {}", round, codes[0], codes[1]));
        EXPECT_TRUE(is_kept(game, disc));
        const Bytes now = stands();
        EXPECT_TRUE(now == disc || now == night || now == fog);
        for (const int code : codes) EXPECT_TRUE(code == 0 || code == 1 || code == 4);
    }
    // What was applied by hand has its backup; the original is put back by hand, too.
    game.put("kelp.iso", disc);
    say({"shelf", "kelp.iso", "--use", "original"}, 0);
    // Entries of the list: both that were put on at once, or one is told to wait.
    for (int round = 0; round < 8 * fault_rounds(); ++round) {
        const std::string names[2] = {fmt::format("x{}", round), fmt::format("y{}", round)};
        int codes[2] = {};
        std::vector<std::thread> at_once;
        for (int one = 0; one < 2; ++one) {
            game.put(names[one] + ".bps", create(disc, poked(disc, static_cast<std::size_t>(45'000 + round),
                                                             static_cast<unsigned>(10 + one))));
            at_once.emplace_back([&, one] {
                codes[one] = run(game, {"shelf", "kelp.iso", "--keep", names[one] + ".bps"}).code;
            });
        }
        for (std::thread& thread : at_once) thread.join();
        const std::string list = say({"shelf", "kelp.iso", "--json"}, 0);
        for (int one = 0; one < 2; ++one)
            EXPECT_EQ(list.find("\"" + names[one] + "\"") != std::string::npos, codes[one] == 0) << codes[one] << list;
    }
}

TEST_F(ShelfTest, LinksAndPipesInItAreRefused) {
    const TemporaryFolder elsewhere;
    elsewhere.put("kelp.iso", "somebody's"), elsewhere.put("a.bps", "somebody's"), elsewhere.put("shelf.toml", "x");
    say({"shelf", "kelp.iso", "--keep", "a.bps"}, 0);
    say({"shelf", "kelp.iso", "--use", "a"}, 0);
    const fs::path shelf = game / "kelp.iso.shelf";
    const std::vector<Call> calls = {{"shelf", "kelp.iso"},
                                     {"shelf", "kelp.iso", "--use", "original"},
                                     {"shelf", "kelp.iso", "--adopt"},
                                     {"shelf", "kelp.iso", "--keep", "b.bps"}};
    for (const char* const piece :
         {"", "original", "mods", "changed", "original/kelp.iso", "mods/a.bps", "shelf.toml"}) {
        const fs::path at = *piece == '\0' ? shelf : shelf / piece;
        const bool was_there = fs::exists(at);
        if (was_there) fs::rename(at, game / "held");
        const bool is_file = at.has_extension() && at != shelf;
        fs::create_directory_symlink(is_file ? elsewhere / at.filename().string() : elsewhere.path(), at);
        for (const Call& call : calls) {
            const ToolResult result = run(game, call);
            const bool looks_only =
                call.size() == 2 && (std::string(piece) == "changed" || std::string(piece) == "mods");
            EXPECT_TRUE(looks_only || result.code == 1 || result.code == 3) << piece << result.code << result.err;
        }
        for (const char* const name : {"kelp.iso", "a.bps"})
            EXPECT_EQ(text_of(contents(elsewhere / name)), "somebody's") << piece;
        EXPECT_EQ(elsewhere.names().size(), 3U) << piece;
        fs::remove(at);
        if (is_file) {  // a pipe keeps nobody waiting
            ASSERT_EQ(::mkfifo(at.c_str(), 0600), 0);
            for (const Call& call : calls) EXPECT_LT(run(game, call).seconds, 60) << piece;
            fs::remove(at);
        }
        if (was_there) fs::rename(game / "held", at);
    }
    say({"shelf", "kelp.iso", "--use", "original"}, 0);
    EXPECT_TRUE(stands() == disc);
}

/// A folder, and kits of two states of it.
class ShelfOfAFolder : public ShelfTest {
protected:
    void SetUp() override {
        for (const auto& [name, word] : {std::pair{"prog", "calm"}, {"gale", "gale"}, {"foggy", "fog"}})
            game.put(std::string(name) + "/kelp.dat", demo::harbour_data(false)),
                game.put(std::string(name) + "/sea.txt", fmt::format("{} sea, calm harbour\n", word));
        say({"create", "prog", "gale", "--format", "kit", "-o", "other.kit"}, 0);
        say({"shelf", "prog", "--keep", "gale", "foggy"}, 0);
    }
    std::string sea() const { return std::string(text_of(contents(game / "prog/sea.txt"))).substr(0, 4); }
};

TEST_F(ShelfOfAFolder, UndoesOnlyWhatIsItsOwn) {
    // A kit applied by hand is not the shelf's to take back.
    say({"apply", "prog", "other.kit", "--in-place"}, 0);
    EXPECT_NE(say({"shelf", "prog"}, 1).find("does not know"), std::string::npos);
    EXPECT_NE(say({"shelf", "prog", "--use", "original"}, 1).find("not by this shelf"), std::string::npos);
    EXPECT_EQ(sea(), "gale");
    say({"undo", "prog"}, 0);
    // Undone by hand in between: the original is in place, and nothing more is taken back.
    say({"shelf", "prog", "--use", "foggy"}, 0);
    EXPECT_EQ(sea(), "fog ");
    say({"undo", "prog"}, 0);
    EXPECT_NE(say({"shelf", "prog"}, 0).find("no mod of the shelf is in place"), std::string::npos);
    EXPECT_NE(say({"shelf", "prog", "--use", "original"}, 0).find("Nothing to do"), std::string::npos);
    EXPECT_EQ(sea(), "calm");
    // The list is gone or behind: the way back says whose it is.
    say({"shelf", "prog", "--use", "gale"}, 0);
    fs::remove(game / "prog.shelf/shelf.toml");
    EXPECT_NE(say({"shelf", "prog"}, 0).find("gale is in place"), std::string::npos);
    say({"shelf", "prog", "--use", "foggy"}, 0);
    EXPECT_EQ(sea(), "fog ");
    say({"shelf", "prog", "--use", "original"}, 0);
    EXPECT_EQ(sea(), "calm");
    // Looked at before it is called the original.
    game.put("prog/sea.txt", "a storm by hand\n");
    EXPECT_NE(say({"shelf", "prog"}, 1).find("does not know"), std::string::npos);
}

}  // namespace
}  // namespace hotstitch
