// SPDX-License-Identifier: MIT
// Discs by the real tool: images of real builders before the eyes of other readers, sheets, folders, changes in place,
// patches for a part and for another form of the image.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <map>
#include <random>

#include "disc.h"
#include "hotstitch/create.h"
#include "hotstitch/disc.h"
#include "hotstitch/file_io.h"
#include "hotstitch/part.h"
#include "lib/run_tool.h"
#include "lib/sanitized.h"
#include "lib/temporary_folder.h"

namespace {

namespace fs = std::filesystem;
using hotstitch::Bytes;
using hotstitch::ByteView;
using hotstitch::text_of;

Bytes noise(std::size_t size, unsigned seed) {
    std::mt19937 random(seed);
    Bytes out(size);
    for (std::byte& b : out) b = static_cast<std::byte>(random());
    return out;
}

class CliDisc : public testing::Test {
protected:
    ToolResult run(std::vector<std::string> arguments) const { return run_tool(arguments, {.folder = folder.path()}); }
    /// The tool's answer, with its exit code before it: "0 put".
    std::string answer(std::vector<std::string> arguments) const {
        arguments.emplace_back("--json");
        const ToolResult result = run(std::move(arguments));
        return fmt::format("{} {}", result.code, result.json()["answer"].get<std::string>());
    }
    std::string shell(const std::string& command) const {
        const std::string call = "cd '" + folder.path().string() + "' && { " + command + "; } >out.txt 2>&1";
        EXPECT_EQ(std::system(call.c_str()), 0) << command << "\n" << text_of(contents(folder / "out.txt"));
        return std::string(text_of(contents(folder / "out.txt")));
    }
    void put_demo() const {
        folder.put("kelp.iso", plain);
        Bytes bin = demo::in_sectors(plain, 2);
        folder.put("alone.bin", bin);
        const Bytes sound = demo::sound(1);
        bin.insert(bin.end(), sound.begin(), sound.end());
        folder.put("kelp.bin", bin);
        folder.put("kelp.cue", demo::cue_sheet("KELP.BIN", 2, plain.size() / 2048));
    }

