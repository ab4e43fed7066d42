// SPDX-License-Identifier: MIT
// Names that archives have, what is taken out of them, outputs that several calls want, and ways back: through the
// tool.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <filesystem>
#include <thread>

#include "cartridges.h"
#include "console_discs.h"
#include "disc.h"
#include "hotstitch/create.h"
#include "kelp_harbour.h"
#include "lib/archive_makers.h"
#include "lib/patch_makers.h"
#include "lib/rom_makers.h"
#include "lib/run_tool.h"
#include "lib/sanitized.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

namespace fs = std::filesystem;

class CliInputs : public testing::Test {
protected:
    ToolResult run(const std::vector<std::string>& call, std::vector<std::string> environment = {}) const {
        return run_tool(call, {.folder = folder.path(), .environment = std::move(environment)});
    }
    std::string answer(std::vector<std::string> call) const {
        call.emplace_back("--json");
        const ToolResult result = run(call);
        return fmt::format("{} {}", result.code, result.json()["answer"].get<std::string>());
    }
    void shell(const std::string& command) const {
        ASSERT_EQ(std::system(fmt::format("cd '{}' && {}", folder.path().string(), command).c_str()), 0) << command;
    }
    std::string text(const std::string& name) const { return std::string(text_of(contents(folder / name))); }

    TemporaryFolder folder;
    const Bytes rom = demo::kelp_harbour(1), mod = demo::night_tides(rom), fog = demo::fog_signals(rom);
};

TEST_F(CliInputs, NamesOfMembersAreTheirOwnInEveryLocale) {
    folder.put("n/Käpt’n 港.sfc", rom), folder.put("n/Lampe é.txt", "light\n");
    folder.put("p.bps", create(rom, mod));
    for (const char* const kind : {"zip", "7zip", "pax"}) {
        shell(fmt::format("rm -rf out* && LC_ALL=C.UTF-8 bsdtar --format={} -cf n.arc -C n .", kind));
        for (const char* const locale : {"LC_ALL=C", "LC_ALL=C.UTF-8", "LC_ALL=POSIX"}) {
            SCOPED_TRACE(fmt::format("{} {}", kind, locale));
            const auto parts = run({"parts", "n.arc", "--json"}, {locale}).json()["parts"];
            std::set<std::string> names;
            for (const auto& part : parts) names.insert(part["name"]);
            EXPECT_EQ(names, (std::set<std::string>{"Käpt’n 港.sfc", "Lampe é.txt"}));
            EXPECT_EQ(run({"take", "n.arc:", "-o", "out", "--replace"}, {locale}).code, 0);
            EXPECT_EQ(text("out/Lampe é.txt"), "light\n");
            EXPECT_EQ(run({"apply", "n.arc", "p.bps", "-o", "o.sfc", "--replace"}, {locale}).code, 0);
        }
        EXPECT_TRUE(contents(folder / "o.sfc") == mod);
    }
    // A name that is no text is told, and has a number.
    folder.put("odd.tar", makers::tar_header("k\xE9lp\xFF.bin", 2) + makers::tar_blocks("ok") +
                              makers::tar_header("./plain.txt", 5) + makers::tar_blocks("plain") +
                              makers::tar_header("C:\\games\\a.txt", 1) + makers::tar_blocks("a") + makers::tar_end());
    const ToolResult taken = run({"take", "odd.tar:", "-o", "odd", "--json"});
    EXPECT_EQ(taken.code, 3) << taken.err;
    EXPECT_EQ(taken.json()["taken"].size(), 2U) << taken.out;
    EXPECT_EQ(taken.json()["damaged"].size(), 1U) << "none is dropped without a word";
    EXPECT_EQ(text("odd/plain.txt"), "plain") << "./x is x";
    EXPECT_EQ(answer({"take", "odd.tar:plain.txt", "-o", "one.txt"}), "0 taken");
}

TEST_F(CliInputs, OfSeveralPartsAllAreTakenOrNone) {
    folder.put("k.sfc", rom);
    EXPECT_EQ(answer({"take", "k.sfc:bank 1", "k.sfc:bank 99", "-o", "banks/"}), "2 usage");
    EXPECT_FALSE(fs::exists(folder / "banks")) << "not the first alone, and no folder";
    EXPECT_EQ(answer({"take", "k.sfc:bank 1", "k.sfc:bank 2", "-o", "one.bin", "--replace"}), "2 usage") << "one place";
    EXPECT_FALSE(fs::exists(folder / "one.bin"));
    folder.put("there/bank 2", "mine");
    EXPECT_EQ(answer({"take", "k.sfc:bank 1", "k.sfc:bank 2", "-o", "there/"}), "2 exists");
    EXPECT_EQ(folder.names(), (std::set<std::string>{"k.sfc", "there", "there/bank 2"}));
    // One damaged member does not keep the others: told, and exit 3.
    folder.put("x/a.txt", std::string(500, 'a')), folder.put("x/b.bin", demo::junk(9000, 1)),
        folder.put("x/c.txt", std::string(500, 'c'));
    shell("bsdtar --format=zip -cf d.zip -C x a.txt b.bin c.txt");
    Bytes zip = contents(folder / "d.zip");
    zip[4000] ^= std::byte{0x55};
    folder.put("d.zip", zip);
    const ToolResult told = run({"take", "d.zip:", "-o", "y", "--json"});
    EXPECT_EQ(told.code, 3) << told.out;
    EXPECT_EQ(told.json()["taken"].size(), 2U);
    EXPECT_EQ(told.json()["damaged"].size(), 1U);
    EXPECT_EQ(text("y/c.txt"), std::string(500, 'c'));
    EXPECT_FALSE(fs::exists(folder / "y/b.bin"));
}

