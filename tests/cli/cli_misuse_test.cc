// SPDX-License-Identifier: MIT
// What people hand in and type at first: the wrong thing, the right thing in another form, nearly the right word. Each
// call is a row: what it answers, and what a person reads of it.
#include <gtest/gtest.h>

#include <fstream>

#include "cartridges.h"
#include "hotstitch/create.h"
#include "hotstitch/digest.h"
#include "hotstitch/patch.h"
#include "kelp_harbour.h"
#include "lib/archive_makers.h"
#include "lib/patch_makers.h"
#include "lib/rom_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

namespace fs = std::filesystem;
using makers::poked;
using namespace std::string_literals;

class CliMisuse : public testing::Test {
protected:
    void SetUp() override {
        const auto patch = [&](const char* name, const Bytes& from, const Bytes& to, PatchFormat format) {
            folder.put(name, hotstitch::create(from, to, {.format = format}));
        };
        folder.put("kelp.sfc", source);
        folder.put("old.sfc", demo::kelp_harbour(0));
        folder.put("night.sfc", target);
        patch("n.bps", source, target, PatchFormat::bps);
        patch("n.ips", source, target, PatchFormat::ips);
        patch("n.ups", source, target, PatchFormat::ups);
        patch("n.xdelta", source, target, PatchFormat::vcdiff);
        patch("f.bps", source, demo::fog_signals(source), PatchFormat::bps);
    }
    ToolResult run(std::vector<std::string> call, ToolOptions options = {}) {
        options.folder = folder.path();
        return run_tool(call, options);
    }
    struct Row {
        std::vector<std::string> call;
        int code;
        const char* says;  ///< somewhere on either stream
    };
    void check(const std::vector<Row>& rows) {
        for (const Row& row : rows) {
            const ToolResult result = run(row.call);
            std::string call;
            for (const std::string& word : row.call) call += word + " ";
            EXPECT_EQ(result.code, row.code) << call << result.out << result.err;
            EXPECT_NE((result.out + result.err).find(row.says), std::string::npos) << call << "\n"
                                                                                   << result.out << result.err;
        }
    }
    void zip(const std::string& archive, const std::string& files) {
        ASSERT_EQ(
            std::system(
                ("cd '" + folder.path().string() + "' && bsdtar --format=zip -cf '" + archive + "' " + files).c_str()),
            0);
    }

    const TemporaryFolder folder;
    const Bytes source = demo::kelp_harbour(1), target = demo::night_tides(source);
};

TEST_F(CliMisuse, APatchWithoutChecksIsNotAppliedToWhatItCannotBeMeantFor) {
    folder.put("page.sfc", "<html><body>no game</body>");
    folder.put("empty.sfc", "");
    folder.put("note.sfc", "hello harbour\n");
    folder.put("pointer.sfc", "version 1\noid sha256:4d7a\nsize 1048576\n");
    // Grows past its end, and the checksum, right before, is wrong then.
    folder.put("small.gb", demo::game_boy_kelp());
    const auto before = folder.names();
    check({{{"apply", "page.sfc", "n.ips"}, 1, "is a web page"},
           {{"apply", "empty.sfc", "n.ips"}, 1, "is empty"},
           {{"apply", "note.sfc", "n.ips"}, 1, "is a text file"},
           {{"apply", "pointer.sfc", "n.ips"}, 1, "only a pointer"},
           {{"apply", "n.bps", "n.ips"}, 1, "itself a patch (BPS)"},
           {{"apply", "small.gb", "n.ips"}, 1, "past the end of this file"},
           {{"apply", "small.gb", "n.ips", "--json"}, 1, "\"writes-past-end\""},
           {{"apply", "page.sfc", "n.ips"}, 1, "--allow source"}});
    EXPECT_EQ(folder.names(), before);
    check({{{"apply", "note.sfc", "n.ips", "-o", "made", "--allow", "source"}, 0, "Made "}});
}

