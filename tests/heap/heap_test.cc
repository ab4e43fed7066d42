// SPDX-License-Identifier: MIT
// What a heap of files comes to, by the library and by the tool: every role, every order, one plan, a question, or why
// not.
#include "hotstitch/heap.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <fstream>

#include "cartridges.h"
#include "disc.h"
#include "executables.h"
#include "hotstitch/create.h"
#include "hotstitch/job.h"
#include "hotstitch/kit_jobs.h"
#include "kelp_harbour.h"
#include "lib/patch_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

namespace fs = std::filesystem;

using Names = std::vector<std::string>;

class Heaps : public testing::Test {
protected:
    void SetUp() override {
        folder.put("r0.sfc", r0), folder.put("r1.sfc", r1), folder.put("r1.smc", demo::with_front_header(r1));
        folder.put("copy.sfc", r1), folder.put("night.sfc", night), folder.put("gb.gb", demo::game_boy_kelp());
        folder.put("tides.bps", create(r1, night)), folder.put("r0.bps", create(r0, night));
        folder.put("fog.bps", create(night, fog)), folder.put("other.bps", create(r1, fog));
        folder.put("tides.ips", create(r1, night, {.format = PatchFormat::ips}));
        folder.put("readme.txt", "Night Tides 1.2\r\n\r\nFor revision 1.\r\n\x1b[31m\r\n");
        folder.put("tool.exe", demo::pe());
    }
    static Bytes cut(Bytes bytes) { return bytes.resize(bytes.size() / 2), bytes; }

    /// An archive of these, under other names where a '=' says so.
    void pack(const std::string& archive, const Names& files) const {
        std::string call = fmt::format("cd '{}' && bsdtar -a -cf {}", folder.path().string(), archive);
        for (const std::string& file : files) call += " '" + file + "'";
        ASSERT_EQ(std::system(call.c_str()), 0);
    }
    Names in_folder(Names names) const {
        for (std::string& name : names) name = (folder / name).string();
        return names;
    }
    Heap sorted(const Names& names) const { return sort_heap(in_folder(names)); }
    std::string base_of(const HeapChoice& choice) const {
        return fs::path(choice.recipe->base).lexically_relative(folder.path()).string();
    }
    ToolResult run(Names call) const { return run_tool(call, {.folder = folder.path()}); }

    TemporaryFolder folder;
    const Bytes r0 = demo::kelp_harbour(0), r1 = demo::kelp_harbour(1), night = demo::night_tides(r1),
                fog = demo::fog_signals(night);
};

TEST_F(Heaps, ComeToOnePlanInEveryOrder) {
    pack("mod.zip", {"tides.bps", "readme.txt", "tool.exe"});
    pack("game.zip", {"r1.sfc"});
    pack("editions.zip", {"r0.bps", "tides.bps"});
    fs::create_directories(folder / "games/deep");
    for (const char* name : {"r0.sfc", "r1.sfc", "gb.gb"}) fs::copy(folder / name, folder / "games/deep");
    const struct {
        Names given;
        const char* base;
        const char* made;
        const char* left;  ///< one of those that are left over
    } cases[] = {
        {{"tides.bps", "r1.sfc"}, "r1.sfc", "tides.sfc", ""},
        {{"tides.bps", "r0.sfc", "r1.sfc"}, "r1.sfc", "tides.sfc", "r0.sfc"},
        {{"tides.bps", "r1.smc", "gb.gb"}, "r1.smc", "tides.sfc", "gb.gb"},
        {{"tides.bps", "r1.smc", "r1.sfc"}, "r1.sfc", "tides.sfc", "r1.smc"},
        {{"tides.bps", "copy.sfc", "r1.sfc"}, nullptr, nullptr, ""},  // the first of the two that are the same
        {{"tides.ips", "r0.sfc", "r1.sfc"}, "r1.sfc", "tides.sfc", "r0.sfc"},
        {{"mod.zip", "game.zip"}, "game.zip", "tides.sfc", "mod.zip:tool.exe"},
        {{"editions.zip", "r1.sfc"}, "r1.sfc", "editions.sfc", ""},
        {{"editions.zip", "r0.sfc"}, "r0.sfc", "editions.sfc", ""},
        {{"fog.bps", "r1.sfc", "tides.bps"}, "r1.sfc", "fog.sfc", ""},  // one after the other
        {{"tides.bps", "games"}, "games/deep/r1.sfc", "games/deep/tides.sfc", ""},
    };
    for (const auto& c : cases) {
        Names order = c.given;
        std::sort(order.begin(), order.end());
        do {
            const Heap heap = sorted(order);
            const std::string which = fmt::format("{}", fmt::join(order, " "));
            ASSERT_TRUE(heap.plan && heap.plan->recipe) << which;
            EXPECT_TRUE(heap.open.empty() && !heap.refusal && heap.misfits.empty()) << which;
            if (c.base == nullptr) continue;
            EXPECT_EQ(base_of(*heap.plan), c.base) << which;
            EXPECT_EQ(heap.plan->output.lexically_relative(folder.path()), c.made) << which;
            if (*c.left == '\0') continue;
            EXPECT_TRUE(std::any_of(heap.files.begin(), heap.files.end(), [&](const HeapFile& file) {
                return file.path == (folder / c.left).string() && !file.why.empty();
            })) << which;
        } while (std::next_permutation(order.begin(), order.end()));
    }
    const Heap chain = sorted({"fog.bps", "r1.sfc", "tides.bps"});
    EXPECT_EQ(chain.plan->recipe->steps.size(), 2U);
    // The plan is a recipe: done, it makes what the patches make.
    Job job(*chain.plan->recipe, {});
    job.open();
    EXPECT_EQ(job.run().answer, Answer::made);
    EXPECT_EQ(contents(folder / "fog.sfc"), fog);
}