TEST_F(CliInputs, ThousandsOfPartsAreTakenInNoTime) {
    std::string tar;
    const int parts = sanitized ? 4'000 : 20'000;
    for (int i = 0; i < parts; ++i)
        tar += makers::tar_header(fmt::format("d{}/f{}", i / 500, i), 1) + makers::tar_blocks("x");
    folder.put("many.tar", tar + makers::tar_end());
    const ToolResult taken = run({"take", "many.tar:", "-o", "many", "-q"});
    EXPECT_EQ(taken.code, 0) << taken.err;
    EXPECT_EQ(text(fmt::format("many/d{}/f{}", (parts - 1) / 500, parts - 1)), "x");
}

TEST_F(CliInputs, EqualCallsAtOnceMakeOneOutput) {
    folder.put("k.sfc", rom), folder.put("p.bps", create(rom, mod));
    std::vector<ToolResult> results(6);
    std::vector<std::thread> callers;
    for (ToolResult& result : results)
        callers.emplace_back([&] { result = run({"apply", "k.sfc", "p.bps", "-o", "new/o.sfc"}); });
    for (std::thread& caller : callers) caller.join();
    for (const ToolResult& result : results) {
        const bool busy = result.code == 4 && result.err.find("is being worked on by ") != std::string::npos;
        EXPECT_TRUE(result.code == 0 || busy) << result.code << result.out << result.err;
    }
    EXPECT_TRUE(contents(folder / "new/o.sfc") == mod);
    EXPECT_EQ(folder.names(), (std::set<std::string>{"k.sfc", "p.bps", "new", "new/o.sfc", "new/o.sfc.receipt.json"}));
}

TEST_F(CliInputs, RefusedCallsLeaveNoFolders) {
    folder.put("k.sfc", rom), folder.put("old.sfc", demo::kelp_harbour(0)), folder.put("p.bps", create(rom, mod)),
        folder.put("file.dat", "x");
    const auto before = folder.names();
    const std::vector<std::vector<std::string>> calls = {
        {"apply", "old.sfc", "p.bps", "-o", "new/sub/"},
        {"apply", "old.sfc", "p.bps", "-o", "new/sub/o.sfc"},
        {"apply", "k.sfc", "p.bps", "-o", ""},
        {"apply", "k.sfc", "p.bps", "--as", ""},
        {"apply", "k.sfc", "p.bps", "-o", "new/sub/o.sfc", "--expect", "crc32:00000000"},
        {"create", "k.sfc", "none.sfc", "-o", "new/sub/p.bps"},
        {"take", "k.sfc:bank 99", "-o", "new/sub/"},
        {"put", "k.sfc", "bank 1=none", "-o", "new/sub/o.sfc"},
        {"mend", "k.sfc", "no-such-mend", "-o", "new/sub/o.sfc"},
        {"apply", "file.dat", "old.sfc", "-o", "new/"},
    };
    for (const auto& call : calls) {
        SCOPED_TRACE(fmt::format("{}", fmt::join(call, " ")));
        EXPECT_NE(run(call).code, 0);
        EXPECT_EQ(folder.names(), before);
    }
}

TEST_F(CliInputs, NoOutputIsAnInput) {
    folder.put("k.sfc", rom), folder.put("bank", Bytes(rom.begin(), rom.begin() + 0x8000));
    folder.put("keys.txt", demo::key_file());
    folder.put("t.map.toml",
               "hotstitch-map = 1\n[table.t]\nat = 0\ncount = 2\nstride = 1\n[[table.t.field]]\nname = "
               "\"v\"\nat = 0\ntype = \"u8\"\n");
    const std::vector<std::vector<std::string>> calls = {
        {"put", "k.sfc", "bank 1=bank", "-o", "bank", "--replace"},
        {"put", "k.sfc", "bank 1=bank", "--keys", "keys.txt", "-o", "keys.txt", "--replace"},
        {"fields", "k.sfc", "t[0].v=7", "--map", "t.map.toml", "-o", "t.map.toml", "--replace"},
        {"take", "k.sfc:bank 1", "--map", "t.map.toml", "-o", "t.map.toml", "--replace"}};
    for (const auto& call : calls) {
        const ToolResult result = run(call);
        EXPECT_EQ(result.code, 2) << result.out << result.err;
        EXPECT_NE(result.err.find("one of the inputs"), std::string::npos) << result.err;
    }
    // Two words for one thing contradict each other: both are named.
    folder.put("other", Bytes(0x8000));
    const std::vector<std::vector<std::string>> halves = {
        {"put", "k.sfc", "bank 1=bank", "bank 1=other", "-o", "o"},
        {"put", "k.sfc", "bank 1=bank", "--remove", "bank 1", "-o", "o"},
        {"fields", "k.sfc", "t[0].v=3", "t[0].v=5", "--map", "t.map.toml", "-o", "o"}};
    for (const auto& call : halves) {
        EXPECT_EQ(run(call).code, 2) << fmt::format("{}", fmt::join(call, " "));
        EXPECT_FALSE(fs::exists(folder / "o"));
    }
}