TEST_F(CliMisuse, TheRomsOwnChecksAreEvidence) {
    Bytes stale = source;
    stale[0x7FDE] ^= std::byte{1};
    folder.put("stale.sfc", stale);
    folder.put("fix.ips", hotstitch::create(stale, source, {.format = PatchFormat::ips}));
    folder.put("careless.ips", hotstitch::create(source, poked(source, 0x40000, 0x11), {.format = PatchFormat::ips}));
    check({{{"apply", "kelp.sfc", "n.ips", "-o", "a.sfc"}, 0, "the ROM's own still hold"},
           {{"apply", "old.sfc", "n.ips", "-o", "b.sfc"}, 0, "made for another revision, or a mod that left them so"},
           {{"apply", "kelp.sfc", "careless.ips", "-o", "c.sfc"}, 0, "the same call with --mend"},
           {{"apply", "stale.sfc", "fix.ips", "-o", "d.sfc"}, 0, "likely the right source"}});
}

TEST_F(CliMisuse, OtherRepresentationsAreReadAndNamedForWhatComesOut) {
    const Bytes rom = demo::nintendo_64_kelp(), made = makers::mended(poked(rom, 0x4321, 0x77), {{"checksum", {}}});
    const Bytes drive = demo::mega_drive_kelp(), driven = makers::mended(poked(drive, 0x4321, 7), {{"checksum", {}}});
    folder.put("kelp.v64", demo::with_pairs_swapped(rom));
    folder.put("kelp.smd", demo::interleaved(drive));
    folder.put("kelp.smc", demo::with_front_header(source));
    folder.put("64.ips", hotstitch::create(rom, made, {.format = PatchFormat::ips}));
    folder.put("64.bps", hotstitch::create(rom, made));
    folder.put("drive.ips", hotstitch::create(drive, driven, {.format = PatchFormat::ips}));
    check({{{"apply", "kelp.v64", "64.ips"}, 0, "come out right only so"},
           {{"apply", "kelp.smd", "drive.ips"}, 0, "come out right only so"},
           {{"apply", "kelp.smc", "n.bps"}, 0, "only so it is the one the patch was made for"},
           {{"apply", "kelp.v64", "64.bps", "-o", "same.v64", "--keep-representation"}, 0, "Made "},
           {{"apply", "kelp.smd", "drive.ips", "-o", "same.smd", "--keep-representation"}, 0, "Made "},
           {{"apply", "kelp.smc", "n.bps", "-o", "same.smc", "--keep-representation"}, 0, "Made "}});
    EXPECT_TRUE(contents(folder / "64.z64") == made);
    EXPECT_TRUE(contents(folder / "drive.md") == driven);
    EXPECT_TRUE(contents(folder / "n.sfc") == target);
    EXPECT_TRUE(contents(folder / "same.v64") == demo::with_pairs_swapped(made));
    EXPECT_TRUE(contents(folder / "same.smd") == demo::interleaved(driven));
    EXPECT_TRUE(contents(folder / "same.smc") == demo::with_front_header(target));
    // A newer patch is treated like the one before it.
    check({{{"renew", "same.smc", "f.bps"}, 0, "Made "}});
    EXPECT_TRUE(contents(folder / "same.smc") == demo::with_front_header(demo::fog_signals(source)));
}

