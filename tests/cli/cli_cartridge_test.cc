// SPDX-License-Identifier: MIT
// describe, mend, header and apply on cartridge ROMs, by the real tool.
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>

#include "cartridges.h"
#include "hotstitch/apply.h"
#include "hotstitch/create.h"
#include "lib/rom_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace {

using hotstitch::Bytes;
using makers::poked;

class CliCartridge : public testing::Test {
protected:
    ToolResult run(std::vector<std::string> arguments) const { return run_tool(arguments, {.folder = folder.path()}); }
    /// The tool's answer, with its exit code before it: "0 mended".
    std::string answer(std::vector<std::string> arguments) const {
        arguments.emplace_back("--json");
        const ToolResult result = run(arguments);
        return std::to_string(result.code) + " " + result.json()["answer"].get<std::string>();
    }
    TemporaryFolder folder;
    const Bytes rom = demo::kelp_harbour(1), headered = demo::with_front_header(rom), stale = poked(rom, 0x7FDE, 0);
};

TEST_F(CliCartridge, DescribeTellsPlatformEditionChecksAndPlaces) {
    folder.put("k.sfc", headered);
    const ToolResult text = run({"describe", "k.sfc", "--at", "00:FFC0", "--free"});
    EXPECT_EQ(text.code, 0);
    for (const char* part :
         {"is a Super Nintendo (SNES) ROM: KELP HARBOUR, Europe, revision 1.", "512 bytes, left by a copier",
          "right (0xc584)",
          "00:FFC0 is 0x0081c0 in the file, 0x007fc0 without its front header\n                   4b 45 4c 50",
          "bank 1F  1F:8000      32,768 bytes of ff from 0x0f8200", "certain: "})
        EXPECT_NE(text.out.find(part), std::string::npos) << part << "\n" << text.out;
    const auto json = run({"describe", "k.sfc", "--json", "--at", "+81c0"}).json()["files"][0];
    EXPECT_EQ(json["kind"], "cartridge");
    EXPECT_EQ(json["platform"], "snes");
    EXPECT_EQ(json["revision"], 1);
    EXPECT_EQ(json["checks"][0]["state"], "right");
    EXPECT_EQ(json["places"][0]["address"], "00:FFC0");
    folder.put("stale.sfc", stale);
    const ToolResult wrong = run({"describe", "stale.sfc"});
    EXPECT_NE(wrong.out.find("wrong: 0xc500 stands there, 0xc584 is right"), std::string::npos) << wrong.out;
    EXPECT_NE(wrong.out.find("Not right in it: checksum."), std::string::npos);
    EXPECT_NE(wrong.out.find("Next: to put its internal checks right:\n      hotstitch mend"), std::string::npos);
    folder.put("data.bin", Bytes(5000, std::byte{1}));
    EXPECT_EQ(answer({"describe", "data.bin", "--free"}), "2 failed");
    EXPECT_EQ(run({"describe", "k.sfc", "--at", "7E:0000"}).code, 2);
}