TEST_F(Heaps, AskWhereNothingDecides) {
    pack("editions.zip", {"r0.bps", "tides.bps"});
    const struct {
        Names given;
        std::size_t choices;
        const char* question;
    } cases[] = {
        {{"tides.bps", "other.bps", "r1.sfc"}, 3, "Which patch"},  // one, the other, both
        {{"tides.bps", "tides.ips", "r1.sfc"}, 3, "Which patch"},  // certain and likely
        {{"editions.zip", "r0.sfc", "r1.sfc"}, 2, "Which patch, onto which game"},
        {{"tides.bps", "r0.sfc"}, 2, "beside"},  // r1.sfc and its copy
    };
    for (const auto& c : cases) {
        const Heap heap = sorted(c.given);
        const std::string which = fmt::format("{}", fmt::join(c.given, " "));
        EXPECT_FALSE(heap.plan) << which;
        ASSERT_EQ(heap.open.size(), 1U) << which;
        EXPECT_EQ(heap.open.front().choices.size(), c.choices) << which;
        EXPECT_NE(heap.open.front().question.find(c.question), std::string::npos) << heap.open.front().question;
        const ToolResult told = run(c.given);
        EXPECT_EQ(told.code, 1) << told.out;
        EXPECT_FALSE(fs::exists(folder / "tides.sfc"));
    }
    // Each call that is told can be made.
    const nlohmann::json document = run({"tides.bps", "other.bps", "r1.sfc", "--json"}).json();
    for (const auto& step : document["next"]) {
        const std::string text = step, call = text.substr(text.find("hotstitch apply") + 10);
        EXPECT_EQ(std::system(fmt::format("cd '{}' && \"$HOTSTITCH_TOOL\" {} -q -o out/ >/dev/null 2>&1",
                                          folder.path().string(), call)
                                  .c_str()),
                  text.find(" then ") == std::string::npos ? 0 : 256)
            << call;
    }
}

TEST_F(Heaps, SayWhyNothingFits) {
    TemporaryFolder alone;  // so that nothing lies beside
    alone.put("r0.sfc", r0), alone.put("tides.bps", create(r1, night)), alone.put("cut.bps", cut(create(r1, night)));
    alone.put("night.sfc", night), alone.put("page.html", "<!doctype html><p>your download"),
        alone.put("gb.gb", demo::game_boy_kelp());
    const struct {
        Names call;
        int code;
        const char* answer;
        const char* word;
    } cases[] = {
        {{"tides.bps", "r0.sfc"}, 1, "wrong-source", "another revision"},
        {{"tides.bps", "r0.sfc", "gb.gb"}, 1, "wrong-source", "r0.sfc"},  // the nearest
        {{"cut.bps", "r0.sfc"}, 3, "damaged", "cut"},
        {{"tides.bps"}, 1, "no-game", "no game"},
        {{"tides.bps", "page.html"}, 1, "no-game", "no game"},
        {{"night.sfc", "tides.bps"}, 0, "already-patched", "already"},
    };
    for (const auto& c : cases) {
        Names call = c.call;
        call.push_back("--json");
        const ToolResult told = run_tool(call, {.folder = alone.path()});
        EXPECT_EQ(told.code, c.code) << told.out;
        EXPECT_EQ(told.json()["answer"], c.answer) << told.out;
        EXPECT_NE(told.out.find(c.word), std::string::npos) << told.out;
        EXPECT_EQ(told.json()["made"], false);
    }
    EXPECT_EQ(alone.names().size(), 6U);
}