    TemporaryFolder folder;
    const Bytes plain = demo::disc(demo::kelp_harbour_files(1));
    const Bytes table = demo::kelp_harbour_files(1)[2].content;
};

// --- real builders, real readers

struct Builder {
    const char* name;
    const char* call;  ///< makes disc.iso of tree/
    bool joliet;
};
const Builder builders[] = {
    {"genisoimage plain", "genisoimage -quiet -D -o disc.iso tree", false},
    {"genisoimage with both", "genisoimage -quiet -J -R -V KELP_HARBOUR -o disc.iso tree", true},
    {"genisoimage with Joliet alone", "genisoimage -quiet -J -D -o disc.iso tree", true},
    {"genisoimage with UDF", "genisoimage -quiet -udf -J -R -o disc.iso tree", true},
    {"genisoimage that boots", "genisoimage -quiet -R -b boot.img -no-emul-boot -c boot.cat -o disc.iso tree", false},
    {"xorriso", "xorriso -as mkisofs -R -J -o disc.iso tree", true},
};

class RealDiscs : public CliDisc {
protected:
    void SetUp() override {
        shell(
            "mkdir -p tree/DATA 'tree/VOICES' tree/a/b/c/d/e/f/g/h/i && echo deep >tree/a/b/c/d/e/f/g/h/i/deep.txt && "
            "touch tree/DATA/EMPTY && for i in $(seq 1 60); do echo \"voice $i\" >tree/VOICES/voice-$i.txt; done");
        folder.put("tree/DATA/UNITS.BIN", noise(100'000, 1));
        folder.put("tree/DATA/NIGHT.BIN", noise(40'000, 2));
        folder.put("tree/boot.img", noise(4096, 3));
        folder.put("tree/VOICES/A long name, with spaces.bin", noise(5'000, 4));
        shell("ln tree/DATA/NIGHT.BIN tree/DATA/SAME.BIN; ln -s DATA/UNITS.BIN tree/link");
    }

    /// What another reader finds: name to content.
    std::map<std::string, Bytes> seen(const std::string& image) const {
        shell("rm -rf seen && mkdir seen && bsdtar -x -C seen -f " + image);
        std::map<std::string, Bytes> files;
        for (const auto& entry : fs::recursive_directory_iterator(folder / "seen"))
            if (entry.is_regular_file() && !entry.is_symlink())
                files[entry.path().lexically_relative(folder / "seen").generic_string()] = contents(entry.path());
        shell("chmod -R u+w seen");
        return files;
    }

    std::map<std::string, Bytes> ours(const std::string& image) const {
        fs::remove_all(folder / "ours");
        EXPECT_EQ(answer({"take", image + ":", "-o", "ours/"}), "0 taken");
        std::map<std::string, Bytes> files;
        for (const auto& entry : fs::recursive_directory_iterator(folder / "ours"))
            if (entry.is_regular_file())
                files[entry.path().lexically_relative(folder / "ours").generic_string()] = contents(entry.path());
        return files;
    }

    void expect_seen(const std::map<std::string, Bytes>& wanted, const std::string& image, bool joliet) const {
        auto found = seen(image);
        found.erase("boot.cat");
        EXPECT_EQ(found.size(), wanted.size() - wanted.count("boot.cat"));
        for (const auto& [name, content] : wanted)
            if (name != "boot.cat") {
                EXPECT_TRUE(found[name] == content) << name;
            }
        if (!joliet) return;
        // The Joliet tree, by a reader of its own.
        for (const std::string name : {"DATA/UNITS.BIN", "DATA/ADDED.BIN", "VOICES/voice-7.txt", "DATA/SAME.BIN"}) {
            const auto row = wanted.find(name);
            if (row == wanted.end()) continue;
            shell("isoinfo -J -i " + image + " -x /" + name + " >one.bin");
            EXPECT_TRUE(contents(folder / "one.bin") == row->second) << name << " by Joliet";
        }
    }
};

TEST_F(RealDiscs, AreReadAsOthersReadThemAndStayReadableAfterEveryPut) {
    for (const Builder& builder : builders) {
        SCOPED_TRACE(builder.name);
        shell(builder.call);
        const auto before = seen("disc.iso");
        EXPECT_TRUE(ours("disc.iso") == before);
        const bool udf = std::string(builder.call).find("-udf") != std::string::npos;
        for (const std::string room : {"", "append", "rebuild"}) {
            auto wanted = before;
            std::vector<std::string> call{"put", "disc.iso", "-o", "made.iso", "--replace", "--no-backup", "--add"};
            if (!room.empty()) call.insert(call.end(), {"--room", room});
            const auto put = [&](const std::string& name, std::size_t size, unsigned seed) {
                const std::string file = fmt::format("new{}.bin", seed);
                wanted[name] = noise(size, seed);
                folder.put(file, wanted[name]);
                call.push_back(name + "=" + file);
            };
            put("DATA/UNITS.BIN", room == "rebuild" && udf ? 100'000 : 120'000, 5);
            put(before.contains("VOICES/voice-7.txt") ? "VOICES/voice-7.txt" : "VOICES/VOICE_7.TXT", 1'000, 6);
            if (!udf) {
                put("DATA/SAME.BIN", 90, 7);
                put("DATA/ADDED.BIN", 70'000, 8);
                call.insert(call.end(), {"--remove", "boot.img"});
                if (!wanted.contains("boot.img")) call.back() = "BOOT.IMG";
                wanted.erase(call.back());
            }
            EXPECT_EQ(answer(call), "0 put") << run(call).err;
            expect_seen(wanted, "made.iso", builder.joliet);
            if (builder.name == std::string("genisoimage that boots"))
                shell("isoinfo -d -i made.iso | grep -q 'El Torito'");
        }
    }
}

TEST_F(RealDiscs, WithThousandsOfFiles) {
    shell(
        "mkdir many && cd many && for d in 1 2 3 4 5 6 7 8 9 10; do mkdir d$d; for i in $(seq 1 500); do echo $d-$i "
        ">d$d/file-$i.txt; done; done");
    shell("genisoimage -quiet -R -J -o many.iso many");
    const auto list = run({"parts", "many.iso", "--json"}).json()["parts"];
    EXPECT_EQ(list.size(), 5001U);
    folder.put("new.bin", "Kelp Harbour");
    EXPECT_EQ(
        answer({"put", "many.iso", "d7/file-321.txt=new.bin", "d7/a new one.txt=new.bin", "--add", "-o", "m.iso"}),
        "0 put");
    const std::pair<const char*, const char*> rows[] = {
        {"d7/file-321.txt", "Kelp Harbour"}, {"d7/a new one.txt", "Kelp Harbour"}, {"d7/file-322.txt", "7-322\n"}};
    for (const auto& [name, content] : rows)
        EXPECT_EQ(shell(fmt::format("bsdtar -xOf m.iso '{}'", name)), content) << name;
}

// --- sheets, folders, forms

TEST_F(CliDisc, ASheetStandsForItsDisc) {
    put_demo();
    const auto parts = run({"parts", "kelp.cue", "--json"}).json()["parts"];
    EXPECT_EQ(parts[0]["name"], "track 1");
    EXPECT_EQ(parts[1]["name"], "track 2");
    EXPECT_EQ(parts[1]["offset"], plain.size() / 2048 * 2352);
    EXPECT_EQ(answer({"take", "kelp.cue:track 1", "-o", "t1.iso"}), "0 taken");
    EXPECT_TRUE(contents(folder / "t1.iso") == plain);
    EXPECT_EQ(answer({"take", "kelp.cue:track 1", "--raw", "-o", "raw.bin"}), "0 taken");
    EXPECT_TRUE(contents(folder / "raw.bin") == contents(folder / "alone.bin"));
    EXPECT_EQ(answer({"take", "alone.bin:SYSTEM.CNF", "--raw", "-o", "sector.bin"}), "0 taken");
    EXPECT_EQ(fs::file_size(folder / "sector.bin"), 2352U);
    folder.put("film.bin", demo::in_sectors(plain, 2, 293));
    EXPECT_NE(run({"take", "film.bin:FILMS/TIDE.BIN", "-o", "f.bin"}).out.find("--raw takes whole"), std::string::npos);
    EXPECT_EQ(answer({"put", "film.bin", "FILMS/TIDE.BIN=t1.iso", "-o", "g.bin"}), "3 unsupported");
    EXPECT_EQ(answer({"take", "kelp.iso:SYSTEM.CNF", "--raw", "-o", "no.bin"}), "3 unsupported");
    EXPECT_EQ(answer({"take", "kelp.cue:track 2", "-o", "t2.bin"}), "0 taken");
    EXPECT_TRUE(contents(folder / "t2.bin") == demo::sound(1));
    EXPECT_EQ(run({"describe", "kelp.cue", "--json"}).json()["files"][0]["serial"], "SLES-99001");

    folder.put("table.bin", noise(24'000, 1));
    EXPECT_EQ(answer({"put", "kelp.cue", "DATA/BERTHS.BIN=table.bin", "-o", "night.cue"}), "0 put");
    EXPECT_EQ(text_of(contents(folder / "night.cue")), demo::cue_sheet("night.bin", 2, plain.size() / 2048));
    EXPECT_EQ(run({"describe", "night.cue", "--json"}).json()["files"][0]["sector_codes"]["wrong"], 0);
    EXPECT_EQ(answer({"take", "night.cue:data/berths.bin", "-o", "back.bin"}), "0 taken");
    EXPECT_TRUE(contents(folder / "back.bin") == noise(24'000, 1));
    EXPECT_EQ(answer({"put", "kelp.cue", "track 1=t1.iso", "DATA/BERTHS.BIN=table.bin", "-o", "again.bin"}), "0 put");
    EXPECT_TRUE(contents(folder / "again.bin") == contents(folder / "night.bin"));
    folder.put("long.bin", noise(30'000, 1));
    EXPECT_EQ(answer({"put", "kelp.cue", "DATA/BERTHS.BIN=long.bin", "-o", "no.bin"}), "2 usage") << "sound follows";
    // The sheet is written anew beside what apply makes of the image it names.
    folder.put("p.bps", hotstitch::create(contents(folder / "kelp.bin"), contents(folder / "night.bin")));
    EXPECT_EQ(answer({"apply", "kelp.cue", "p.bps", "-o", "tides.bin", "--with-sheet"}), "0 made");
    EXPECT_EQ(text_of(contents(folder / "tides.cue")), demo::cue_sheet("tides.bin", 2, plain.size() / 2048));
    const std::pair<const char*, const char*> rows[] = {
        {"FILE \"../kelp.bin\" BINARY\nTRACK 01 MODE2/2352\nINDEX 01 00:00:00\n", "1 refused"},
        {"FILE \"/etc/passwd\" BINARY\nTRACK 01 MODE2/2352\nINDEX 01 00:00:00\n", "1 refused"},
        {"FILE \"C:\\kelp.bin\" BINARY\nTRACK 01 MODE2/2352\nINDEX 01 00:00:00\n", "1 refused"},
        {"FILE \"gone.bin\" BINARY\nTRACK 01 MODE2/2352\nINDEX 01 00:00:00\n", "4 io"},
        {"FILE \"kelp.bin\" BINARY\nTRACK 01 MODE2/2352\nINDEX 01 99:00:00\n", "3 damaged"},
        {"FILE \"kelp.bin\" BINARY\nTRACK 01 MODE7/2352\n", "3 damaged"}};
    for (const auto& [sheet, said] : rows) {
        folder.put("bad.cue", sheet);
        EXPECT_EQ(answer({"parts", "bad.cue"}), said) << sheet;
    }
}

TEST_F(CliDisc, LargeOnesAreReadByPositionWhereTheyCannotBeMapped) {
    if (sanitized) GTEST_SKIP() << "a sanitizer needs more address space than that";
    const auto large = [&](const char* name, ByteView content) {
        folder.put(name, content);
        fs::resize_file(folder / name, 192'000'000 / 2048 * 2048);  // with a hole
    };
    Bytes other = plain;
    other.back() ^= std::byte{1};
    large("kelp.iso", plain), large("other.iso", other);
    folder.put("more.txt", noise(5000, 3));
    ASSERT_EQ(run({"create", "kelp.iso", "other.iso", "-o", "p.bps"}).code, 0);
    ASSERT_EQ(run({"create", "kelp.iso", "other.iso", "-o", "p.vcdiff"}).code, 0);
    const std::string part = "DATA/TITLE.BIN";
    const std::vector<std::string> calls[] = {{"verify", "p.bps", "kelp.iso"},
                                              {"apply", "kelp.iso", "p.bps", "-o", "by-bps.iso"},
                                              {"apply", "kelp.iso", "p.vcdiff", "-o", "by-vcdiff.iso"},
                                              {"take", "kelp.iso:" + part, "-o", "taken"},
                                              {"put", "kelp.iso", part + "=more.txt", "-o", "put.iso"},
                                              {"put", "kelp.iso", part + "=more.txt", "--in-place"},
                                              {"undo", "kelp.iso"},
                                              {"describe", "put.iso"}};
    for (const auto& call : calls) {
        const ToolResult result = run_tool(call, {.folder = folder.path(), .address_space = 128 << 20});
        EXPECT_EQ(result.code, 0) << call.front() << ": " << result.err;
    }
    shell("cmp by-bps.iso other.iso && cmp by-vcdiff.iso other.iso");
    EXPECT_EQ(run({"take", "put.iso:" + part, "-o", "again"}).code, 0);
    shell("cmp again more.txt");
    large("before.iso", plain);
    shell("cmp kelp.iso before.iso");
    // What needs all of it at once says so, and writes nothing.
    const ToolResult made = run_tool({"create", "kelp.iso", "other.iso", "-o", "q.bps"},
                                     {.folder = folder.path(), .address_space = 128 << 20});
    EXPECT_EQ(made.code, 3);
    EXPECT_NE(made.err.find("no memory left for this. Nothing was written"), std::string::npos) << made.err;
    EXPECT_FALSE(fs::exists(folder / "q.bps"));
}

TEST_F(CliDisc, AFolderStandsForTheFilesOfADisc) {
    put_demo();
    ASSERT_EQ(answer({"take", "kelp.iso:", "-o", "mounted/"}), "0 taken");
    EXPECT_EQ(answer({"parts", "kelp.iso", "--compare", "mounted", "*.BIN"}), "0 same");
    folder.put("mounted/DATA/BERTHS.BIN", noise(24'000, 1));
    const ToolResult compared = run({"parts", "kelp.iso", "--compare", "mounted", "--json"});
    EXPECT_EQ(compared.code, 1);
    EXPECT_EQ(answer({"put", "kelp.iso", "DATA/BERTHS.BIN=mounted:data/berths.bin", "-o", "a.iso"}), "0 put");
    EXPECT_EQ(answer({"take", "a.iso:DATA/BERTHS.BIN", "-o", "b.bin"}), "0 taken");
    EXPECT_TRUE(contents(folder / "b.bin") == noise(24'000, 1));
    EXPECT_EQ(answer({"take", "mounted:DATA/", "-o", "copied/"}), "0 taken");
    EXPECT_TRUE(fs::exists(folder / "copied/BERTHS.BIN"));
    for (const char* address : {"mounted:../kelp.iso", "mounted:/etc/passwd", "mounted:NO.BIN"})
        EXPECT_EQ(answer({"put", "kelp.iso", std::string("DATA/BERTHS.BIN=") + address, "-o", "c.iso"}), "2 usage");
    // A file of another disc goes straight in.
    folder.put("older.iso", demo::disc(demo::kelp_harbour_files(0)));
    EXPECT_EQ(answer({"put", "kelp.iso", "SYSTEM.CNF=older.iso:SYSTEM.CNF", "-o", "d.iso"}), "0 put");
}

TEST_F(CliDisc, APatchIsForAPartOrForTheOtherFormOfTheImage) {
    put_demo();
    Bytes changed = table;
    changed[77] ^= std::byte{1}, changed.resize(40'000);
    folder.put("table.bps", hotstitch::create(table, changed));
    ASSERT_EQ(answer({"apply", "kelp.iso:DATA/BERTHS.BIN", "table.bps", "-o", "new.iso"}), "0 made");
    ASSERT_EQ(answer({"take", "new.iso:DATA/BERTHS.BIN", "-o", "t.bin"}), "0 taken");
    EXPECT_TRUE(contents(folder / "t.bin") == changed);
    EXPECT_EQ(answer({"verify", "table.bps", "kelp.iso:DATA/BERTHS.BIN"}), "0 fits");
    EXPECT_EQ(answer({"apply", "kelp.iso:DATA/TEXTS.BIN", "table.bps", "-o", "no.iso"}), "1 wrong-source");
    EXPECT_FALSE(fs::exists(folder / "no.iso"));

    const Bytes made = contents(folder / "new.iso"), raw = contents(folder / "alone.bin");
    folder.put("plain.bps", hotstitch::create(plain, made));
    folder.put("raw.bps", hotstitch::create(raw, demo::in_sectors(made, 2)));
    folder.put("mode1.bps", hotstitch::create(demo::in_sectors(plain, 1), demo::in_sectors(made, 1)));
    folder.put("plain.vcdiff", hotstitch::create(plain, made, {.format = hotstitch::PatchFormat::vcdiff}));
    ASSERT_EQ(answer({"apply", "alone.bin", "plain.bps", "-o", "a.iso"}), "0 made");
    EXPECT_TRUE(contents(folder / "a.iso") == made);
    ASSERT_EQ(answer({"apply", "alone.bin", "plain.bps", "-o", "a.bin", "--keep-representation"}), "0 made");
    EXPECT_TRUE(contents(folder / "a.bin") == demo::in_sectors(made, 2));
    ASSERT_EQ(answer({"apply", "kelp.iso", "mode1.bps", "-o", "b.bin"}), "0 made");
    EXPECT_TRUE(contents(folder / "b.bin") == demo::in_sectors(made, 1));
    ASSERT_EQ(answer({"apply", "kelp.iso", "mode1.bps", "-o", "b.iso", "--keep-representation"}), "0 made");
    EXPECT_TRUE(contents(folder / "b.iso") == made);
    EXPECT_EQ(answer({"apply", "kelp.bin", "plain.bps", "-o", "c.iso"}), "0 made") << "sound behind it is none of it";
    EXPECT_EQ(answer({"apply", "alone.bin", "plain.vcdiff", "-o", "d.iso"}), "0 made");
    // A change of a disc is a small patch, without anything being compared.
    folder.put("t2.bin", changed);
    ASSERT_EQ(answer({"put", "kelp.iso", "DATA/BERTHS.BIN=t2.bin", "--patch", "change.vcdiff"}), "0 put");
    ASSERT_EQ(answer({"apply", "kelp.iso", "change.vcdiff", "-o", "e.iso"}), "0 made");
    EXPECT_TRUE(contents(folder / "e.iso") == made);
    EXPECT_LT(fs::file_size(folder / "change.vcdiff"), 45'000U);
}

// --- changes in place

class InPlace : public CliDisc {
protected:
    void SetUp() override {
        folder.put("big.iso", plain);
        fs::resize_file(folder / "big.iso", 80'000'000 / 2048 * 2048);  // with a hole
        folder.put("table.bin", noise(24'000, 1));
        folder.put("long.bin", noise(200'000, 2));
    }
    Bytes head() const { return hotstitch::head_of(hotstitch::InputFile(folder / "big.iso"), plain.size()); }
};

TEST_F(InPlace, KeepsWhatItOverwritesAndUndoesStepByStep) {
    const auto size = fs::file_size(folder / "big.iso");
    ASSERT_EQ(answer({"put", "big.iso", "DATA/BERTHS.BIN=table.bin", "--in-place"}), "0 put");
    const Bytes once = head();
    EXPECT_FALSE(once == plain);
    ASSERT_EQ(answer({"put", "big.iso", "DATA/TEXTS.BIN=long.bin", "--in-place"}), "0 put");
    EXPECT_EQ(fs::file_size(folder / "big.iso"), size + 200'704) << "behind everything else";
    EXPECT_LT(fs::file_size(folder / "big.iso.undo-1.hotstitch"), 30'000U);
    ASSERT_EQ(answer({"undo", "big.iso"}), "0 restored");
    EXPECT_EQ(fs::file_size(folder / "big.iso"), size);
    EXPECT_TRUE(head() == once);
    ASSERT_EQ(answer({"undo", "big.iso"}), "0 restored");
    EXPECT_TRUE(head() == plain);
    EXPECT_EQ(folder.names(), (std::set<std::string>{"big.iso", "long.bin", "table.bin"}));
    EXPECT_NE(run({"undo", "big.iso"}).code, 0) << "there is nothing more to undo";
    // Without a way back, and with one that no longer holds.
    ASSERT_EQ(answer({"put", "big.iso", "DATA/BERTHS.BIN=table.bin", "--in-place", "--no-backup"}), "0 put");
    EXPECT_EQ(folder.names().size(), 3U);
    ASSERT_EQ(answer({"put", "big.iso", "DATA/TEXTS.BIN=long.bin", "--in-place"}), "0 put");
    fs::resize_file(folder / "big.iso", size);
    const Bytes cut = head();
    EXPECT_NE(run({"undo", "big.iso"}).code, 0);
    EXPECT_TRUE(head() == cut) << "nothing is touched that is not what was made";
}

TEST_F(InPlace, APatchOfAWholeDiscKeepsOnlyWhatItOverwrites) {
    const auto patched = [&](const char* name, std::size_t at, std::string_view text) {
        fs::copy_file(folder / "big.iso", folder / "other.iso", fs::copy_options::overwrite_existing);
        std::fstream file(folder / "other.iso", std::ios::in | std::ios::out | std::ios::binary);
        file.seekp(static_cast<std::streamoff>(at)), file << text;
        file.close();
        ASSERT_EQ(answer({"create", "big.iso", "other.iso", "-o", name, "--replace"}), "0 made");
    };
    patched("a.bps", 170'000, "fog");
    const Bytes first = head();
    ASSERT_EQ(answer({"apply", "big.iso", "a.bps", "--in-place"}), "0 made");
    const Bytes once = head();
    EXPECT_FALSE(once == first);
    EXPECT_LT(fs::file_size(folder / "big.iso.undo-1.hotstitch"), 1'000U) << "no copy of the disc";
    EXPECT_EQ(answer({"verify", "--receipt", "big.iso"}), "0 as-made");
    patched("b.bps", 60'000'000, "tide");
    ASSERT_EQ(answer({"apply", "big.iso", "b.bps", "--in-place"}), "0 made");
    EXPECT_EQ(answer({"verify", "--receipt", "big.iso"}), "0 as-made");
    ASSERT_EQ(answer({"undo", "big.iso"}), "0 restored");
    EXPECT_EQ(answer({"verify", "--receipt", "big.iso"}), "0 as-made") << "of the first again";
    EXPECT_TRUE(head() == once);
    ASSERT_EQ(answer({"undo", "big.iso"}), "0 restored");
    EXPECT_TRUE(head() == first);
    for (const std::string& name : folder.names()) EXPECT_EQ(name.find("big.iso."), std::string::npos) << name;
    // Where most of it differs, a copy is kept as of any other file.
    folder.put("ones.iso", Bytes(80'000'000 / 2048 * 2048, std::byte{1}));
    ASSERT_EQ(answer({"create", "big.iso", "ones.iso", "-o", "c.bps", "--effort", "quick"}), "0 made");
    ASSERT_EQ(answer({"apply", "big.iso", "c.bps", "--in-place"}), "0 made");
    EXPECT_FALSE(fs::exists(folder / "big.iso.undo-1.hotstitch"));
    ASSERT_EQ(answer({"undo", "big.iso"}), "0 restored");
    EXPECT_TRUE(head() == first);
}

TEST_F(InPlace, AStoppedChangeIsSaidByTheNextCommandAndUndone) {
    ASSERT_EQ(answer({"put", "big.iso", "DATA/BERTHS.BIN=table.bin", "DATA/TEXTS.BIN=long.bin", "--in-place"}),
              "0 put");
    fs::rename(folder / "big.iso.undo-1.hotstitch", folder / "big.iso.journal.hotstitch");  // as if killed before this
    for (const std::vector<std::string>& call :
         {std::vector<std::string>{"describe", "big.iso"}, {"parts", "big.iso"}, {"take", "big.iso:SYSTEM.CNF"}}) {
        const ToolResult result = run(call);
        EXPECT_EQ(result.code, 3) << call.front();
        EXPECT_NE((result.out + result.err).find("stopped in the middle"), std::string::npos)
            << result.out << result.err;
        EXPECT_NE((result.out + result.err).find("hotstitch undo"), std::string::npos);
    }
    const Bytes journal = contents(folder / "big.iso.journal.hotstitch");
    const Bytes now = head();
    // A journal of another file, or a damaged one, is not believed.
    for (const std::size_t at : {std::size_t{0}, std::size_t{20}, journal.size() / 2, journal.size() - 1}) {
        Bytes bad = journal;
        bad[at] ^= std::byte{1};
        folder.put("big.iso.journal.hotstitch", bad);
        EXPECT_EQ(answer({"undo", "big.iso"}), "3 damaged") << at;
        EXPECT_TRUE(head() == now);
    }
    folder.put("big.iso.journal.hotstitch", journal);
    ASSERT_EQ(answer({"undo", "big.iso"}), "0 restored");
    EXPECT_TRUE(head() == plain);
    EXPECT_EQ(answer({"parts", "big.iso"}), "0 listed");
}

}  // namespace