TEST_F(CliCartridge, MendListsMendsAndCanBeUndone) {
    folder.put("s.sfc", stale);
    const ToolResult list = run({"mend", "s.sfc"});
    EXPECT_EQ(list.code, 0);
    EXPECT_NE(list.out.find("needed: complement is 0x3a7b already, checksum from 0xc500 to 0xc584"), std::string::npos)
        << list.out;
    EXPECT_NE(list.out.find("hotstitch mend s.sfc checksum -o OUTPUT"), std::string::npos);
    EXPECT_EQ(answer({"mend", "s.sfc", "checksum"}), "2 usage") << "no place is said";
    EXPECT_EQ(answer({"mend", "s.sfc", "checksum", "-o", "s.sfc"}), "2 usage") << "one of the inputs";
    EXPECT_EQ(answer({"mend", "s.sfc", "de-interleave", "-o", "x.sfc"}), "2 usage");
    EXPECT_EQ(answer({"mend", "s.sfc", "-o", "x.sfc"}), "2 usage");
    EXPECT_EQ(folder.names(), std::set<std::string>{"s.sfc"}) << "nothing was written";
    EXPECT_EQ(answer({"mend", "s.sfc", "checksum", "-o", "m.sfc"}), "0 mended");
    EXPECT_TRUE(contents(folder / "m.sfc") == rom);
    EXPECT_EQ(answer({"mend", "m.sfc", "checksum", "--in-place"}), "0 nothing-to-mend");
    EXPECT_EQ(answer({"verify", "--receipt", "m.sfc"}), "0 as-made");
    EXPECT_EQ(answer({"renew", "m.sfc.receipt.json", "s.sfc"}), "2 usage") << "no patch made it";
    EXPECT_EQ(answer({"undo", "m.sfc"}), "0 removed");
    const auto made = run({"mend", "s.sfc", "region=Japan", "checksum", "--in-place", "--json"}).json();
    EXPECT_EQ(made["steps"][0]["name"], "region");
    EXPECT_EQ(made["steps"][0]["ranges"][0]["offset"], 0x7FD9);
    EXPECT_TRUE(std::filesystem::exists(made["backup"]["path"].get<std::string>()));
    EXPECT_EQ(answer({"undo", "s.sfc"}), "0 restored");
    EXPECT_TRUE(contents(folder / "s.sfc") == stale);
    const ToolResult piped = run({"mend", "s.sfc", "checksum", "-o", "-"});
    EXPECT_TRUE(piped.out == hotstitch::text_of(rom));
    folder.put("data.bin", Bytes(5000, std::byte{1}));
    EXPECT_EQ(answer({"mend", "data.bin"}), "3 unsupported");
    EXPECT_EQ(answer({"mend", "missing.sfc"}), "4 io");
    std::filesystem::permissions(folder.path(), std::filesystem::perms{0555});
    const ToolResult locked =
        run_tool({"mend", "s.sfc", "checksum", "--in-place"}, {.folder = folder.path(), .unprivileged = true});
    std::filesystem::permissions(folder.path(), std::filesystem::perms{0755});
    EXPECT_EQ(locked.code, 4) << locked.err;
    EXPECT_TRUE(contents(folder / "s.sfc") == stale);
}

TEST_F(CliCartridge, NintendoAndSegaImagesAreTurnedAround) {
    const Bytes n64 = demo::nintendo_64_kelp(), drive = demo::mega_drive_kelp();
    folder.put("k.v64", demo::with_pairs_swapped(n64));
    folder.put("k.smd", demo::interleaved(drive));
    Bytes unknown = poked(n64, 0x50, 0);
    folder.put("u.z64", unknown);
    EXPECT_EQ(answer({"mend", "k.v64", "byte-order", "-o", "k.z64"}), "0 mended");
    EXPECT_TRUE(contents(folder / "k.z64") == n64);
    EXPECT_EQ(answer({"mend", "k.smd", "de-interleave", "-o", "k.md"}), "0 mended");
    EXPECT_TRUE(contents(folder / "k.md") == drive);
    EXPECT_EQ(answer({"mend", "u.z64", "checksum", "-o", "v.z64"}), "3 unsupported");
    EXPECT_EQ(answer({"mend", "u.z64", "checksum", "--boot-code", "6103", "-o", "v.z64"}), "0 mended");
}