/// A patch without checks on another revision, whose own checks it would leave wrong: never done without being asked.
TEST_F(Heaps, DoubtsAreAsked) {
    TemporaryFolder alone;
    alone.put("r0.sfc", r0), alone.put("tides.ips", create(r1, night, {.format = PatchFormat::ips}));
    const ToolResult told = run_tool({"tides.ips", "r0.sfc", "--json"}, {.folder = alone.path()});
    EXPECT_EQ(told.code, 1) << told.out;
    EXPECT_EQ(told.json()["answer"], "open");
    EXPECT_EQ(told.json()["open"][0]["choices"].size(), 1U);
    EXPECT_EQ(alone.names().size(), 2U);
    alone.put("r1.sfc", r1);  // and the right one, once it lies beside, is named first
    const nlohmann::json beside = run_tool({"tides.ips", "r0.sfc", "--json"}, {.folder = alone.path()}).json();
    ASSERT_EQ(beside["open"].size(), 2U) << beside;
    EXPECT_EQ(beside["open"][0]["choices"][0]["recipe"]["base"], "r1.sfc");
}

TEST_F(Heaps, OfKitsTakeTheBaseThatTheyKnow) {
    create_kit({.pairs = {{(folder / "r1.sfc").string(), (folder / "night.sfc").string()}},
                .output = (folder / "n.kit").string(),
                .name = "Night Tides"});
    const ToolResult made = run({"gb.gb", "n.kit", "copy.sfc", "--json"});
    EXPECT_EQ(made.code, 0) << made.out;
    EXPECT_EQ(made.json()["left"][0]["path"], "gb.gb");
    EXPECT_EQ(contents(folder / "Night Tides.sfc"), night);
    const ToolResult beside = run({"n.kit", "r0.sfc"});
    EXPECT_EQ(beside.code, 1);
    EXPECT_NE(beside.out.find("hotstitch apply "), std::string::npos) << beside.out;
}

TEST_F(Heaps, AreDoneOnlyWhenNothingIsOpen) {
    const std::string before = fmt::format("{}", fmt::join(folder.names(), " "));
    EXPECT_EQ(run({"tides.bps", "r1.sfc", "--plan"}).code, 0);
    EXPECT_EQ(fmt::format("{}", fmt::join(folder.names(), " ")), before);
    const ToolResult made = run({"r1.sfc", "tides.bps", "readme.txt", "-o", "out/"});
    EXPECT_EQ(made.code, 0) << made.out;
    EXPECT_EQ(contents(folder / "out/tides.sfc"), night);
    EXPECT_NE(made.out.find("For revision 1."), std::string::npos) << made.out;  // the readme, nothing of it obeyed
    EXPECT_EQ(made.out.find('\x1b'), std::string::npos);
    EXPECT_EQ(run({"out/tides.sfc"}).code, 0);  // a game alone: what it is
    EXPECT_NE(run({"r1.sfc"}).out.find("KELP HARBOUR"), std::string::npos);
    EXPECT_EQ(run({"undo", "out/tides.sfc"}).code, 0);
    // Something stands there: it stays.
    folder.put("taken/tides.sfc", "mine");
    EXPECT_EQ(run({"r1.sfc", "tides.bps", "-o", "taken/"}).code, 2);
    EXPECT_EQ(contents(folder / "taken/tides.sfc").size(), 4U);
    EXPECT_EQ(run({"tides.bps", "nothing.sfc"}).code, 4);
    EXPECT_EQ(run({"nothing.sfc"}).code, 4);
    EXPECT_EQ(run({"nothing"}).code, 2);
}

TEST_F(Heaps, AskInATerminal) {
    const std::string call = fmt::format(
        "cd '{}' && printf '{{}}' | script -qec '{} tides.bps r1.sfc --color never' /dev/null >/dev/null 2>&1",
        folder.path().string(), std::getenv("HOTSTITCH_TOOL"));
    EXPECT_NE(std::system(fmt::format(fmt::runtime(call), "n\\n").c_str()), 0);
    EXPECT_FALSE(fs::exists(folder / "tides.sfc"));
    EXPECT_EQ(std::system(fmt::format(fmt::runtime(call), "\\n").c_str()), 0);
    EXPECT_EQ(contents(folder / "tides.sfc"), night);
}