TEST_F(CliMisuse, TheSameCallAgainAndWayBack) {
    folder.put("taken.sfc", "something else");
    folder.put("back.bps", hotstitch::create(target, source));
    check(
        {{{"apply", "kelp.sfc", "n.bps", "-o", "t.sfc"}, 0, "Made "},
         {{"apply", "kelp.sfc", "n.bps", "-o", "t.sfc"}, 0, "Made already"},
         {{"apply", "old.sfc", "n.bps", "-o", "taken.sfc"}, 1, "not the source"},
         {{"apply", "kelp.sfc", "n.bps", "-o", "taken.sfc"}, 2, "exists already"},
         {{"apply", "night.sfc", "n.ups"}, 0, "hotstitch undo night.sfc n.ups"},
         {{"apply", "kelp.sfc", "n.ups", "n.ups", "-o", "twice.sfc"}, 0, "already patched"},
         {{"apply", "kelp.sfc", "n.bps", "back.bps", "-o", "nothing.sfc"}, 0, "takes back all changes from patch 1"}});
    // Two changes in place go back one by one; without a backup that is said at once, and what is left is named.
    const Bytes mended = makers::mended(target, {{"region", "Japan"}});
    folder.put("g.sfc", source);
    check({{{"apply", "g.sfc", "n.bps", "--in-place"}, 0, "backup"},
           {{"mend", "g.sfc", "region=Japan", "--in-place"}, 0, "backup"}});
    EXPECT_TRUE(contents(folder / "g.sfc") == mended);
    check({{{"undo", "g.sfc"}, 0, "earlier changes"}, {{"undo", "g.sfc"}, 0, "is as it was before"}});
    EXPECT_TRUE(contents(folder / "g.sfc") == source);
    EXPECT_FALSE(fs::exists(folder / "g.sfc.receipt.json"));
    check({{{"apply", "g.sfc", "n.bps", "--in-place"}, 0, "backup"},
           {{"mend", "g.sfc", "region=Japan", "--in-place", "--no-backup"}, 0, "no way back"},
           {{"undo", "g.sfc"}, 2, "before an earlier change is kept: g.sfc."}});
    folder.put("h.sfc", source);
    check({{{"apply", "h.sfc", "n.ups", "--in-place", "--no-backup"}, 0, "no way back"},
           {{"undo", "h.sfc"}, 2, "made by a UPS patch"},
           {{"undo", "h.sfc", "n.ups"}, 0, "is as it was before"}});
    EXPECT_TRUE(contents(folder / "h.sfc") == source);
}

TEST_F(CliMisuse, StreamsAndOddNamesHaveReceipts) {
    const auto piped = [&](const std::string& call) {
        return std::system(("cd '" + folder.path().string() + "' && " + call + " >/dev/null 2>&1").c_str());
    };
    const std::string tool = std::getenv("HOTSTITCH_TOOL");
    EXPECT_EQ(piped("cat kelp.sfc | " + tool + " apply - n.bps -o s.sfc"), 0);
    EXPECT_EQ(piped("mkfifo pipe && (cat n.bps > pipe &) && " + tool + " apply kelp.sfc pipe -o p.sfc"), 0);
    EXPECT_TRUE(contents(folder / "s.sfc") == target);
    check({{{"verify", "--receipt", "s.sfc"}, 0, "what came through a pipe"},
           {{"undo", "s.sfc"}, 2, "came through a pipe"},
           {{"renew", "s.sfc", "n.bps"}, 2, "came through a pipe"},
           {{"undo", "p.sfc"}, 0, "the source is untouched"}});
    EXPECT_TRUE(contents(folder / "s.sfc") == target);
    const std::string odd = "k\xFFlp \xEF\x9F\xBF.sfc";
    folder.put(odd, source);
    check({{{"apply", odd, "n.bps", "-o", "o\xFE.sfc"}, 0, "Made "},
           {{"renew", "o\xFE.sfc", "n.xdelta"}, 0, "ade "},
           {{"undo", "o\xFE.sfc"}, 0, "the source is untouched"}});
}