TEST_F(CliCartridge, HeadersComeOffAndGoOn) {
    Bytes filled = headered;
    filled[3] = std::byte{0x42};
    folder.put("h.smc", filled);
    folder.put("plain.sfc", rom);
    folder.put("weak.bin", Bytes(1536, std::byte{7}));
    EXPECT_EQ(answer({"header", "show", "h.smc"}), "0 front-header");
    EXPECT_EQ(answer({"header", "show", "weak.bin"}), "0 perhaps");
    EXPECT_EQ(answer({"header", "strip", "h.smc", "--keep", "header.bin", "-o", "s.sfc"}), "0 stripped");
    EXPECT_TRUE(contents(folder / "s.sfc") == rom);
    EXPECT_EQ(answer({"header", "strip", "h.smc", "--keep", "other.bin", "-o", "plain.sfc"}), "0 made-already");
    EXPECT_TRUE(std::filesystem::exists(folder / "other.bin"));
    EXPECT_EQ(answer({"header", "strip", "h.smc", "--keep", "third.bin", "-o", "weak.bin"}), "2 exists");
    // The header is kept wherever the rest goes.
    for (const std::vector<std::string>& rest : {std::vector<std::string>{"--patch", "off.bps"}, {"-o", "-"}}) {
        std::vector<std::string> words{"header", "strip", "h.smc", "--keep", "fourth.bin"};
        words.insert(words.end(), rest.begin(), rest.end());
        EXPECT_EQ(run_tool(words, {.folder = folder.path()}).code, 0) << rest.front();
        EXPECT_TRUE(contents(folder / "fourth.bin") == contents(folder / "header.bin")) << rest.front();
        std::filesystem::remove(folder / "fourth.bin");
    }
    EXPECT_FALSE(std::filesystem::exists(folder / "third.bin"));
    EXPECT_EQ(answer({"header", "attach", "s.sfc", "--from", "header.bin", "-o", "again.smc"}), "0 attached");
    EXPECT_TRUE(contents(folder / "again.smc") == filled);
    EXPECT_EQ(answer({"header", "attach", "plain.sfc", "-o", "empty.smc"}), "0 attached");
    EXPECT_TRUE(contents(folder / "empty.smc") == headered);
    EXPECT_EQ(answer({"header", "attach", "h.smc", "-o", "twice.smc"}), "2 usage");
    EXPECT_EQ(answer({"header", "strip", "plain.sfc", "-o", "x.sfc"}), "0 no-front-header");
    EXPECT_EQ(answer({"header", "strip", "weak.bin", "-o", "x.bin"}), "1 not-sure");
    EXPECT_EQ(answer({"header", "strip", "weak.bin", "--size", "512", "-o", "x.bin"}), "0 stripped");
    EXPECT_EQ(contents(folder / "x.bin").size(), 1024U);
    EXPECT_EQ(answer({"header", "strip", "weak.bin", "--size", "4K", "-o", "y.bin"}), "2 usage");
    EXPECT_EQ(answer({"header", "attach", "weak.bin", "-o", "y.bin"}), "2 usage");
    EXPECT_EQ(answer({"header", "turn", "weak.bin"}), "2 usage");
    EXPECT_EQ(answer({"header", "show", "weak.bin", "--keep", "h"}), "2 usage");
    const Bytes nes = demo::nes_kelp();
    folder.put("k.nes", nes);
    EXPECT_EQ(answer({"header", "strip", "k.nes", "-o", "k.prg"}), "0 stripped");
    EXPECT_EQ(answer({"header", "attach", "k.prg", "--nes", "prg=32K,chr=8K,mapper=1,mirroring=vertical,battery", "-o",
                      "l.nes"}),
              "0 attached");
    EXPECT_TRUE(contents(folder / "l.nes") == nes);
    EXPECT_EQ(answer({"undo", "l.nes"}), "0 removed");
}

TEST_F(CliCartridge, AChangeIsWrittenAsAPatchWithoutMatching) {
    folder.put("stale.sfc", poked(rom, 0x1234, 0));
    folder.put("h.smc", headered);
    folder.put("plain.sfc", rom);
    const std::tuple<const char*, std::vector<std::string>, Bytes> changes[] = {
        {"stale.sfc", {"mend", "stale.sfc", "checksum"}, makers::mended(poked(rom, 0x1234, 0), {{"checksum", {}}})},
        {"plain.sfc",
         {"mend", "plain.sfc", "expand=2M", "rom-size", "checksum"},
         makers::mended(rom, {{"expand", "2M"}, {"rom-size", {}}, {"checksum", {}}})},
        {"h.smc", {"header", "strip", "h.smc"}, rom},
        {"plain.sfc", {"header", "attach", "plain.sfc"}, headered}};
    for (const auto& [source, call, wanted] : changes) {
        for (const char* extension : {".bps", ".ups", ".ips", ".xdelta"}) {
            const std::string patch = std::string("change") + extension;
            auto words = call;
            words.insert(words.end(), {"--patch", patch, "--json"});
            const ToolResult made = run_tool(words, {.folder = folder.path()});
            ASSERT_EQ(made.code, 0) << made.out;
            EXPECT_EQ(made.json()["patch"]["path"], (folder / patch).string());
            EXPECT_TRUE(hotstitch::apply_in_memory(contents(folder / patch), contents(folder / source)).target ==
                        wanted)
                << call[1] << patch;
            std::filesystem::remove(folder / patch);
        }
    }
    EXPECT_EQ(answer({"mend", "stale.sfc", "checksum", "--patch", "p.bps", "-o", "x.sfc"}), "2 usage");
    EXPECT_EQ(answer({"mend", "stale.sfc", "checksum", "--patch", "p.bin"}), "2 usage") << "no format is named";
    EXPECT_EQ(answer({"mend", "stale.sfc", "checksum", "--patch", "p.bin", "--format", "ups"}), "0 mended");
    EXPECT_EQ(answer({"mend", "stale.sfc", "checksum", "--patch", "stale.sfc", "--format", "ups"}), "2 usage");
}

