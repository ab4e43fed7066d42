// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>

#include "hotstitch/apply.h"
#include "kelp_harbour.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace {

namespace fs = std::filesystem;
using hotstitch::Bytes, hotstitch::ByteView, hotstitch::bytes_of, hotstitch::text_of;

ToolResult run(const TemporaryFolder& folder, std::vector<std::string> arguments) {
    return run_tool(arguments, {.folder = folder.path()});
}

TEST(CliCreate, WritesTheCommittedDemoPatchesAgain) {
    const TemporaryFolder folder;
    const Bytes source = demo::kelp_harbour(1);
    folder.put("source.sfc", source);
    const std::pair<const char*, Bytes> mods[] = {{"Night Tides", demo::night_tides(source)},
                                                  {"Longer Berths", demo::longer_berths(source)},
                                                  {"Fog Signals", demo::fog_signals(source)}};
    for (const auto& [name, target] : mods) {
        const std::string mod(name);
        folder.put(mod + ".sfc", target);
        EXPECT_EQ(run(folder, {"create", "source.sfc", mod + ".sfc", "-o", mod + ".ips", "--checks"}).code, 0);
        EXPECT_EQ(run(folder, {"create", "source.sfc", mod + ".sfc"}).code, 0);
        EXPECT_EQ(run(folder, {"create", "source.sfc", mod + ".sfc", "--format", "ups"}).code, 0);
        EXPECT_EQ(run(folder, {"create", "source.sfc", mod + ".sfc", "-o", mod + ".xdelta", "--plain"}).code, 0);
        for (const std::string ending : {".ips", ".ips.checks.json", ".bps", ".ups", ".xdelta"})
            EXPECT_TRUE(mod + ending == "Longer Berths.ups" ||
                        contents(folder / (mod + ending)) == contents(fs::path(DEMO_DATA) / (mod + ending)))
                << mod << ending;
    }
}

TEST(CliCreate, KeepsMetadataWhereTheFormatCan) {
    const TemporaryFolder folder;
    folder.put("a", "1");
    folder.put("b", "2");
    folder.put("about.txt", "Night Tides \x1b[31m\xff by nobody");
    EXPECT_EQ(run(folder, {"create", "a", "b", "--metadata", "about.txt"}).code, 0);
    const ToolResult described = run(folder, {"describe", "b.bps"});
    EXPECT_NE(described.out.find("Night Tides \\x1b[31m\\xff by nobody"), std::string::npos) << described.out;
    const ToolResult refused = run(folder, {"create", "a", "b", "--metadata", "about.txt", "-o", "b.ups"});
    EXPECT_EQ(refused.code, 2);
    EXPECT_NE(refused.err.find("no place for metadata"), std::string::npos);
}

TEST(CliCreate, SaysHowItLookedForMatchesAndKeepsToTheMemory) {
    const TemporaryFolder folder;
    Bytes source(3 << 20);
    std::uint32_t state = 1;
    for (std::byte& b : source) b = static_cast<std::byte>((state = state * 1664525 + 1013904223) >> 24);
    Bytes target = source;
    std::rotate(target.begin(), target.begin() + 1'000'000, target.end());
    folder.put("a", source), folder.put("b", target);
    const auto said = [&](std::vector<std::string> options) {
        std::vector<std::string> call{"create", "a", "b", "-v", "--replace"};
        call.insert(call.end(), options.begin(), options.end());
        return run(folder, call).out;
    };
    const std::string ample = said({}), little = said({"--memory", "1M"}), none = said({"-o", "b.ips"});
    EXPECT_NE(ample.find("matching: 1 place in 4 of the source in an index of"), std::string::npos) << ample;
    EXPECT_NE(little.find("matching: 1 place in 25 of the source in an index of 7"), std::string::npos) << little;
    EXPECT_LT(fs::file_size(folder / "b.bps"), 100U);
    EXPECT_EQ(none.find("matching:"), std::string::npos) << none;
}

TEST(CliCreate, VcdiffAsPlainAsAskedAndWithNamesOnlyWhenAsked) {
    const TemporaryFolder folder;
    const Bytes source = demo::kelp_harbour(1), target = demo::longer_berths(source);
    folder.put("games/a.sfc", source), folder.put("b.sfc", target);
    const auto made = [&](std::vector<std::string> options) {
        std::vector<std::string> call{"create", "games/a.sfc", "b.sfc", "-o", "p.xdelta", "--json", "--replace"};
        call.insert(call.end(), options.begin(), options.end());
        const ToolResult result = run(folder, call);
        EXPECT_EQ(result.code, 0) << result.err;
        const Bytes patch = contents(folder / "p.xdelta");
        EXPECT_TRUE(hotstitch::apply_in_memory(patch, source).target == target);
        const ToolResult applied =
            run(folder, {"apply", "games/a.sfc", "p.xdelta", "-o", "made.sfc", "--json", "--replace"});
        EXPECT_EQ(applied.code, 0) << applied.out;
        EXPECT_TRUE(contents(folder / "made.sfc") == target);
        return run(folder, {"describe", "p.xdelta", "--json"}).json()["files"][0];
    };
    auto described = made({});
    EXPECT_EQ(described["format"], "vcdiff");
    EXPECT_EQ(described["compression"], "LZMA");
    EXPECT_FALSE(described.contains("metadata"));
    described = made({"--plain", "--no-window-checks", "--window", "64K", "--names"});
    EXPECT_TRUE(described["compression"].is_null());
    EXPECT_EQ(described["window_count"], 32);
    EXPECT_TRUE(described["windows"][0]["adler32"].is_null());
    EXPECT_EQ(described["metadata"], "b.sfc//a.sfc/");
    // Nothing to check by but the ROM's own checks: said, by verify as by apply.
    EXPECT_EQ(run(folder, {"verify", "p.xdelta", "games/a.sfc", "--json"}).json()["answer"], "likely");
    EXPECT_NE(run(folder, {"apply", "games/a.sfc", "p.xdelta", "-o", "u.sfc"}).out.find("the ROM's own still hold"),
              std::string::npos);
    EXPECT_EQ(run(folder, {"create", "b.sfc", "b.sfc", "-o", "n.xdelta", "--window", "32M"}).code, 2);
    EXPECT_EQ(run(folder, {"create", "b.sfc", "b.sfc", "-o", "n.bps", "--names"}).code, 2);
}

