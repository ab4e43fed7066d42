// SPDX-License-Identifier: MIT
// How a source is taken, with front header or without, in one order or another, and what is said where nothing decides:
// the same by every command, through the tool itself.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include "cartridges.h"
#include "disc.h"
#include "hotstitch/create.h"
#include "hotstitch/digest.h"
#include "hotstitch/fit.h"
#include "kelp_harbour.h"
#include "lib/patch_makers.h"
#include "lib/rom_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

namespace fs = std::filesystem;
using makers::ips_record, makers::ips_run, makers::poked;

class CliReadings : public testing::Test {
protected:
    ToolResult run(const std::vector<std::string>& call) { return run_tool(call, {.folder = folder.path()}); }
    Bytes made(const std::vector<std::string>& call) {
        fs::remove(folder / "out"), fs::remove(folder / "out.receipt.json");
        std::vector<std::string> all = call;
        all.insert(all.end(), {"-o", "out"});
        said = run(all);
        return fs::exists(folder / "out") ? contents(folder / "out") : Bytes();
    }
    bool says(const std::string& text) const { return (said.out + said.err).find(text) != std::string::npos; }

    TemporaryFolder folder;
    ToolResult said;
    const Bytes rom = demo::kelp_harbour(1), mod = demo::night_tides(rom), headered = demo::with_front_header(rom);
};

TEST_F(CliReadings, AWriteBelow512NeverGoesIntoAHeaderThatIsNotThere) {
    folder.put("low.ips", "PATCH" + ips_record(0x30, "Night") + "EOF");
    const auto written = [](Bytes file, std::size_t at) {
        std::copy_n(bytes_of("Night").begin(), 5, file.begin() + static_cast<std::ptrdiff_t>(at));
        return file;
    };
    const std::pair<const char*, Bytes> plain[] = {{"k.sfc", rom},
                                                   {"k.gb", demo::game_boy_kelp()},
                                                   {"k.sms", demo::master_system_kelp()},
                                                   {"k.md", demo::mega_drive_kelp()},
                                                   {"k.gba", demo::game_boy_advance_kelp()}};
    for (const auto& [name, file] : plain) {
        folder.put(name, file);
        EXPECT_TRUE(made({"apply", name, "low.ips"}) == written(file, 0x30)) << name << "\n" << said.err;
    }
    // Where there is a header, it is none of the game; an edit list's offsets are the file's own.
    folder.put("k.smc", headered);
    EXPECT_TRUE(made({"apply", "k.smc", "low.ips"}) == written(rom, 0x30)) << said.err;
    EXPECT_TRUE(says("as it is, only its front header would change")) << said.out;
    EXPECT_TRUE(made({"apply", "k.smc", "low.ips", "--as-is"}) == written(headered, 0x30)) << said.err;
    folder.put("low.edits", "hotstitch-edits = 1\n[[edit]]\nat = 0x30\nnew = \"4E 69 67 68 74\"\n");
    EXPECT_TRUE(made({"apply", "k.smc", "low.edits"}) == written(headered, 0x30)) << said.err;
    // Applied once more, nothing changes: neither way is a reason to write it elsewhere.
    folder.put("nt.ips", create(rom, mod, {.format = PatchFormat::ips}));
    folder.put("mod.sfc", mod);
    folder.put("mod.smc", demo::with_front_header(mod));
    EXPECT_TRUE(made({"apply", "mod.sfc", "nt.ips"}) == mod);
    EXPECT_TRUE(made({"apply", "mod.smc", "nt.ips"}) == mod);
}