TEST_F(CliMisuse, ArchivesAreLookedInto) {
    folder.put("m0.bps", hotstitch::create(demo::kelp_harbour(0), target));
    folder.put("fog.sfc", demo::fog_signals(source));
    zip("one.zip", "kelp.sfc");
    zip("two.zip", "kelp.sfc old.sfc");
    zip("mods.zip", "n.bps m0.bps");
    zip("nest.zip", "mods.zip");
    zip("in1.zip", "one.zip");
    zip("in2.zip", "in1.zip");
    const std::string whole(text_of(contents(folder / "one.zip")));
    folder.put("cut.zip", whole.substr(0, whole.size() / 2));
    check({{{"describe", "one.zip"}, 0, "kelp.sfc is a Super Nintendo (SNES) ROM: KELP HARBOUR, Europe, revision 1."},
           {{"describe", "two.zip"}, 0, "old.sfc  (a Super Nintendo (SNES) ROM: KELP HARBOUR, Europe, revision 0)"},
           {{"describe", "in1.zip"}, 0, "kelp.sfc is a Super Nintendo (SNES) ROM"},
           {{"describe", "in2.zip"}, 0, "one.zip is a zip archive"},  // no deeper: an archive may hold itself
           {{"describe", "cut.zip"}, 3, "cut"},
           {{"apply", "kelp.sfc", "mods.zip", "-o", "a.sfc"},
            0,
            "n.bps: the only one of 2 patches in mods.zip that fits"},
           {{"apply", "kelp.sfc", "nest.zip", "-o", "b.sfc"}, 0, "n.bps: the only one of 2 patches"},
           {{"apply", "night.sfc", "nest.zip", "-o", "d.sfc"}, 0, "already patched"},
           {{"apply", "fog.sfc", "nest.zip", "-o", "c.sfc"}, 1, "nest.zip:mods.zip:"},
           {{"apply", "kelp.sfc", "nest.zip:mods.zip:n.bps", "-o", "c.sfc"}, 0, "Made "}});
    EXPECT_TRUE(contents(folder / "b.sfc") == target);
}

TEST_F(CliMisuse, DamageOnTheWayIsNamed) {
    const auto in_text_mode = [&](const char* from, const char* to) {
        std::string text;
        for (const char c : std::string(text_of(contents(folder / from))))
            text += c == '\n' ? "\r\n"s : std::string(1, c);
        folder.put(to, text);
    };
    in_text_mode("n.xdelta", "t.xdelta");
    in_text_mode("n.bps", "t.bps");
    in_text_mode("n.ips", "t.ips");
    folder.put("cut.ips", std::string(text_of(contents(folder / "n.ips")).substr(0, 5000)));
    folder.put("other.xyz", "KELPDIFF1\1\2\3"s);
    check({{{"apply", "kelp.sfc", "t.xdelta"}, 3, "text mode"},
           {{"apply", "kelp.sfc", "t.bps"}, 3, "text mode"},
           {{"apply", "kelp.sfc", "t.ips"}, 3, "text mode"},
           {{"apply", "kelp.sfc", "cut.ips"}, 3, "cut short"},
           {{"apply", "kelp.sfc", "other.xyz"}, 3, "in a format that is not read here"}});
}

TEST_F(CliMisuse, TwoModsThatDifferOnlyInChecksGoTogether) {
    check({{{"overlap", "kelp.sfc", "n.bps", "f.bps"}, 0, "only in the ROM's own checks"},
           {{"apply", "kelp.sfc", "n.bps", "f.bps", "-o", "no.sfc"}, 1, "not the source"},
           {{"apply", "kelp.sfc", "n.bps", "f.bps", "-o", "both.sfc", "--mend"}, 0, "both mods are in it"}});
    Bytes both = target;
    const Bytes fog = demo::fog_signals(source);
    for (std::size_t i = 0; i < both.size(); ++i)
        if (fog[i] != source[i]) both[i] = fog[i];
    EXPECT_TRUE(contents(folder / "both.sfc") == makers::mended(both, {{"checksum", {}}}));
    folder.put("against.bps", hotstitch::create(source, poked(source, 0x40000, 0x99)));
    folder.put("for.bps", hotstitch::create(source, poked(source, 0x40000, 0x11)));
    check({{{"overlap", "kelp.sfc", "for.bps", "against.bps"}, 1, "contradict each other"},
           {{"apply", "kelp.sfc", "for.bps", "against.bps", "-o", "x.sfc", "--mend"}, 1, "not the source"}});
}