/// A patch without checks, two games whose own checks see nothing of the change: what is quoted beside it decides.
TEST_F(Heaps, ChecksumsThatAreQuotedDecide) {
    // Data files have no checks of their own.
    Bytes a(5000, std::byte{1}), b(5000, std::byte{2}), target = a;
    target[77] = std::byte{9};
    folder.put("a.dat", a), folder.put("b.dat", b);
    const Bytes patch = create(a, target, {.format = PatchFormat::ips});
    folder.put("m.ips", patch);
    const Digests sums = digest(MemorySource(a), {.crc32 = true, .md5 = true, .sha1 = true});
    folder.put("says.txt", "made for the file with SHA-1 " + sums.sha1->hex() + ", not for any other");
    folder.put("a.sfv", "a.dat " + sums.crc32->hex() + "\n");
    folder.put(fmt::format("m [{}].ips", sums.crc32->hex()), patch);
    folder.put("other.txt", "published 20261201, 0123456789abcdef0123456789abcdef01234567");
    pack("m.zip", {"m.ips", "says.txt"});
    const std::string named = fmt::format("m [{}].ips", sums.crc32->hex());
    const struct {
        Names given;
        bool decided;
        std::string by;
    } cases[] = {{{"m.ips", "a.dat", "b.dat"}, false, ""},
                 {{"m.ips", "a.dat", "b.dat", "other.txt"}, false, ""},
                 {{"m.ips", "a.dat", "b.dat", "says.txt"}, true, "says.txt"},
                 {{"m.ips", "a.dat", "b.dat", "a.sfv"}, true, "a.sfv"},
                 {{"b.dat", "m.zip", "a.dat"}, true, "says.txt"},
                 {{"b.dat", "a.dat", named}, true, "the patch's name"}};
    for (const auto& c : cases) {
        const Heap heap = sorted(c.given);
        const std::string which = fmt::format("{}", fmt::join(c.given, " "));
        ASSERT_EQ(heap.plan.has_value(), c.decided) << which;
        if (!c.decided) continue;
        EXPECT_EQ(base_of(*heap.plan), "a.dat") << which;
        EXPECT_NE(heap.plan->by.find(c.by), std::string::npos) << heap.plan->by;
        const ToolResult made = run([&] {
            Names call = c.given;
            call.insert(call.end(), {"-o", "o.dat", "--replace", "--no-backup", "--json"});
            return call;
        }());
        EXPECT_EQ(made.json()["done"][0]["checked"][0], "source") << made.out;  // and it is held against it
        EXPECT_EQ(contents(folder / "o.dat"), target);
    }
}

/// A folder as the source of one call: the game in it that fits, or why none does.
TEST_F(Heaps, AFolderIsSearchedForTheSource) {
    fs::create_directories(folder / "games/deep");
    for (const char* name : {"r0.sfc", "gb.gb"}) fs::copy(folder / name, folder / "games");
    fs::create_directories(folder / "none");
    fs::copy(folder / "r0.sfc", folder / "none");
    for (const char* name : {"r1.sfc", "r1.smc"}) {  // as it stands, and behind a header
        fs::copy(folder / name, folder / "games/deep");
        for (const char* patch : {"tides.bps", "tides.ips"}) {
            const ToolResult made = run({"apply", "games", patch, "-o", "o.sfc", "--replace", "--no-backup"});
            EXPECT_EQ(made.code, 0) << name << " " << patch << made.err;
            EXPECT_EQ(contents(folder / "o.sfc"), night);
        }
        fs::remove(folder / "games/deep" / name);
    }
    const ToolResult none = run({"apply", "none", "tides.bps", "--json"});
    EXPECT_EQ(none.code, 1);
    EXPECT_EQ(none.json()["answer"], "wrong-source");
    EXPECT_NE(none.out.find("crc32 6f184ef6"), std::string::npos) << none.out;
    // A refused source: the right one lies beside the patch, and its call can be made.
    const nlohmann::json refused = run({"apply", "none/r0.sfc", "tides.bps", "--json"}).json();
    ASSERT_EQ(refused["next"].size(), 2U) << refused["next"];  // r1.sfc and its copy
    EXPECT_EQ(refused["next"][1], "r1.sfc, beside it, fits: hotstitch apply r1.sfc tides.bps");
    // Of a folder below, nothing is said: only what lies beside.
    EXPECT_EQ(run({"apply", "games/gb.gb", "tides.bps", "--json"}).json()["answer"], "wrong-source");
}

TEST_F(Heaps, FindOneGameAmongTenThousandFiles) {
    fs::create_directories(folder / "many");
    for (int i = 0; i < 10'000; ++i) std::ofstream(folder / fmt::format("many/{:05}.sfc", i)) << "not this one " << i;
    fs::copy(folder / "r1.sfc", folder / "many/zz.sfc");
    for (const char* patch : {"tides.bps", "tides.ips"}) {
        const Heap heap = sorted({"many", patch});
        ASSERT_TRUE(heap.plan || heap.cut_short) << patch;
        if (heap.plan) {
            EXPECT_EQ(base_of(*heap.plan), "many/zz.sfc");
        }
    }
}

}  // namespace
}  // namespace hotstitch