TEST(CliCreate, TellsWhatIsPublishedAndWhatOldAppliersFailOn) {
    const TemporaryFolder folder;
    folder.put("a.sfc", std::string(100, 'a') + "0123456789abcdefghijklmnopqrstuvwxyz");
    folder.put("b.sfc",
               std::string(80, 'b') + "0123456789abcdefghij" + "0123456789abcdefghijklmnopqrstuvwxyz" + "MORE");
    const ToolResult result = run(folder, {"create", "a.sfc", "b.sfc", "-o", "b.ips", "--json"});
    EXPECT_EQ(result.code, 0) << result.err;
    EXPECT_EQ(result.json()["own_bytes"], (nlohmann::json{{"literal", 24}, {"also_in_source", 20}})) << result.out;
    EXPECT_EQ(result.json()["demands"]["grows"], true);
    EXPECT_NE(result.json()["warnings"][0].get<std::string>().find("old IPS appliers"), std::string::npos);
    const ToolResult described = run(folder, {"describe", "b.ips", "--source", "a.sfc", "--json"});
    EXPECT_EQ(described.json()["files"][0]["own_bytes"], result.json()["own_bytes"]);
}

TEST(CliCreate, ChoosesAFormatThatHoldsTheChange) {
    const TemporaryFolder folder;
    Bytes big(0x1020000);
    folder.put("a.img", big);
    big.back() = std::byte{1};
    folder.put("b.img", big);
    const ToolResult chosen = run(folder, {"create", "a.img", "b.img", "-o", "b.ips"});
    EXPECT_EQ(chosen.code, 0) << chosen.err;
    EXPECT_NE(chosen.out.find("chose ips32"), std::string::npos);
    EXPECT_TRUE(text_of(contents(folder / "b.ips")).starts_with("IPS32"));
    const ToolResult refused = run(folder, {"create", "a.img", "b.img", "--format", "ips", "-o", "c.ips"});
    EXPECT_EQ(refused.code, 2);
    EXPECT_NE(refused.err.find("ips32 and bps hold it"), std::string::npos) << refused.err;
    EXPECT_FALSE(fs::exists(folder / "c.ips"));
}

TEST(CliCreate, NamesThatWouldBeTooLongAreRefusedBeforeAnythingIsMade) {
    const TemporaryFolder folder;
    folder.put("a", "harbour"), folder.put("b", "harbor");
    // The backup of a name this long would have a longer name than any file may have.
    const std::string name = std::string(233, 'n') + ".bps";
    folder.put(name, "an older patch");
    const ToolResult result =
        run_tool({"create", "a", "b", "-o", name, "--checks", "--replace"}, {.folder = folder.path()});
    EXPECT_EQ(result.code, 2) << result.err;
    EXPECT_TRUE(text_of(contents(folder / name)) == "an older patch");
    EXPECT_FALSE(std::filesystem::exists(folder / (name + ".checks.json")));
}

TEST(CliCreate, RefusesWhatCannotBe) {
    const TemporaryFolder folder;
    folder.put("a", "1");
    folder.put("b", "2");
    EXPECT_EQ(run(folder, {"create", "a", "missing"}).code, 4);
    EXPECT_EQ(run(folder, {"create", "a", "b", "-o", "a", "--replace"}).code, 2);
    EXPECT_EQ(run(folder, {"create", "a", "b", "--format", "zip"}).code, 2);
    EXPECT_EQ(run(folder, {"create", "a", "b", "-o", "-", "--checks"}).code, 2);
    EXPECT_EQ(text_of(contents(folder / "a")), "1");
    EXPECT_EQ(folder.names().size(), 2U);
    const ToolResult same = run(folder, {"create", "a", "a", "-o", "same.ips"});
    EXPECT_EQ(same.code, 0);
    EXPECT_NE(same.out.find("changes nothing"), std::string::npos);
    const ToolResult piped = run(folder, {"create", "a", "b", "-o", "-"});
    EXPECT_EQ(text_of(hotstitch::apply_in_memory(bytes_of(piped.out), bytes_of("1")).target), "2");
    // The checks file of a patch may not be overwritten either.
    folder.put("c.ips.checks.json", "mine");
    EXPECT_EQ(run(folder, {"create", "a", "b", "-o", "c.ips", "--checks"}).code, 2);
    EXPECT_FALSE(fs::exists(folder / "c.ips"));
}

}  // namespace
