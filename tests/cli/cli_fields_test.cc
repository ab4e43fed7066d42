// SPDX-License-Identifier: MIT
// Fields, edit lists, described archives and charts by the real tool, on the demo's data files: what a maker and a
// player do with them, what goes wrong, in the time and memory that are allowed.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <filesystem>

#include "console_discs.h"
#include "data_files.h"
#include "disc.h"
#include "executables.h"
#include "hotstitch/file_io.h"
#include "kelp_harbour.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace {

namespace fs = std::filesystem;
using hotstitch::Bytes;
using hotstitch::text_of;

class CliFields : public testing::Test {
protected:
    CliFields() {
        folder.put("kelp.dat", demo::harbour_data(false));
        folder.put("kelp-us.dat", demo::harbour_data(true));
        folder.put("europe.map.toml", demo::map_of(false));
        folder.put("americas.map.toml", demo::map_of(true));
        folder.put("kelp.tbl", demo::letters());
        folder.put("berths.edits", demo::longer_berths_edits());
    }
    ToolResult run(std::vector<std::string> arguments) const { return run_tool(arguments, {.folder = folder.path()}); }
    std::string answer(std::vector<std::string> arguments) const {
        arguments.emplace_back("--json");
        const ToolResult result = run(std::move(arguments));
        return fmt::format("{} {}", result.code, result.json()["answer"].get<std::string>());
    }
    /// What a call says, whatever it says it on.
    std::string said(std::vector<std::string> arguments) const {
        const ToolResult result = run(std::move(arguments));
        return result.out + result.err;
    }
    TemporaryFolder folder;
};

TEST_F(CliFields, AMakerSetsOneNumberAndSeesIt) {
    const ToolResult shown = run({"fields", "kelp.dat", "berth[Old Pier]"});
    EXPECT_EQ(shown.code, 0) << shown.err;
    for (const char* const word : {"Kelp Harbour, Europe: tables", "Old Pier", "gale", "\"Jon Wick\""})
        EXPECT_NE(shown.out.find(word), std::string::npos) << word << "\n" << shown.out;
    const ToolResult set = run({"fields", "kelp.dat", "berth[Old Pier].depth=14", "tide[2].low=-2", "-o", "new.dat"});
    EXPECT_EQ(set.code, 0) << set.err;
    EXPECT_NE(set.out.find("berth[1].depth (Old Pier): from 10 to 14"), std::string::npos) << set.out;
    EXPECT_NE(set.out.find("put right  sum of bytes at 0x000010"), std::string::npos) << set.out;
    EXPECT_EQ(contents(folder / "kelp.dat"), demo::harbour_data(false)) << "the source stays as it is";
    EXPECT_EQ(answer({"fields", "kelp.dat", "--compare", "kelp.dat"}), "0 same");
    EXPECT_EQ(answer({"fields", "kelp.dat", "--compare", "new.dat", "--save", "mine.edits"}), "1 different");
    EXPECT_EQ(answer({"apply", "kelp.dat", "mine.edits", "-o", "again.dat"}), "0 made");
    EXPECT_EQ(contents(folder / "again.dat"), contents(folder / "new.dat"));
    // The same as a patch, made without matching; in place, with a way back.
    EXPECT_EQ(answer({"fields", "kelp.dat", "berth[1].depth=14", "tide[2].low=-2", "--patch", "mine.bps"}), "0 set");
    EXPECT_EQ(answer({"fields", "kelp.dat", "berth[1].depth=14", "tide[2].low=-2", "--in-place"}), "0 set");
    EXPECT_EQ(contents(folder / "kelp.dat"), contents(folder / "new.dat"));
    EXPECT_EQ(answer({"fields", "kelp.dat", "berth[1].depth=14", "--in-place"}), "0 set-already");
    EXPECT_EQ(answer({"undo", "kelp.dat"}), "0 restored");
    EXPECT_EQ(contents(folder / "kelp.dat"), demo::harbour_data(false));
    EXPECT_EQ(answer({"apply", "kelp.dat", "mine.bps", "--in-place"}), "0 made");
    EXPECT_EQ(contents(folder / "kelp.dat"), contents(folder / "new.dat"));
}