TEST_F(CliCartridge, AFrontHeaderIsAPartLikeAnyOther) {
    folder.put("plain.sfc", rom), folder.put("h.smc", headered);
    EXPECT_EQ(answer({"take", "h.smc:front-header", "-o", "kept.bin"}), "0 taken");
    EXPECT_EQ(answer({"put", "h.smc", "--remove", "front-header", "-o", "off.sfc"}), "0 put");
    EXPECT_TRUE(contents(folder / "off.sfc") == rom);
    EXPECT_EQ(answer({"put", "off.sfc", "front-header=kept.bin", "--add", "-o", "on.smc"}), "0 put");
    EXPECT_TRUE(contents(folder / "on.smc") == headered);
    EXPECT_EQ(answer({"put", "on.smc", "front-header=kept.bin", "--add", "-o", "on2.smc"}), "0 nothing-to-put");
    folder.put("large.bin", Bytes((1 << 20) + 1));
    EXPECT_EQ(answer({"put", "off.sfc", "front-header=large.bin", "--add", "-o", "no.smc"}), "2 usage");
    EXPECT_EQ(answer({"put", "off.sfc", "--remove", "bank 0", "-o", "no.smc"}).front(), '3');
}

TEST_F(CliCartridge, WhatNeedsNoChangeIsPassedOn) {
    folder.put("plain.sfc", rom);
    for (const std::vector<std::string>& call :
         {std::vector<std::string>{"mend", "plain.sfc", "checksum"}, {"header", "strip", "plain.sfc"}}) {
        auto words = call;
        words.insert(words.end(), {"-o", "-"});
        const ToolResult piped = run_tool(words, {.folder = folder.path()});
        EXPECT_EQ(piped.code, 0);
        EXPECT_TRUE(piped.out == hotstitch::text_of(rom)) << call[0];
        words.back() = "copy.sfc";
        const ToolResult copied = run_tool(words, {.folder = folder.path()});
        EXPECT_NE(copied.out.find("as it is"), std::string::npos) << copied.out;
        EXPECT_TRUE(contents(folder / "copy.sfc") == rom);
        std::filesystem::remove(folder / "copy.sfc"), std::filesystem::remove(folder / "copy.sfc.receipt.json");
        const auto before = folder.names();
        EXPECT_EQ(run_tool(call, {.folder = folder.path()}).code, 0);
        EXPECT_EQ(folder.names(), before);
    }
}

TEST_F(CliCartridge, ApplyTakesHeadersOffAndOnForPatchesWithoutChecks) {
    const Bytes target = demo::night_tides(rom), headered_target = demo::with_front_header(target);
    const auto ips = [](const Bytes& from, const Bytes& to) {
        return hotstitch::create(from, to, {.format = hotstitch::PatchFormat::ips});
    };
    folder.put("plain.ips", ips(rom, target));
    folder.put("headered.ips", ips(headered, headered_target));
    folder.put("k.sfc", rom);
    folder.put("k.smc", headered);
    const struct {
        const char *source, *patch, *option;
        const Bytes& wanted;
        bool said;
    } cases[] = {
        {"k.sfc", "plain.ips", "-q", target, false},
        {"k.smc", "headered.ips", "-q", headered_target, false},
        {"k.smc", "plain.ips", "-v", target, true},
        {"k.smc", "plain.ips", "--keep-representation", headered_target, true},
        {"k.sfc", "headered.ips", "-v", headered_target, true},
        {"k.sfc", "headered.ips", "--keep-representation", target, true},
    };
    for (const auto& c : cases) {
        const ToolResult result =
            run({"apply", c.source, c.patch, c.option, "-o", "out.sfc", "--replace", "--no-backup"});
        EXPECT_EQ(result.code, 0) << result.err;
        EXPECT_TRUE(contents(folder / "out.sfc") == c.wanted) << c.source << c.patch << c.option;
        EXPECT_EQ(result.out.find("come out right only so") != std::string::npos, c.said) << result.out;
        EXPECT_EQ(answer({"verify", "--receipt", "out.sfc"}), "0 as-made");
    }
    EXPECT_EQ(run({"apply", "k.smc", "plain.ips", "--as-is", "-o", "wrong.smc", "-q"}).code, 0);
    EXPECT_FALSE(contents(folder / "wrong.smc") == target);
    EXPECT_NE(run({"verify", "plain.ips", "k.smc"}).out.find("surely made for the file without its front header"),
              std::string::npos);
}