TEST_F(CliReadings, AnOrderThatNothingDecidesIsTold) {
    const Bytes n64 = demo::nintendo_64_kelp();
    folder.put("k.v64", demo::with_pairs_swapped(n64));
    // Behind what the checks see: as the console reads it.
    const std::size_t unseen = n64.size() - 64;
    folder.put("unseen.ips", "PATCH" + ips_record(unseen, "Night.") + "EOF");
    Bytes wanted = n64;
    std::copy_n(bytes_of("Night.").begin(), 6, wanted.begin() + static_cast<std::ptrdiff_t>(unseen));
    EXPECT_TRUE(made({"apply", "k.v64", "unseen.ips"}) == wanted) << said.err;
    EXPECT_TRUE(says("read with each two bytes exchanged")) << said.out;
    // Over the checks themselves: wrong in either order, so as it is, and said.
    folder.put("doubt.ips", "PATCH" + ips_record(0x10, "Night.") + "EOF");
    EXPECT_EQ(made({"apply", "k.v64", "doubt.ips"}).size(), n64.size());
    EXPECT_TRUE(says("nothing tells which of the two")) << said.out;
}

TEST_F(CliReadings, AreTheSameByEveryCommand) {
    folder.put("k.smc", headered);
    folder.put("k.sfc", rom);
    folder.put("nt.ips", create(rom, mod, {.format = PatchFormat::ips}));
    folder.put("nt.bps", create(rom, mod));
    folder.put("fog.ips",
               create(headered, demo::with_front_header(demo::fog_signals(rom)), {.format = PatchFormat::ips}));
    EXPECT_EQ(run({"recast", "k.smc", "nt.ips", "--format", "bps", "-o", "again.bps"}).code, 0);
    EXPECT_TRUE(made({"apply", "k.sfc", "again.bps"}) == mod) << "a checked patch for the game, not for a broken one";
    const auto reading = [&](const std::vector<std::string>& call) {
        std::vector<std::string> all = call;
        all.emplace_back("--json");
        const auto document = run(all).json();
        return document.contains("reading") ? document["reading"]["code"].get<std::string>() : std::string("as it is");
    };
    EXPECT_EQ(reading({"recast", "k.smc", "nt.ips", "--format", "ups", "-o", "r.ups"}), "without-front-header 512");
    EXPECT_EQ(reading({"chart", "k.smc", "nt.ips"}), "without-front-header 512");
    EXPECT_EQ(reading({"overlap", "k.smc", "nt.ips", "nt.bps"}), "without-front-header 512");
    EXPECT_EQ(reading({"chart", "k.smc", "fog.ips"}), "as it is");
    EXPECT_EQ(run({"overlap", "k.smc", "nt.ips", "fog.ips"}).code, 1) << "for different forms of the file";
    // The chart counts what differs, whatever the format, and never more than there is.
    std::uint64_t changed = 0;
    for (std::size_t i = 0; i < rom.size(); ++i) changed += rom[i] != mod[i] ? 1 : 0;
    for (const char* const patch : {"nt.ips", "nt.bps", "r.ups"})
        EXPECT_EQ(run({"chart", "k.sfc", patch, "--json"}).json()["changed_bytes"], changed) << patch;
    folder.put("small.gb", demo::game_boy_kelp());
    EXPECT_LE(run({"chart", "small.gb", "nt.ips", "--json"}).json().value("changed_bytes", 0U), 65536U);
}

TEST_F(CliReadings, AKitReadsItsBaseAsApplyDoes) {
    const Bytes n64 = demo::nintendo_64_kelp();
    struct Form {
        const char* name;
        Bytes base, given;
        const char* says;
    };
    const Form forms[] = {{"k.smc", rom, headered, "without its front header of 512 bytes"},
                          {"k.v64", n64, demo::with_pairs_swapped(n64), "with each two bytes exchanged"},
                          {"k.sfc", headered, rom, "with an empty front header of 512 bytes added"}};
    for (const auto& [name, base, given, says_form] : forms) {
        folder.put(name, given);
        folder.put("kit/p.bps", create(base, poked(base, 0x9000, 0x77)));
        folder.put("kit/README.md", "Night.");
        folder.put("kit/kit.toml",
                   fmt::format("hotstitch-kit = 1\nname = \"Night\"\nreadme = \"README.md\"\n[[base]]\nid = "
                               "\"game\"\nany = [{{size = {}, crc32 = \"{}\"}}]\n[[step]]\napply = \"p.bps\"\nto = "
                               "\"game\"\n[[output]]\nfrom = \"game\"\nname = \"night.bin\"\n",
                               base.size(), crc32(base).hex()));
        const std::string made = fmt::format("made-{}", name);
        for (const auto& call : std::vector<std::vector<std::string>>{
                 {"verify", "kit", name}, {"apply", name, "kit", "-o", made}, {"kit", "check", "kit", name}}) {
            said = run(call);
            EXPECT_EQ(said.code, 0) << call.front() << said.err;
            EXPECT_TRUE(says(says_form)) << call.front() << said.out << said.err;
        }
        EXPECT_EQ(contents(folder / made), poked(base, 0x9000, 0x77));
        // By turns in the game's place, it keeps the game's own form.
        for (const auto& call :
             std::vector<std::vector<std::string>>{{"shelf", name, "--keep", "kit"}, {"shelf", name, "--use", "kit"}})
            EXPECT_EQ((said = run(call)).code, 0) << said.err;
        EXPECT_EQ(contents(folder / name).size(), given.size());
        EXPECT_NE(contents(folder / name), given);
        EXPECT_EQ((said = run({"shelf", name, "--use", "original"})).code, 0) << said.err;
        EXPECT_EQ(contents(folder / name), given);
    }
}