TEST_F(CliFields, AChangedCopyIsComparedByTheMapOfItsOriginal) {
    // A map for one exact file: what was changed has another checksum, and its tables where they were.
    std::string map = demo::map_of(false);
    const std::string crc = run({"describe", "kelp.dat", "--json"}).json()["files"][0]["crc32"];
    const std::size_t begins = map.find("begins");
    map.replace(begins, map.find('\n', begins) - begins, "crc32 = \"" + crc + "\"");
    folder.put("exact.map.toml", map);
    ASSERT_EQ(run({"fields", "kelp.dat", "berth[0].depth=9", "--map", "exact.map.toml", "-o", "new.dat"}).code, 0);
    EXPECT_EQ(run({"fields", "new.dat", "--map", "exact.map.toml"}).code, 1);
    const auto compared =
        run({"fields", "kelp.dat", "--compare", "new.dat", "--map", "exact.map.toml", "--json"}).json();
    EXPECT_EQ(compared["fields"].size(), 1U) << compared.dump(1);
    EXPECT_TRUE(compared["outside"].empty());
}

TEST_F(CliFields, SpreadsheetsAndProgramsGetTheirForms) {
    const std::string csv = run({"fields", "kelp.dat", "tide", "--csv"}).out;
    EXPECT_TRUE(csv.starts_with("tide,name,high,low,turn\r\n0,January,12,-3,360\r\n")) << csv;
    EXPECT_EQ(std::count(csv.begin(), csv.end(), '\n'), 13);
    const auto json = run({"fields", "kelp.dat", "berth[0]", "--json"}).json();
    const auto& record = json["tables"][0]["records"][0];
    EXPECT_EQ(record["key"], "North Quay");
    EXPECT_EQ(record["offset"], 0x200);
    EXPECT_EQ(record["values"][1], 3);
    EXPECT_EQ(record["values"][2], "calm");
    EXPECT_EQ(record["values"][6], 2.5);
    EXPECT_EQ(record["values"][7]["offset"], 0x600);
    EXPECT_EQ(record["values"][7]["text"], "Ada Brine");
    EXPECT_EQ(json["tables"][0]["columns"][7]["type"], "pointer");
}

TEST_F(CliFields, ThePlayersListFitsEitherEdition) {
    for (const char* const file : {"kelp.dat", "kelp-us.dat"}) {
        EXPECT_EQ(answer({"verify", "berths.edits", file}), "0 fits");
        EXPECT_EQ(answer({"apply", file, "berths.edits", "-o", "made.dat", "--replace"}), "0 made");
        EXPECT_EQ(answer({"apply", "made.dat", "berths.edits"}), "0 already-patched");
        EXPECT_NE(said({"fields", "made.dat", "berth[Ferry Stage]"}).find("calm"), std::string::npos);
        // The same change in every other form, and back.
        for (const char* const format : {"ips", "ups", "bps", "vcdiff"}) {
            EXPECT_EQ(answer({"recast", file, "berths.edits", "--format", format, "-o", "made.patch", "--replace"}),
                      "0 made");
            EXPECT_EQ(answer({"recast", file, "made.patch", "--format", "edits", "-o", "back.edits", "--replace"}),
                      "0 made");
            EXPECT_EQ(answer({"apply", file, "back.edits", "-o", "back.dat", "--replace"}), "0 made");
            EXPECT_EQ(contents(folder / "back.dat"), contents(folder / "made.dat"));
        }
    }
    // Every old value that differs is told, and nothing is made.
    ASSERT_EQ(
        run({"fields", "kelp.dat", "berth[Old Pier].depth=11", "berth[Ferry Stage].depth=8", "-o", "other.dat"}).code,
        0);
    const std::string why = said({"apply", "other.dat", "berths.edits", "-o", "no.dat"});
    for (const char* const word : {"berth[Old Pier].depth", "berth[Ferry Stage].depth"})
        EXPECT_NE(why.find(word), std::string::npos) << why;
    EXPECT_FALSE(fs::exists(folder / "no.dat"));
    EXPECT_EQ(answer({"apply", "other.dat", "berths.edits", "-o", "no.dat", "--allow", "source"}), "0 made");
    EXPECT_EQ(answer({"overlap", "kelp.dat", "berths.edits", "back.edits"}).substr(0, 2),
              "1 ");  // back.edits is for the other edition
}