TEST_F(CliMisuse, KnownListsInEveryFormWithAndWithoutAHeader) {
    const Digests all = digest(MemorySource(source), {true, true, true, false});
    folder.put("kelp.smc", demo::with_front_header(source));
    folder.put("list.md5", hex(all.md5->bytes) + "  Kelp Harbour (Europe).sfc\n");
    folder.put("list.xml",
               "<?xml version=\"1.0\"?>\n<datafile><!-- a > b --><header><name>Kelp</name></header>\n"
               "<game name=\"Kelp Harbour\"><rom name=\"Kelp &amp; Harbour.sfc\" size=\"1048576\" crc=\"" +
                   all.crc32->hex() + "\" sha1='" + hex(all.sha1->bytes) + "'/></game></datafile>");
    folder.put("bad.xml", "<datafile><rom name=\"x\" crc=\"12\"/></datafile>");
    check({{{"describe", "kelp.sfc", "--known", "list.md5"}, 0, "Kelp Harbour (Europe).sfc"},
           {{"describe", "kelp.sfc", "--known", "list.xml"}, 0, "Kelp & Harbour.sfc"},
           {{"describe", "kelp.smc", "--known", "list.xml"}, 0, "Kelp & Harbour.sfc"},
           {{"describe", "kelp.smc"}, 0, "without its front header of 512 bytes:"},
           {{"describe", "old.sfc", "--known", "list.xml"}, 0, "nothing on the list"},
           {{"describe", "kelp.sfc", "--known", "bad.xml"}, 3, "broken XML"}});
}

TEST_F(CliMisuse, NearlyTheRightWordIsUnderstood) {
    folder.put("-n.bps", std::string(text_of(contents(folder / "n.bps"))));
    folder.put("game.cue", "FILE \"kelp.sfc\" BINARY\n");
    const std::string crc = digest(MemorySource(source), {}).crc32->hex();
    check({{{"help"}, 0, "apply"},
           {{"help", "apply"}, 0, "--keep-representation"},
           {{"aply", "kelp.sfc", "n.bps"}, 2, "did you mean hotstitch apply?"},
           {{"apply", "--ouput", "x", "kelp.sfc", "n.bps"}, 2, "did you mean --output?"},
           {{"apply", "kelp.sfc", "-n.bps"}, 2, "./-n.bps"},
           {{"apply", "kelp.sfc", "n.bsp"}, 4, "did you mean n.bps?"},
           {{"apply", "kelp.sfc", "n.bps", "made.sfc"}, 4, "-o made.sfc"},
           {{"create", "kelp.sfc", "night.sfc", "--format", "bsp"}, 2, "did you mean bps?"},
           {{"create", "kelp.sfc", "night.sfc", "--format", "BPS", "-o", "x.ups"}, 0, "the name ends in .ups"},
           {{"apply", "kelp.sfc", "n.ips", "--expect", "CRC32:" + crc, "-o", "a.sfc"}, 0, "that were given"},
           {{"apply", "kelp.sfc", "n.ips", "--expect", crc, "-o", "b.sfc"}, 0, "that were given"},
           {{"apply", "kelp.sfc", "n.bps", "-o", "c.sfc"}, 0, "game.cue names \"kelp.sfc\""},
           {{"apply", "kelp.sfc", "n.bps", "--name-like", "none.pcm"}, 4, "there is no file none.pcm"},
           {{"verify", "kelp.sfc", "n.bps"}, 0, "swapped places"},
           {{"recast", "n.bps", "kelp.sfc", "-o", "r.ips"}, 0, "swapped places"},
           {{"describe", "kelp.sfc", "--at", "zz", "--at", "80:8000"}, 2, "80:8000 is 0x000000"},
           {{"verify", "n.bps", "old.sfc", "--json"}, 1, "The file does not fit."},
           {{"renew", "c.sfc", "n.bps", "--allow", "source"}, 0, "ade "}});
}

}  // namespace
}  // namespace hotstitch
