// SPDX-License-Identifier: MIT
// The example launcher against the tool: both stand on the same jobs, so they give the same reasons and the same files.
#include <gtest/gtest.h>

#include "cartridges.h"
#include "hotstitch/create.h"
#include "hotstitch/inputs.h"
#include "kelp_harbour.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

class Launcher : public testing::Test {
protected:
    ToolResult launch(const std::vector<std::string>& words) const {
        return run_tool(words, {.folder = folder.path(), .binary = LAUNCHER});
    }
    ToolResult run(const std::vector<std::string>& words) const { return run_tool(words, {.folder = folder.path()}); }

    const TemporaryFolder folder;
    const Bytes game = demo::kelp_harbour(1), modded = demo::night_tides(game);
    void SetUp() override {
        folder.put("kelp.sfc", game);
        folder.put("night.bps", create(game, modded));
    }
};

TEST_F(Launcher, GivesTheSameReasonAsTheTool) {
    Bytes other = game, cut(game.begin(), game.begin() + 300'000);
    other[5000] ^= std::byte{1};
    const ByteView page = bytes_of("<!doctype html><html>");
    const struct {
        const char* what;
        Bytes file;
        const char* code;
    } rows[] = {{"another revision", other, "other-content"},
                {"a broken download", cut, "cut-short"},
                {"a saved page", {page.begin(), page.end()}, "web-page"},
                {"nothing", {}, "empty"},
                {"another game", demo::game_boy_kelp(), "other-size"}};
    for (const auto& row : rows) {
        folder.put("wrong.sfc", row.file);
        const ToolResult launched = launch({"wrong.sfc", "night.bps"});
        const ToolResult told = run({"apply", "wrong.sfc", "night.bps", "--json"});
        EXPECT_EQ(launched.code, 2) << row.what;
        EXPECT_EQ(launched.out.substr(0, launched.out.find(':')), row.code) << row.what;
        EXPECT_EQ(told.json()["reasons"][0]["code"], row.code) << row.what;
        EXPECT_FALSE(std::filesystem::exists(folder / "night.sfc")) << row.what;
    }
}

TEST_F(Launcher, MakesTheGameAndTakesItBack) {
    EXPECT_EQ(launch({"kelp.sfc", "night.bps"}).out, "start " + (folder.path() / "night.sfc").string() + "\n");
    EXPECT_TRUE(contents(folder / "night.sfc") == modded);
    EXPECT_TRUE(std::filesystem::exists(folder / "night.sfc.receipt.json"));
    EXPECT_EQ(launch({"kelp.sfc", "night.bps"}).code, 0) << "made already";
    EXPECT_EQ(launch({"night.sfc", "night.bps"}).out, "start night.sfc\n") << "patched already";
    EXPECT_EQ(launch({"--undo", "night.sfc"}).out, "undone: removed\n");
    EXPECT_FALSE(std::filesystem::exists(folder / "night.sfc"));
    EXPECT_TRUE(contents(folder / "kelp.sfc") == game);
    EXPECT_EQ(launch({"missing.sfc", "night.bps"}).code, 3);
}

TEST_F(Launcher, DoesARecipeThatItIsHandedAsAText) {
    folder.put("recipe.json",
               R"({"schema": {"name": "hotstitch/recipe", "version": 1}, "base": "kelp.sfc",
                   "steps": [{"do": "apply", "file": "night.bps"}, {"do": "mend", "mends": ["region=Japan"]}],
                   "to": {"file": "out/"}})");
    const ToolResult launched = launch({"--recipe", "recipe.json"});
    EXPECT_EQ(launched.code, 0) << launched.err;
    ASSERT_EQ(run({"apply", "kelp.sfc", "night.bps", "-o", "a.sfc"}).code, 0);
    ASSERT_EQ(run({"mend", "a.sfc", "region=Japan", "-o", "b.sfc"}).code, 0);
    EXPECT_TRUE(contents(folder / "out/night.sfc") == contents(folder / "b.sfc")) << launched.out;
    folder.put("recipe.json", "{}");
    EXPECT_EQ(launch({"--recipe", "recipe.json"}).code, 3);
}

}  // namespace
}  // namespace hotstitch