TEST_F(CliFields, DescribesAnEditListAndWhatItTouches) {
    const std::string alone = said({"describe", "berths.edits"});
    for (const char* const word : {"Longer Berths", "berth[Old Pier].depth: from 10 to 14, the great ferry fits in"})
        EXPECT_NE(alone.find(word), std::string::npos) << alone;
    const std::string with = said({"describe", "berths.edits", "--source", "kelp.dat", "--maps", "."});
    for (const char* const word :
         {"checksum", "berth[Old Pier]: depth; berth[Ferry Stage]: depth, weather", "tide[March]: low"})
        EXPECT_NE(with.find(word), std::string::npos) << with;
    // What cannot be applied is described all the same, with the reason.
    folder.put(
        "lost.edits",
        "hotstitch-edits = 1\n[[edit]]\nfind = \"12 34 56 78 9A\"\nnew = \"00\"\n[[edit]]\nat = 0x230\nnew = \"07\"\n");
    const ToolResult lost = run({"describe", "lost.edits", "--source", "kelp.dat", "--maps", "."});
    EXPECT_EQ(lost.code, 0) << lost.err;
    EXPECT_NE(lost.out.find("the pattern exactly once should stand there, and nowhere does"), std::string::npos)
        << lost.out;
    EXPECT_NE(lost.out.find("berth[Old Pier]: depth"), std::string::npos) << lost.out;
}

TEST_F(CliFields, MembersOfADescribedArchive) {
    const std::vector<std::string> map{"--map", "europe.map.toml"};
    const auto with_map = [&](std::vector<std::string> arguments) {
        arguments.insert(arguments.end(), map.begin(), map.end());
        return arguments;
    };
    EXPECT_NE(said(with_map({"parts", "kelp.dat"})).find("sounds/GULLS"), std::string::npos);
    EXPECT_EQ(answer(with_map({"take", "kelp.dat:sounds/GULLS", "-o", "gulls.bin"})), "0 taken");
    EXPECT_EQ(fs::file_size(folder / "gulls.bin"), 220U);
    folder.put("long.bin", Bytes(500, std::byte{7}));
    EXPECT_EQ(answer(with_map({"put", "kelp.dat", "sounds/GULLS=long.bin", "-o", "put.dat"})), "0 put");
    EXPECT_EQ(answer(with_map({"take", "put.dat:sounds/GULLS", "-o", "back.bin"})), "0 taken");
    EXPECT_EQ(contents(folder / "back.bin"), contents(folder / "long.bin"));
    EXPECT_EQ(answer(with_map({"put", "kelp.dat", "sounds/GULLS=long.bin", "--room", "place", "-o", "no.dat"})),
              "2 usage");
    EXPECT_EQ(answer({"take", "kelp.dat:sounds/GULLS", "-o", "no.bin"}).substr(0, 2), "3 ")
        << "without the map, it has no parts";
}