TEST_F(CliReadings, ASheetIsTheSourceOfAChart) {
    const Bytes disc = demo::disc(demo::kelp_harbour_files(1)), raw = demo::in_sectors(disc, 2);
    Bytes changed = disc, changed_raw = raw;
    for (std::size_t i = 0; i < 40; ++i)
        changed[60000 + i] ^= std::byte{0x55}, changed_raw[60000 + i] ^= std::byte{0x55};
    folder.put("x.bin", raw);
    folder.put("x.cue", "FILE \"x.bin\" BINARY\n  TRACK 01 MODE2/2352\n    INDEX 01 00:00:00\n");
    folder.put("data.bps", create(disc, changed));
    folder.put("raw.bps", create(raw, changed_raw));
    folder.put("raw.ips", create(raw, changed_raw, {.format = PatchFormat::ips}));
    for (const char* const patch : {"data.bps", "raw.bps", "raw.ips"}) {
        const auto chart = run({"chart", "x.cue", patch, "--json"}).json();
        EXPECT_EQ(chart["changed_bytes"], 40U) << patch;
        EXPECT_EQ(chart["source"]["path"], "x.bin") << patch;
        EXPECT_EQ(chart.contains("reading"), std::string_view(patch) == "data.bps") << patch;
    }
}

TEST_F(CliReadings, AMendThatMakesTheWantedFileIsNamed) {
    const Bytes nes = demo::nes_kelp();
    Bytes junk = nes;
    std::copy_n(bytes_of("Kelp 2026").begin(), 9, junk.begin() + 7);
    folder.put("junk.nes", junk), folder.put("p.bps", create(nes, poked(nes, 500, 7)));
    EXPECT_EQ(run({"verify", "p.bps", "junk.nes"}).code, 1);
    EXPECT_TRUE(made({"apply", "junk.nes", "p.bps"}).empty());
    EXPECT_TRUE(says("header-junk")) << said.err;
}

struct Source {
    const char* name;
    std::string source, patch;
    int code;
    std::string says;
};

const std::string zeros(70000, '\0');