TEST_F(CliCartridge, ApplyMendsWhatThePatchLeftStale) {
    Bytes changed = rom;
    changed[0x1234] ^= std::byte{1};
    folder.put("k.sfc", rom);
    folder.put("stale.sfc", stale);
    folder.put("p.bps", hotstitch::create(rom, changed));
    folder.put("q.bps", hotstitch::create(stale, poked(stale, 0x1234, 1)));
    const auto json = run({"apply", "k.sfc", "p.bps", "--mend", "-o", "m.sfc", "--json"}).json();
    EXPECT_EQ(json["answer"], "made");
    EXPECT_NE(json["patch_makes"]["crc32"], json["output"]["crc32"]) << "both are told";
    const auto checks = run({"describe", "m.sfc", "--json"}).json()["files"][0]["checks"];
    EXPECT_EQ(checks[0]["state"], "right");
    EXPECT_EQ(answer({"verify", "--receipt", "m.sfc"}), "0 as-made");
    folder.put("r.bps", hotstitch::create(rom, demo::fog_signals(rom)));
    EXPECT_EQ(answer({"renew", "m.sfc.receipt.json", "r.bps"}), "0 made");
    EXPECT_TRUE(contents(folder / "m.sfc") == demo::fog_signals(rom));
    EXPECT_EQ(answer({"undo", "m.sfc"}), "0 restored") << "the older version";
    EXPECT_EQ(answer({"undo", "m.sfc"}), "0 removed");
    // A patch after which the checks cannot be known is applied all the same.
    const Bytes sms = demo::master_system_kelp();
    folder.put("k.sms", sms);
    folder.put("s.bps", hotstitch::create(sms, poked(sms, 0x7FFF, 0x4D)));
    const ToolResult unknown = run({"apply", "k.sms", "s.bps", "--mend", "-o", "o.sms"});
    EXPECT_EQ(unknown.code, 0);
    EXPECT_NE(unknown.out.find("could not be mended: the checksum cannot be computed"), std::string::npos)
        << unknown.out;
    const ToolResult was_wrong = run({"apply", "stale.sfc", "q.bps", "--mend", "-o", "n.sfc"});
    EXPECT_NE(was_wrong.out.find("not all right before the patch, so left"), std::string::npos) << was_wrong.out;
}

TEST_F(CliCartridge, KnownListsNameWhatIsNeededAndWhatThisIs) {
    const Bytes other = demo::kelp_harbour(0), target = demo::night_tides(rom);
    folder.put("k.sfc", rom);
    folder.put("old.sfc", other);
    folder.put("p.bps", hotstitch::create(rom, target));
    const auto crc = [](const Bytes& bytes) { return hotstitch::crc32(bytes).hex(); };
    folder.put("bases.csv", "crc32,size,name\n" + crc(rom) + ",1048576,Kelp Harbour (Europe r1)\n" + crc(other) +
                                ",1048576,Kelp Harbour (Europe r0)\n");
    const ToolResult verified = run({"verify", "p.bps", "old.sfc", "--known", "bases.csv"});
    EXPECT_EQ(verified.code, 1);
    for (const char* part : {"needed is", "Kelp Harbour (Europe r1)", "known as", "Kelp Harbour (Europe r0)",
                             "this is KELP HARBOUR, Europe, revision 0, for the Super Nintendo (SNES)"})
        EXPECT_NE(verified.out.find(part), std::string::npos) << part << "\n" << verified.out;
    EXPECT_NE(run({"apply", "old.sfc", "p.bps", "--known", "bases.csv"}).err.find("Kelp Harbour (Europe r1)"),
              std::string::npos);
    EXPECT_EQ(run({"describe", "k.sfc", "--known", "bases.csv", "--json"}).json()["files"][0]["known_as"],
              "Kelp Harbour (Europe r1)");
    folder.put("bad.txt", std::string_view("no list at all\n"));
    EXPECT_EQ(answer({"describe", "k.sfc", "--known", "bad.txt"}), "3 damaged");
    EXPECT_EQ(answer({"describe", "k.sfc", "--known", "none.txt"}), "4 io");
}

}  // namespace