TEST_F(CliFields, InsideOfADiscAndBack) {
    auto files = demo::kelp_harbour_files(1);
    files[2].content = demo::harbour_data(false);  // DATA/BERTHS.BIN
    folder.put("kelp.iso", demo::disc(files));
    EXPECT_NE(said({"fields", "kelp.iso:DATA/BERTHS.BIN", "berth[3].depth", "--map", "europe.map.toml"}).find("13"),
              std::string::npos);
    EXPECT_EQ(answer({"fields", "kelp.iso:DATA/BERTHS.BIN", "berth[3].depth=20", "--map", "europe.map.toml", "-o",
                      "new.iso"}),
              "0 set");
    EXPECT_EQ(answer({"parts", "kelp.iso", "--compare", "new.iso"}), "1 different");
    // A map that says itself for which part it is, and the whole disc.
    std::string map = demo::map_of(false);
    map.replace(map.find("[file]"), 6, "[file]\nkind = \"disc\"\npart = \"DATA/BERTHS.BIN\"");
    map.erase(map.find("begins"), map.find('\n', map.find("begins")) - map.find("begins"));
    folder.put("disc.map.toml", map);
    const ToolResult shown = run({"fields", "new.iso", "berth[3].depth", "--map", "disc.map.toml"});
    EXPECT_NE(shown.out.find("in DATA/BERTHS.BIN"), std::string::npos) << shown.out << shown.err;
    EXPECT_EQ(answer({"fields", "kelp.iso", "berth[3].depth=20", "--map", "disc.map.toml", "-o", "by-map.iso"}),
              "0 set");
    EXPECT_EQ(contents(folder / "by-map.iso"), contents(folder / "new.iso"));
    const auto chart = run({"chart", "kelp.iso", "new.iso", "--map", "disc.map.toml", "--json"}).json();
    EXPECT_EQ(chart["regions"][1]["name"], "berth") << chart.dump(1);
    EXPECT_EQ(chart["regions"][1]["names"][0], "berth[Herring Row]: depth");
}