TEST_F(CliInputs, UndoBringsBackWhatStoodThere) {
    folder.put("k.sfc", rom), folder.put("p.bps", create(rom, mod)), folder.put("f.bps", create(rom, fog));
    folder.put("o.sfc", "the player's own");
    EXPECT_EQ(answer({"apply", "k.sfc", "p.bps", "-o", "o.sfc", "--replace"}), "0 made");
    EXPECT_EQ(answer({"apply", "k.sfc", "f.bps", "-o", "o.sfc", "--replace"}), "0 made");
    EXPECT_TRUE(contents(folder / "o.sfc") == fog);
    EXPECT_EQ(answer({"undo", "o.sfc"}), "0 restored");
    EXPECT_TRUE(contents(folder / "o.sfc") == mod);
    EXPECT_EQ(answer({"undo", "o.sfc"}), "0 restored");
    EXPECT_EQ(text("o.sfc"), "the player's own");
    EXPECT_EQ(folder.names(), (std::set<std::string>{"f.bps", "k.sfc", "o.sfc", "p.bps"})) << "and nothing else";
}

TEST_F(CliInputs, ASheetsDiscKeepsItsFormInPlaceAndBack) {
    const Bytes plain = demo::disc(demo::kelp_harbour_files(1));
    Bytes changed = plain;
    changed[40'000] ^= std::byte{7};
    Bytes bin = demo::in_sectors(plain, 2), wanted = demo::in_sectors(changed, 2);
    const Bytes sound = demo::sound(1);
    bin.insert(bin.end(), sound.begin(), sound.end()), wanted.insert(wanted.end(), sound.begin(), sound.end());
    folder.put("kelp.bin", bin), folder.put("p.bps", create(plain, changed));
    folder.put("kelp.cue", demo::cue_sheet("kelp.bin", 2, plain.size() / 2048, ""));
    const std::string sheet = text("kelp.cue");
    EXPECT_EQ(answer({"apply", "kelp.cue", "p.bps", "-o", "n.cue"}), "0 made");
    EXPECT_TRUE(contents(folder / "n.bin") == wanted) << "whole sectors, and the sound";
    EXPECT_NE(text("n.cue").find("FILE \"n.bin\""), std::string::npos);
    EXPECT_EQ(answer({"verify", "--receipt", "n.cue"}), "0 as-made");
    EXPECT_EQ(answer({"undo", "n.cue"}), "0 removed");
    EXPECT_FALSE(fs::exists(folder / "n.bin") || fs::exists(folder / "n.cue"));
    EXPECT_EQ(answer({"apply", "kelp.cue", "p.bps", "--in-place"}), "0 made");
    EXPECT_TRUE(contents(folder / "kelp.bin") == wanted);
    EXPECT_EQ(text("kelp.cue"), sheet);
    EXPECT_EQ(answer({"undo", "kelp.cue"}), "0 restored");
    EXPECT_TRUE(contents(folder / "kelp.bin") == bin);
    const ToolResult image = run({"apply", "kelp.cue", "p.bps", "-o", "n.iso"});
    EXPECT_TRUE(contents(folder / "n.iso") == changed);
    EXPECT_NE(image.out.find("track 2"), std::string::npos) << "what is left out is named: " << image.out;
}

TEST_F(CliInputs, APartKeepsTheNameAndPlaceOfItsDisc) {
    const Bytes plain = demo::disc(demo::kelp_harbour_files(1));
    folder.put("d.iso", plain);
    const Bytes table = demo::kelp_harbour_files(1)[2].content;
    folder.put("p.bps", create(table, demo::junk(table.size(), 9)));
    shell("bsdtar --format=zip -cf d.zip d.iso");
    const std::string name = demo::kelp_harbour_files(1)[2].path;
    EXPECT_EQ(answer({"apply", "d.zip:d.iso:" + name, "p.bps", "-o", "whole.iso"}), "0 made");
    EXPECT_EQ(fs::file_size(folder / "whole.iso"), plain.size()) << "the disc, not the part under its name";
    EXPECT_EQ(answer({"take", "whole.iso:" + name, "-o", "t.bin"}), "0 taken");
    EXPECT_TRUE(contents(folder / "t.bin") == demo::junk(table.size(), 9));
    const ToolResult mends = run({"mend", "d.iso"});
    EXPECT_EQ(mends.code, 0);
    EXPECT_NE(mends.out.find("volume-id"), std::string::npos) << mends.out;
}

}  // namespace
}  // namespace hotstitch