TEST_F(CliReadings, SourcesAreRefusedForAReasonOnly) {
    const std::string text = "The ferry leaves at eight.\n", later = "The ferry leaves at nine, and again at ten.\n";
    const auto vcdiff = [](std::string_view a, std::string_view b) {
        return std::string(text_of(
            create(bytes_of(a), bytes_of(b), {.format = PatchFormat::vcdiff, .vcdiff = {.window_checks = false}})));
    };
    const std::string cut = vcdiff(text, later).substr(0, 20);
    const Source rows[] = {
        {"a text is patched as anything", text, vcdiff(text, later), 0, "Made"},
        {"a script", "#!/bin/sh\necho eight\n", vcdiff("#!/bin/sh\necho eight\n", "#!/bin/sh\necho nine\n"), 0, "Made"},
        {"a whole file from nothing", "", "PATCH" + ips_record(0, "all of it") + "EOF", 0, "Made"},
        {"a damaged patch is what is the matter", text, cut, 3, ""},
        {"a hole in a text", text, "PATCH" + ips_record(9000, "far") + "EOF", 1, "is a text file"},
        {"a page where a game belongs", "<!DOCTYPE html><html><body>404</body></html>",
         "PATCH" + ips_record(0x20000, "far") + "EOF", 1, "is a web page"},
        {"a hole between the end and the write", zeros, "PATCH" + ips_record(70001, "x") + "EOF", 1,
         "leaves 1 byte before that which nobody wrote"},
        {"growth without a hole", zeros, "PATCH" + ips_record(70000, "x") + "EOF", 0, "Made"},
        {"a size is no proof", "Kelp", "hotstitch-edits = 1\n[source]\nsize = 8\n[[edit]]\nat = 6\nnew = \"01\"\n", 1,
         ""},
    };
    for (const Source& row : rows) {
        SCOPED_TRACE(row.name);
        folder.put("source.dat", row.source);
        folder.put("p", row.patch);
        const bool is_made = !made({"apply", "source.dat", "p"}).empty();
        EXPECT_EQ(said.code, row.code) << said.out << said.err;
        EXPECT_EQ(is_made, row.code == 0);
        EXPECT_TRUE(says(row.says)) << said.out << said.err;
        EXPECT_EQ(text_of(contents(folder / "source.dat")), row.source);
    }
}

TEST_F(CliReadings, WhatAFewChecksDoNotSeeIsSaid) {
    const Bytes gba = demo::game_boy_advance_kelp();
    folder.put("k.gba", gba);
    folder.put("p.ips", "PATCH" + ips_record(0x4000, "Night") + "EOF");
    made({"apply", "k.gba", "p.ips"});
    EXPECT_TRUE(says("they cover 29 bytes of the header, of which it changes nothing")) << said.out;
    folder.put("far.md", demo::mega_drive_kelp());
    EXPECT_EQ(run({"apply", "k.gba", "far.md"}).code, 3) << "no patch at all";
}

TEST_F(CliReadings, VerifyKnowsWhatApplyKnows) {
    folder.put("right.sfc", rom);
    folder.put("old.sfc", demo::kelp_harbour(0));
    folder.put("nt.ips", create(rom, mod, {.format = PatchFormat::ips}));
    const auto document = run({"verify", "nt.ips", "old.sfc", "right.sfc", "--json"}).json();
    EXPECT_EQ(document["exit"], 0) << document;
    EXPECT_NE(document["message"].get<std::string>().find("1 of 2 files is likely"), std::string::npos) << document;
    EXPECT_EQ(document["message"].get<std::string>().find("cannot be known"), std::string::npos);
    // No answer by evidence: then it is said, and it is no.
    folder.put("data.dat", makers::file_like(*std::make_unique<makers::Random>(3), 5000));
    folder.put("d.ips", "PATCH" + ips_record(7, "unknown") + "EOF");
    const ToolResult unknown = run({"verify", "d.ips", "data.dat"});
    EXPECT_EQ(unknown.code, 1);
    EXPECT_NE(unknown.out.find("cannot be known"), std::string::npos) << unknown.out;
}

TEST_F(CliReadings, SwappedArgumentsAreUnderstoodInArchives) {
    folder.put("k.sfc", rom);
    folder.put("nt.bps", create(rom, mod));
    for (const char* const command :
         {"bsdtar --format=zip -cf game.zip k.sfc", "bsdtar --format=zip -cf mods.zip nt.bps"})
        ASSERT_EQ(std::system(fmt::format("cd '{}' && {}", folder.path().string(), command).c_str()), 0);
    const std::pair<const char*, const char*> swapped[] = {
        {"nt.bps", "game.zip"}, {"mods.zip", "k.sfc"}, {"mods.zip", "game.zip"}, {"nt.bps", "k.sfc"}};
    for (const auto& [patch, game] : swapped) EXPECT_TRUE(made({"apply", patch, game}) == mod) << patch << said.err;
}

}  // namespace
}  // namespace hotstitch