TEST_F(CliFields, HeadersNeedNoMap) {
    folder.put("kelp.iso", demo::disc(demo::kelp_harbour_files(1)));
    folder.put("kelp.exe", demo::pe());
    folder.put("kelp.gcm", demo::table_disc(demo::console_files(1), {.total = 300'000}));
    folder.put("kelp.sfc", demo::kelp_harbour(1));
    struct Row {
        const char *file, *field, *value;
    };
    for (const Row& row : {Row{"kelp.sfc", "title", "FOG HARBOUR"},
                           {"kelp.sfc", "region", "Japan"},
                           {"kelp.iso", "volume-id", "FOG"},
                           {"kelp.gcm", "title", "Fog Harbour"},
                           {"kelp.exe", "entry", "0x401010"}}) {
        SCOPED_TRACE(row.file);
        const std::string selector = std::string("header.") + row.field;
        EXPECT_EQ(run({"fields", row.file, selector}).code, 0);
        EXPECT_EQ(answer({"fields", row.file, selector + "=" + row.value, "-o", "made", "--replace"}), "0 set");
        EXPECT_NE(said({"fields", "made", selector}).find(row.value), std::string::npos) << said({"fields", "made"});
        EXPECT_EQ(answer({"fields", row.file, "--compare", "made"}), "1 different");
        EXPECT_NE(said({"fields", row.file, "--compare", "made"}).find(selector), std::string::npos);
    }
}

TEST_F(CliFields, ManyRecordsAreShownInLittleMemoryAndEndlessTextsNotAtAll) {
    std::string pointers(4 * 65536, '\0');
    for (std::size_t i = 0; i < 65536; ++i) pointers[4 * i + 2] = 4;  // 0x40000, behind them
    folder.put("p.dat", pointers + std::string(90'000, 'A'));
    folder.put("bytes.dat", demo::junk(300'000, 4));
    const std::string table =
        "hotstitch-map = 1\n[table.t]\nat = 0\ncount = {}\nstride = {}\n[[table.t.field]]\n"
        "name = \"v\"\nat = 0\n{}\n";
    folder.put("p.toml",
               fmt::format(fmt::runtime(table), 65536, 4, "type = \"pointer\"\nsize = 4\nto = \"text\"\nend = \"00\""));
    folder.put("bytes.toml", fmt::format(fmt::runtime(table), 300'000, 1, "type = \"u8\""));
    const ToolResult refused = run({"fields", "p.dat", "--json", "--map", "p.toml"});
    EXPECT_EQ(refused.code, 3);
    EXPECT_NE((refused.out + refused.err).find("fewer records"), std::string::npos);
    EXPECT_EQ(run({"fields", "p.dat", "--compare", "p.dat", "--map", "p.toml"}).code, 3);
    EXPECT_EQ(run({"fields", "p.dat", "--map", "p.toml"}).code, 0) << "twenty of them";
    std::string sums = fmt::format(fmt::runtime(table), 4, 1, "type = \"u8\"");
    for (int i = 0; i < 5000; ++i)
        sums += fmt::format("[[check]]\nat = {}\ntype = \"u32\"\nsum = \"bytes\"\nover = [[0, 300000]]\n", 4 * i);
    folder.put("sums.toml", sums);
    EXPECT_EQ(run({"fields", "bytes.dat", "t[1].v=1", "--map", "sums.toml", "-o", "sums.dat"}).code, 3);
    EXPECT_EQ(run({"fields", "p.dat", "t[9]", "--map", "p.toml"}).code, 0);
    const auto tables = run({"fields", "bytes.dat", "--map", "bytes.toml", "--json"}).json()["tables"];
    const Bytes wanted = demo::junk(300'000, 4);
    ASSERT_EQ(tables[0]["records"].size(), wanted.size()) << "in slices, and nothing is lost between them";
    for (const std::size_t i : {std::size_t{0}, std::size_t{4095}, std::size_t{4096}, wanted.size() - 1})
        EXPECT_EQ(tables[0]["records"][i]["values"][0], std::to_integer<unsigned>(wanted[i])) << i;
    const std::string csv = run({"fields", "bytes.dat", "--map", "bytes.toml", "--csv"}).out;
    EXPECT_EQ(std::count(csv.begin(), csv.end(), '\n'), 300'001);
    EXPECT_NE(
        said({"fields", "bytes.dat", "--map", "bytes.toml"}).find("hotstitch fields bytes.dat t --map bytes.toml"),
        std::string::npos);
}

TEST_F(CliFields, NumbersAreTheSameInEveryLocale) {
    folder.put("real.dat", Bytes(8));
    folder.put("real.toml",
               "hotstitch-map = 1\n[table.ferry]\nat = 0\ncount = 1\nstride = 4\n[[table.ferry.field]]\n"
               "name = \"speed\"\nat = 0\ntype = \"f32\"\n");
    for (const char* const locale : {"LC_ALL=C", "LC_ALL=de_DE.UTF-8"}) {
        const auto call = [&](const std::string& value) {
            return run_tool({"fields", "real.dat", "ferry[0].speed=" + value, "--map", "real.toml", "-o", "out.dat",
                             "--replace", "--no-backup"},
                            {.folder = folder.path(), .environment = {locale}});
        };
        EXPECT_EQ(call("3.25").code, 0) << locale;
        EXPECT_EQ(contents(folder / "out.dat")[2], std::byte{0x50});
        EXPECT_EQ(call("3,25").code, 2) << locale;
    }
}

TEST_F(CliFields, WhatIsSavedIsAppliedAndSaysAlready) {
    // Of a part: by its fields, not by its bytes as well; a second time, nothing is left to do.
    ASSERT_EQ(answer({"fields", "kelp.dat", "berth[Old Pier].depth=14", "berth[3].name=Fog Mole", "-o", "new.dat"}),
              "0 set");
    ASSERT_EQ(answer({"fields", "kelp.dat", "--compare", "new.dat", "--save", "l.edits"}), "1 different");
    ASSERT_EQ(answer({"apply", "kelp.dat", "l.edits", "-o", "made.dat"}), "0 made");
    EXPECT_EQ(contents(folder / "made.dat"), contents(folder / "new.dat"));
    EXPECT_EQ(answer({"apply", "new.dat", "l.edits"}), "0 already-patched");
    EXPECT_EQ(answer({"fields", "kelp.dat", "berth[1].depth=3", "berth[Old Pier].depth=5", "-o", "x"}), "2 usage");
}

TEST_F(CliFields, ChartsAreDrawnAtEveryWidth) {
    ASSERT_EQ(run({"apply", "kelp.dat", "berths.edits", "-o", "made.dat"}).code, 0);
    const ToolResult chart = run({"chart", "kelp.dat", "made.dat", "--maps", ".", "--hex", "2", "--svg", "made.svg"});
    EXPECT_EQ(chart.code, 0) << chart.err;
    for (const char* const word :
         {"░", "· unchanged", "berth", "3 bytes in 2 places", "old  0x000010 [df]", "new  0x000010 [eb]"})
        EXPECT_NE(chart.out.find(word), std::string::npos) << word << "\n" << chart.out;
    EXPECT_TRUE(text_of(contents(folder / "made.svg")).starts_with("<svg "));
    EXPECT_EQ(answer({"chart", "kelp.dat", "made.dat", "--svg", "made.svg"}), "2 exists");
    EXPECT_EQ(answer({"chart", "kelp.dat", "kelp.dat"}), "0 same");
    EXPECT_EQ(answer({"chart", "kelp.dat", "berths.edits"}), "0 drawn");
}

struct Refused {
    const char* name;
    std::vector<std::string> call;
    int code;
    std::vector<std::string> says;
};

TEST_F(CliFields, SaysWhatIsWrong) {
    folder.put("broken.map.toml", "hotstitch-map = 1\n[table.berth]\nat = 0\ncount = 4294967296\n");
    folder.put("sub.map.toml", "hotstitch-map = 1\n[defaults]\ntext = \"../kelp.tbl\"\n");
    folder.put("out.edits",
               "hotstitch-edits = 1\n[[edit]]\nmap = \"../x.map.toml\"\nfield = \"berth[0].depth\"\nnew = 4\n");
    folder.put("plain.bin", Bytes(100, std::byte{1}));
    fs::create_directory(folder / "alone");
    fs::copy_file(folder / "plain.bin", folder / "alone" / "plain.bin");
    const Refused rows[] = {
        {"a broken map",
         {"fields", "kelp.dat", "--map", "broken.map.toml"},
         3,
         {"broken.map.toml, line", "4294967296"}},
        {"a broken map alone", {"fields", "--check", "--map", "broken.map.toml"}, 3, {"line"}},
        {"letters outside",
         {"fields", "kelp.dat", "--map", "sub.map.toml"},
         3,
         {"sub.map.toml, line 3", "outside of its folder"}},
        {"another edition's map",
         {"fields", "kelp-us.dat", "--map", "europe.map.toml"},
         1,
         {"for another file", "first bytes"}},
        {"no map that fits", {"fields", "plain.bin"}, 1, {"none of the 2 maps", "nearest"}},
        {"no map at all", {"fields", "alone/plain.bin"}, 2, {"no map says", "--map FILE"}},
        {"no map to check", {"fields", "--check"}, 2, {"--map"}},
        {"no file", {"fields"}, 2, {"no file is named"}},
        {"out of range", {"fields", "kelp.dat", "berth[0].depth=51", "-o", "x"}, 2, {"1 to 50"}},
        {"some set, some shown", {"fields", "kelp.dat", "berth[0].depth=5", "tide", "-o", "x"}, 2, {"only named"}},
        {"nowhere to go", {"fields", "kelp.dat", "berth[0].depth=5"}, 2, {"-o"}},
        {"save without compare", {"fields", "kelp.dat", "--save", "x.edits"}, 2, {"--compare"}},
        {"a map outside", {"apply", "kelp.dat", "out.edits"}, 1, {"outside of its folder"}},
        {"a field without a map",
         {"apply", "alone/plain.bin", "berths.edits", "-o", "x"},
         2,
         {"no map at hand", "berth"}},
        {"a chart of nothing", {"chart", "kelp.dat", "none.dat"}, 4, {"none.dat"}},
    };
    for (const Refused& row : rows) {
        SCOPED_TRACE(row.name);
        const ToolResult result = run(row.call);
        EXPECT_EQ(result.code, row.code) << result.out << result.err;
        for (const std::string& word : row.says)
            EXPECT_NE((result.out + result.err).find(word), std::string::npos) << word << "\n"
                                                                               << result.out << result.err;
        EXPECT_FALSE(fs::exists(folder / "x"));
        EXPECT_FALSE(fs::exists(folder / "x.edits"));
    }
    // A broken map in a folder is passed over, and said; when it is checked, it counts.
    EXPECT_NE(said({"fields", "kelp.dat", "tide"}).find("a map was passed over"), std::string::npos);
    EXPECT_EQ(run({"fields", "--check", "--maps", "."}).code, 3);
    fs::remove(folder / "broken.map.toml");
    fs::remove(folder / "sub.map.toml");
    EXPECT_EQ(run({"fields", "--check", "--maps", "."}).code, 0);
}

}  // namespace
