// SPDX-License-Identifier: MIT
// Kits as people use them: looked at, applied, undone, renewed, several on one base; and the shelf.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <sys/stat.h>

#include <fstream>

#include "console_discs.h"
#include "data_files.h"
#include "disc.h"
#include "hotstitch/create.h"
#include "hotstitch/digest.h"
#include "hotstitch/kit_jobs.h"
#include "hotstitch/part.h"
#include "kelp_harbour.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

namespace fs = std::filesystem;

/// The disc and the program's folder, and a kit for both.
class CliKit : public testing::Test {
protected:
    TemporaryFolder folder;
    const Bytes disc = demo::disc({{"BERTHS.TXT", bytes("calm\n")}, {"TITLE.BIN", Bytes(9000)}});
    const Bytes data = demo::harbour_data(false);

    static Bytes bytes(std::string_view text) { return Bytes(bytes_of(text).begin(), bytes_of(text).end()); }

    void SetUp() override {
        folder.put("kelp.iso", disc);
        folder.put("prog/kelp.dat", data), folder.put("prog/run.sh", "#!/bin/sh\n"),
            folder.put("prog/doc/old.txt", "old\n");
        folder.put("fog/README.md", "Fog."), folder.put("fog/berths.txt", "foggy\n"),
            folder.put("fog/cover.png", "picture");
        write_kit("fog", "Fog Signals", "1.2", "berths.txt");
    }
    void write_kit(const std::string& where, const std::string& name, const std::string& version,
                   const std::string& file) const {
        folder.put(where + "/kit.toml",
                   fmt::format("hotstitch-kit = 1\nname = \"{}\"\nversion = \"{}\"\nauthor = \"the harbour "
                               "master\"\nreadme = \"README.md\"\n"
                               "[[base]]\nid = \"game\"\ntitle = \"Kelp Harbour\"\nany = [{{name = \"europe\", size = "
                               "{}, crc32 = \"{}\"}}]\n"
                               "[[step]]\nput = \"{}\"\ninto = \"game:BERTHS.TXT\"\n"
                               "[[output]]\nfrom = \"game\"\nname = \"games/{{name}}/game.iso\"\n"
                               "[[output]]\nfrom = \"cover.png\"\nname = \"games/{{name}}/cover.png\"\n",
                               name, version, disc.size(), crc32(disc).hex(), file));
    }
    /// A kit of the folder, which changes one file, adds and removes one.
    void write_tree_kit() const {
        folder.put("tides/README.md", "Tides."), folder.put("tides/new.sh", "#!/bin/sh\nnew\n");
        folder.put("tides/kelp.bps", create(data, changed_data()));
        folder.put(
            "tides/kit.toml",
            fmt::format(
                "hotstitch-kit = 1\nname = \"Night Tides\"\nreadme = \"README.md\"\n"
                "[[base]]\nid = \"prog\"\nfolder = true\nany = [{{files = {{\"kelp.dat\" = {{crc32 = \"{}\"}}}}}}]\n"
                "[[step]]\napply = \"kelp.bps\"\nto = \"prog:kelp.dat\"\n"
                "[[step]]\nput = \"new.sh\"\ninto = \"prog:bin/new.sh\"\nadd = true\nexecutable = true\n"
                "[[step]]\nremove = \"prog:doc\"\n[[output]]\nfrom = \"prog\"\nname = \"{{name}}\"\n",
                crc32(data).hex()));
    }
    Bytes changed_data() const {
        Bytes changed = data;
        changed[20] ^= std::byte{1};
        return changed;
    }
    static Bytes in_disc(const Bytes& image, const char* name) {
        const MemorySource source(image);
        MemorySink out;
        extract_part(*open_container(source), name, out);
        return out.take();
    }
    ToolResult run(const std::vector<std::string>& call) const { return run_tool(call, {.folder = folder.path()}); }
    /// The words of all that is printed.
    std::string say(const std::vector<std::string>& call, int code) const {
        const ToolResult result = run(call);
        EXPECT_EQ(result.code, code) << result.out << result.err;
        return result.out + result.err;
    }
    static void expect(const std::string& text, const std::vector<std::string>& parts) {
        for (const std::string& part : parts)
            EXPECT_NE(text.find(part), std::string::npos) << part << " is not in\n" << text;
    }
};

TEST_F(CliKit, LookedAtBeforeItIsTrusted) {
    expect(say({"describe", "fog"}, 0), {"Fog Signals 1.2, by the harbour master", "README.md", "Kelp Harbour",
                                         "put berths.txt into game:BERTHS.TXT", "games/{name}/game.iso"});
    expect(say({"kit", "check", "fog"}, 0), {"is right: 1 base, 1 step, 2 outputs"});
    folder.put("fog/forgotten.txt", "x");
    expect(say({"kit", "check", "fog", "kelp.iso"}, 0), {"forgotten.txt", "literal bytes"});
    expect(say({"verify", "fog", "."}, 0), {"The kit fits", "kelp.iso", "game.iso"});
    expect(say({"apply", "kelp.iso", "fog", "--plan"}, 0), {"can be made of this. Nothing was written."});
    EXPECT_FALSE(fs::exists(folder / "games"));
    fs::remove(folder / "fog/cover.png");
    expect(say({"kit", "check", "fog"}, 3), {"1 mistake", "cover.png"});
    expect(say({"kit", "pack", "fog"}, 3), {"cover.png"});
    expect(say({"apply", "kelp.iso", "fog"}, 3), {"cover.png", "Nothing was written"});
    folder.put("fog/kit.toml", "hotstitch-kit = 1\nname = 7\n");
    expect(say({"describe", "fog"}, 3), {"line 2"});
}

TEST_F(CliKit, MadeUndoneAndRenewed) {
    say({"kit", "pack", "fog/"}, 0);
    EXPECT_EQ(bytes(run({"kit", "pack", "fog", "-o", "-"}).out), contents(folder / "fog.kit"));
    expect(say({"kit", "pack", "fog"}, 0), {"There already"});
    expect(say({"apply", "kelp.iso", "fog.kit", "-o", "out/"}, 0), {"Made 2 outputs: Fog Signals 1.2", "README.md"});
    EXPECT_EQ(contents(folder / "kelp.iso"), disc);
    EXPECT_EQ(contents(folder / "out/games/Fog Signals/cover.png"), bytes("picture"));
    expect(say({"verify", "--receipt", "out/games/Fog Signals/game.iso"}, 0),
           {"still what was made", "Fog Signals 1.2", "europe"});
    expect(say({"apply", "kelp.iso", "fog.kit", "-o", "out/"}, 0), {"there already"});
    // The next release, from the receipt.
    folder.put("newer/README.md", "Fog."), folder.put("newer/berths.txt", "foggier\n"),
        folder.put("newer/cover.png", "picture");
    write_kit("newer", "Fog Signals", "1.3", "berths.txt");
    expect(say({"renew", "out/games/Fog Signals/game.iso", "newer"}, 0), {"Fog Signals 1.3"});
    expect(say({"take", "out/games/Fog Signals/game.iso:BERTHS.TXT", "-o", "b.txt"}, 0), {"Took"});
    EXPECT_EQ(contents(folder / "b.txt"), bytes("foggier\n"));
    // A release that calls it otherwise, and back.
    write_kit("newer", "Fog Horns", "2", "berths.txt");
    say({"renew", "out/games/Fog Signals/game.iso", "newer"}, 0);
    EXPECT_TRUE(fs::exists(folder / "out/games/Fog Horns/game.iso"));
    EXPECT_FALSE(fs::exists(folder / "out/games/Fog Signals")) << "what is no longer made";
    say({"renew", "out/games/Fog Horns/game.iso.receipt.json", "fog"}, 0);
    // Somebody else's change is not removed.
    folder.put("out/games/Fog Signals/cover.png", "mine");
    expect(say({"verify", "--receipt", "out/games/Fog Signals/game.iso"}, 1), {"cover.png"});
    expect(say({"undo", "out/games/Fog Signals/game.iso"}, 1), {"cover.png", "nothing was touched"});
    folder.put("out/games/Fog Signals/cover.png", "picture");
    say({"undo", "out/games/Fog Signals/game.iso"}, 0);
    EXPECT_FALSE(fs::exists(folder / "out/games/Fog Signals/game.iso"));
    EXPECT_EQ(contents(folder / "kelp.iso"), disc);
}

TEST_F(CliKit, AMakerEditsTheFolderAndAppliesAgain) {
    say({"apply", "kelp.iso", "fog", "-o", "out/"}, 0);
    const auto inode = [&](const char* name) {
        struct stat info {};
        return ::stat((folder / name).c_str(), &info) == 0 ? info.st_ino : 0;
    };
    const auto cover = inode("out/games/Fog Signals/cover.png"), game = inode("out/games/Fog Signals/game.iso");
    folder.put("fog/berths.txt", "thick fog\n");
    expect(say({"apply", "kelp.iso", "fog", "-o", "out/", "--then", "test -s {} && echo ran {}"}, 0),
           {"ran ", "game.iso"});
    EXPECT_EQ(inode("out/games/Fog Signals/cover.png"), cover) << "only what changed is made again";
    EXPECT_NE(inode("out/games/Fog Signals/game.iso"), game);
    folder.put("out/games/Fog Signals/game.iso", "mine");
    expect(say({"apply", "kelp.iso", "fog", "-o", "out/"}, 2), {"exists"});
    EXPECT_EQ(contents(folder / "out/games/Fog Signals/game.iso"), bytes("mine"));
}

TEST_F(CliKit, WhatIsNotTheBaseIsNamed) {
    Bytes other = disc;
    other[40'000] ^= std::byte{1};
    folder.put("other/other.iso", other);
    expect(say({"apply", "other/other.iso", "fog"}, 1),
           {"is not Kelp Harbour", "crc32", crc32(disc).hex(), crc32(other).hex()});
    expect(say({"verify", "fog", "other"}, 1), {"Kelp Harbour is not among what was given"});
    expect(say({"apply", "kelp.iso", "fog", "-o", "kelp.iso"}, 2), {"is a file", "2 outputs"});
}

TEST_F(CliKit, OutputsNeverTakeTheBasesPlace) {
    folder.put("one/README.md", "One."), folder.put("one/berths.txt", "x\n");
    folder.put("one/kit.toml", fmt::format("hotstitch-kit = 1\nname = \"One\"\nreadme = \"README.md\"\n[[base]]\nid = "
                                           "\"game\"\nany = [{{crc32 = \"{}\"}}]\n"
                                           "[[step]]\nput = \"berths.txt\"\ninto = "
                                           "\"game:BERTHS.TXT\"\n[[output]]\nfrom = \"game\"\nname = \"kelp.iso\"\n",
                                           crc32(disc).hex()));
    expect(say({"apply", "kelp.iso", "one"}, 2), {"in the place of"});
    expect(say({"apply", "kelp.iso", "one", "-o", "kelp.iso"}, 2), {"in the place of"});
    expect(say({"apply", "kelp.iso", "one", "-o", "one/"}, 2), {"in the place of the kit"});
    expect(say({"apply", "kelp.iso", "one", "-o", "-"}, 2), {"standard output"});
    expect(say({"apply", "kelp.iso", "one", "--keep-reverse"}, 2), {"for patches"});
    expect(say({"renew", "kelp.iso", "one"}, 4), {"has no receipt"});
    EXPECT_EQ(contents(folder / "kelp.iso"), disc);
    expect(say({"apply", "kelp.iso", "one", "--in-place"}, 0), {"Made", "backup"});
    EXPECT_NE(contents(folder / "kelp.iso"), disc);
    expect(say({"verify", "--receipt", "kelp.iso"}, 0), {"still what was made", "One"});
    const Bytes once = contents(folder / "kelp.iso");
    folder.put("one/berths.txt", "y\n");
    say({"renew", "kelp.iso", "one"}, 0);
    EXPECT_NE(contents(folder / "kelp.iso"), once);
    say({"undo", "kelp.iso"}, 0);
    EXPECT_EQ(contents(folder / "kelp.iso"), disc);
    write_tree_kit();
    expect(say({"apply", "prog", "tides", "-o", "prog/"}, 2), {"in the place of"});
    expect(say({"apply", "prog", "tides", "-o", "prog/sub"}, 2), {"in the place of"});
}

TEST_F(CliKit, AFolderBesideAndInPlace) {
    write_tree_kit();
    say({"apply", "prog", "tides"}, 0);
    EXPECT_EQ(contents(folder / "Night Tides/kelp.dat"), changed_data());
    EXPECT_FALSE(fs::exists(folder / "Night Tides/doc"));
    EXPECT_NE(fs::status(folder / "Night Tides/bin/new.sh").permissions() & fs::perms::owner_exec, fs::perms::none);
    EXPECT_EQ(contents(folder / "prog/kelp.dat"), data);
    say({"undo", "Night Tides"}, 0);
    EXPECT_FALSE(fs::exists(folder / "Night Tides"));
    expect(say({"apply", "prog", "tides", "--in-place"}, 0), {"way back"});
    EXPECT_EQ(contents(folder / "prog/kelp.dat"), changed_data());
    expect(say({"verify", "--receipt", "prog"}, 0), {"still what was made", "Night Tides"});
    folder.put("tides/new.sh", "#!/bin/sh\nnewer\n");
    say({"renew", "prog", "tides"}, 0);
    EXPECT_EQ(contents(folder / "prog/bin/new.sh"), bytes("#!/bin/sh\nnewer\n"));
    folder.put("tides/new.sh", "#!/bin/sh\nnew\n");
    say({"renew", "prog", "tides"}, 0);
    folder.put("prog/saved game", "the player's own");
    folder.put("prog/bin/new.sh", "changed");
    expect(say({"verify", "--receipt", "prog"}, 1), {"bin/new.sh"});
    expect(say({"undo", "prog"}, 1), {"bin/new.sh", "nothing was touched"});
    EXPECT_EQ(contents(folder / "prog/kelp.dat"), changed_data());
    folder.put("prog/bin/new.sh", "#!/bin/sh\nnew\n");
    say({"undo", "prog"}, 0);
    EXPECT_EQ(contents(folder / "prog/kelp.dat"), data);
    EXPECT_EQ(contents(folder / "prog/doc/old.txt"), bytes("old\n"));
    EXPECT_FALSE(fs::exists(folder / "prog/bin"));
    EXPECT_EQ(contents(folder / "prog/saved game"), bytes("the player's own"));
    // A name that is another's but for case, which the folder has by chance.
    folder.put("prog/BIN", "x");
    expect(say({"apply", "prog", "tides", "--in-place"}, 1), {"only by case"});
    fs::create_symlink("/etc", folder / "prog/etc");
    expect(say({"apply", "prog", "tides", "--in-place"}, 1), {"leads out of the folder"});
}

TEST_F(CliKit, SeveralOnOneBase) {
    folder.put("title/README.md", "T."), folder.put("title/title.bin", Bytes(9000, std::byte{9})),
        folder.put("title/cover.png", "p");
    write_kit("title", "New Title", "1", "title.bin");
    {
        std::ofstream file(folder / "title/kit.toml", std::ios::app);
        file << "[[step]]\nput = \"title.bin\"\ninto = \"game:TITLE.BIN\"\n";
    }
    expect(say({"apply", "kelp.iso", "fog", "title", "-o", "out/"}, 1),
           {"contradict", "game:BERTHS.TXT", "Fog Signals", "New Title"});
    EXPECT_FALSE(fs::exists(folder / "out"));
    expect(say({"apply", "kelp.iso", "fog", "title", "-o", "out/", "--plan"}, 1), {"contradict"});
    folder.put("title/title.bin", "foggy\n");  // now both put the same there
    say({"apply", "kelp.iso", "fog", "title", "-o", "out/"}, 0);
    say({"take", "out/games/Fog Signals/game.iso:TITLE.BIN", "-o", "t.bin"}, 0);
    EXPECT_EQ(contents(folder / "t.bin"), bytes("foggy\n"));
    EXPECT_TRUE(fs::exists(folder / "out/games/New Title/cover.png")) << "what else the second makes";
    EXPECT_FALSE(fs::exists(folder / "out/games/New Title/game.iso")) << "the disc is made once";
}

TEST_F(CliKit, CreatedFromTheCommandLine) {
    say({"put", "kelp.iso", "BERTHS.TXT=fog/berths.txt", "-o", "new.iso"}, 0);
    expect(say({"create", "kelp.iso", "new.iso", "--format", "kit", "--title", "Fog", "--base-name", "europe"}, 0),
           {"Made", "Fog.kit", "from source"});
    say({"apply", "kelp.iso", "Fog.kit", "-o", "made.iso"}, 0);
    EXPECT_EQ(contents(folder / "made.iso"), contents(folder / "new.iso"));
    say({"create", "kelp.iso", "new.iso", "-o", "Fog/", "--format", "kit", "--also", "kelp.iso", "new.iso"}, 0);
    expect(say({"create", "kelp.iso", "prog", "--format", "kit"}, 2), {"folders"});
    expect(say({"create", "kelp.iso", "kelp.iso", "--format", "kit"}, 2), {"the same"});
    expect(say({"create", "kelp.iso", "new.iso", "-o", "a.bps", "--title", "x"}, 2), {"for kits"});
}

TEST_F(CliKit, AShelfOfModsByTurns) {
    const Bytes night = [&] {
        Bytes b = disc;
        b[50'000] ^= std::byte{7};
        return b;
    }();
    folder.put("night.bps", create(disc, night)), folder.put("Copy.iso", [&] {
        Bytes b = disc;
        b.resize(b.size() + 2048);
        return b;
    }());
    const auto game = [&] { return contents(folder / "kelp.iso"); };
    expect(say({"shelf", "kelp.iso"}, 0), {"the original is in place"});
    expect(say({"shelf", "kelp.iso", "--keep", "night.bps", "fog", "Copy.iso"}, 0), {"3 mods put on the shelf"});
    EXPECT_LT(fs::file_size(folder / "kelp.iso.shelf/mods/Copy.bps"), 3000u) << "a copy costs what differs";
    const Bytes copy = contents(folder / "Copy.iso");
    for (const auto& [name, wanted] :
         {std::pair{"night", night}, {"Copy", copy}, {"night", night}, {"original", disc}, {"Copy", copy}}) {
        say({"shelf", "kelp.iso", "--use", name}, 0);
        EXPECT_TRUE(game() == wanted) << name;
        expect(say({"shelf", "kelp.iso"}, 0), {"→ " + std::string(name)});
    }
    expect(say({"shelf", "kelp.iso", "--use", "Copy"}, 0), {"Nothing to do"});
    say({"shelf", "kelp.iso", "--use", "fog"}, 0);
    expect(say({"take", "kelp.iso:BERTHS.TXT", "-o", "b.txt"}, 0), {});
    EXPECT_EQ(contents(folder / "b.txt"), bytes("foggy\n"));
    expect(say({"shelf", "kelp.iso", "--use", "fog", "night"}, 2), {"do not go together"});
    expect(say({"shelf", "kelp.iso", "--use", "nigt"}, 2), {"did you mean night?"});
    expect(say({"shelf", "kelp.iso", "--keep", "prog/kelp.dat", "--use", "night"}, 2), {"calls of their own"});
    // Changed from outside: said, and kept aside.
    folder.put("kelp.iso", "an update");
    expect(say({"shelf", "kelp.iso"}, 1), {"does not know"});
    expect(say({"shelf", "kelp.iso", "--use", "original"}, 0), {"kept aside"});
    EXPECT_EQ(game(), disc);
    folder.put("kelp.iso", "an update");
    expect(say({"shelf", "kelp.iso", "--adopt"}, 0), {"the original is in place"});
    expect(say({"shelf", "kelp.iso", "--use", "night"}, 1), {"Nothing was written"});
    EXPECT_EQ(game(), bytes("an update"));
    folder.put("kelp.iso", "another update");
    const std::size_t before = folder.names().size();
    expect(say({"shelf", "kelp.iso", "--use", "night"}, 1), {"--adopt"});
    EXPECT_EQ(folder.names().size(), before) << "nothing is put aside for nothing";
    folder.put("kelp.iso", disc);
    say({"shelf", "kelp.iso", "--adopt"}, 0);
    fs::remove_all(folder / "kelp.iso.shelf");
    expect(say({"shelf", "kelp.iso"}, 0), {"the original is in place"});
    folder.put("kelp.iso.shelf/shelf.toml", "hotstitch-shelf = 1\n[[mod]]\nname = \"x\"\nfile = \"../../evil\"\n");
    expect(say({"shelf", "kelp.iso", "--use", "x"}, 3), {"leads out"});
}

TEST_F(CliKit, AShelfHoldsTheOriginalAndThePlayersFiles) {
    Bytes night = disc;
    night[50'000] ^= std::byte{7};
    folder.put("night.bps", create(disc, night)), folder.put("again.bps", create(disc, night));
    say({"shelf", "kelp.iso", "--keep", "night.bps"}, 0);
    say({"shelf", "kelp.iso", "--keep", "again.bps"}, 0);
    EXPECT_FALSE(fs::exists(folder / "kelp.iso.shelf/mods/again.bps")) << "the same mod is there already";
    folder.put("foghorn.wav", demo::chunk("RIFF", demo::wave(demo::junk(2000, 1)), false));
    folder.put("kelp.sfc", demo::kelp_harbour(1));
    expect(say({"shelf", "kelp.sfc", "--keep", "foghorn.wav"}, 1), {"foghorn.wav is no mod of kelp.sfc"});
    say({"shelf", "kelp.iso", "--use", "night"}, 0);
    // The game is gone: the shelf has it.
    fs::remove(folder / "kelp.iso");
    expect(say({"shelf", "kelp.iso", "--use", "original"}, 0), {"original"});
    EXPECT_TRUE(contents(folder / "kelp.iso") == disc);
    say({"shelf", "kelp.iso", "--use", "night"}, 0);
    // What was changed from outside is the player's: the shelf is not to be thrown away.
    folder.put("kelp.iso", "an update");
    expect(say({"shelf", "kelp.iso", "--use", "original"}, 0), {"kept aside"});
    const std::string told = say({"shelf", "kelp.iso"}, 0);
    EXPECT_EQ(told.find("can be thrown away"), std::string::npos) << told;
}

TEST_F(CliKit, AShelfOfAFolder) {
    write_tree_kit();
    fs::copy(folder / "prog", folder / "Quiet", fs::copy_options::recursive);
    folder.put("Quiet/quiet.txt", "hush\n");
    say({"shelf", "prog", "--keep", "tides", "Quiet"}, 0);
    say({"shelf", "prog/", "--use", "Quiet"}, 0);
    EXPECT_TRUE(fs::exists(folder / "prog/quiet.txt"));
    say({"shelf", "prog", "--use", "tides"}, 0);
    EXPECT_FALSE(fs::exists(folder / "prog/quiet.txt"));
    EXPECT_EQ(contents(folder / "prog/kelp.dat"), changed_data());
    folder.put("prog/kelp.dat", "changed by the game");
    expect(say({"shelf", "prog"}, 1), {"does not know"});
    expect(say({"shelf", "prog", "--use", "original"}, 0), {"kept aside"});
    EXPECT_EQ(contents(folder / "prog/kelp.dat"), data);
    EXPECT_EQ(contents(folder / "prog/doc/old.txt"), bytes("old\n"));
    EXPECT_FALSE(fs::exists(folder / "prog/bin"));
}

TEST_F(CliKit, AFolderOutOfAnArchiveOrADisc) {
    write_tree_kit();
    ASSERT_EQ(std::system(("cd '" + (folder / "prog").string() + "' && bsdtar --format=zip -cf ../prog.zip *").c_str()),
              0);
    folder.put("prog.iso", demo::disc({{"kelp.dat", data}, {"run.sh", bytes("x")}, {"doc/old.txt", bytes("old\n")}}));
    for (const char* const base : {"prog.zip", "prog.iso"}) {
        say({"apply", base, "tides", "-o", "made"}, 0);
        EXPECT_EQ(contents(folder / "made/kelp.dat"), changed_data()) << base;
        EXPECT_FALSE(fs::exists(folder / "made/doc/old.txt"));
        expect(say({"apply", base, "tides", "--in-place"}, 2), {"lies in another file"});
        say({"undo", "made"}, 0);
    }
}

TEST_F(CliKit, WhatIsReplacedKeepsItsRights) {
    write_tree_kit();
    const auto mode = [&] { return fs::status(folder / "prog/kelp.dat").permissions(); };
    fs::permissions(folder / "prog/kelp.dat", fs::perms::owner_read | fs::perms::owner_write);
    const fs::perms before = mode();
    say({"apply", "prog", "tides", "--in-place"}, 0);
    EXPECT_EQ(mode(), before);
    say({"undo", "prog"}, 0);
    EXPECT_EQ(mode(), before);
}

TEST_F(CliKit, AnotherVersionOfTheSameBytesIsSaid) {
    say({"apply", "kelp.iso", "fog", "-o", "out/"}, 0);
    write_kit("fog", "Fog Signals", "1.3", "berths.txt");
    expect(say({"apply", "kelp.iso", "fog", "-o", "out/"}, 0), {"there already"});
    expect(say({"verify", "--receipt", "out/games/Fog Signals/game.iso"}, 0), {"Fog Signals 1.3"});
}

TEST_F(CliKit, AWayBackThatLiesChangesNothing) {
    write_tree_kit();
    folder.put("outside", "not yours");
    say({"apply", "prog", "tides", "--in-place"}, 0);
    const std::string list(text_of(contents(folder / "prog.undo-1.hotstitch/changes")));
    ASSERT_TRUE(list.ends_with("end\n"));
    const std::pair<const char*, std::string> lists[] = {
        {"cut", list.substr(0, list.size() - 4)},
        {"empty", ""},
        {"another version", "hotstitch-folder-change 2\nend\n"},
        {"leads out", "hotstitch-folder-change 1\nadd 9 " + crc32(bytes("not yours")).hex() + " ../outside\nend\n"},
        {"absolute", "hotstitch-folder-change 1\nremove 0 00000000 /etc/passwd\nend\n"},
        {"no word", "hotstitch-folder-change 1\nforget 0 00000000 kelp.dat\nend\n"},
        {"no checksum", "hotstitch-folder-change 1\nadd 0 zz kelp.dat\nend\n"},
        {"no name", "hotstitch-folder-change 1\nadd 0 00000000 \nend\n"},
    };
    for (const auto& [why, text] : lists) {
        folder.put("prog.undo-1.hotstitch/changes", text);
        expect(say({"undo", "prog"}, 3), {"the list of changes", "old/"});
        EXPECT_EQ(contents(folder / "prog/kelp.dat"), changed_data()) << why;
        EXPECT_EQ(contents(folder / "outside"), bytes("not yours")) << why;
    }
    // A link on the way leads elsewhere.
    folder.put("prog.undo-1.hotstitch/changes",
               "hotstitch-folder-change 1\nadd 9 " + crc32(bytes("not yours")).hex() + " away/outside\nend\n");
    fs::create_directory_symlink(folder.path(), folder / "prog/away");
    expect(say({"undo", "prog"}, 1), {"is a link"});
    EXPECT_EQ(contents(folder / "outside"), bytes("not yours"));
    fs::remove(folder / "prog/away");
    folder.put("prog.undo-1.hotstitch/changes", list);
    say({"undo", "prog"}, 0);
    EXPECT_EQ(contents(folder / "prog/kelp.dat"), data);
}

TEST_F(CliKit, AReceiptThatLiesRemovesNothing) {
    say({"apply", "kelp.iso", "fog", "-o", "out/"}, 0);
    const fs::path receipt = folder / "out/games/Fog Signals/game.iso.receipt.json";
    const nlohmann::ordered_json right = nlohmann::ordered_json::parse(text_of(contents(receipt)));
    const std::string own = "out/games/Fog Signals/mine";
    folder.put(own, "my own");
    const auto undo = [&](const nlohmann::ordered_json& document) {
        std::ofstream(receipt) << document.dump();
        return run({"undo", "out/games/Fog Signals/game.iso"}).code;
    };
    for (const char* const key : {"root", "outputs", "sources", "kits", "folders"}) {
        nlohmann::ordered_json wrong = right;
        wrong[key] = 7;
        EXPECT_EQ(undo(wrong), 3) << key;
    }
    for (const char* const key : {"path", "size", "crc32"}) {
        nlohmann::ordered_json wrong = right;
        wrong["outputs"][1].erase(key);
        EXPECT_EQ(undo(wrong), 3) << key;
    }
    // The right content, and still not what was put there: it is kept under another name.
    nlohmann::ordered_json other = right;
    other["outputs"][1]["path"] = "mine";
    other["outputs"][1]["size"] = 6, other["outputs"][1]["crc32"] = crc32(bytes("my own")).hex();
    EXPECT_EQ(undo(other), 0);
    bool kept = false;
    for (const std::string& name : folder.names())
        kept = kept || (name.starts_with(own + ".") && name.ends_with(".backup"));
    EXPECT_TRUE(kept);
    EXPECT_EQ(contents(folder / "kelp.iso"), disc);
}

TEST_F(CliKit, EveryOutputOfOneBaseIsMade) {
    std::string text(text_of(contents(folder / "fog/kit.toml")));
    text += "[[output]]\nfrom = \"game\"\nname = \"again/{name}.iso\"\n";
    folder.put("fog/kit.toml", text);
    expect(say({"apply", "kelp.iso", "fog", "-o", "out/"}, 0), {"Made 3 outputs"});
    const Bytes made = contents(folder / "out/games/Fog Signals/game.iso");
    EXPECT_TRUE(made != disc && made == contents(folder / "out/again/Fog Signals.iso"));
    EXPECT_TRUE(in_disc(made, "BERTHS.TXT") == bytes("foggy\n"));
}

TEST_F(CliKit, WhatIsGivenAndNotUsedIsRefused) {
    folder.put("other.bps", create(data, changed_data()));
    folder.put("stray.dat", data);
    const std::vector<std::vector<std::string>> calls = {{"apply", "kelp.iso", "fog", "other.bps"},
                                                         {"apply", "kelp.iso", "fog", "other.bps", "--plan"},
                                                         {"apply", "kelp.iso", "stray.dat", "fog"},
                                                         {"apply", "kelp.iso", "stray.dat", "fog", "--plan"}};
    const auto before = folder.names();
    for (const auto& call : calls) {
        const std::string unused = call[2] == "fog" ? call[3] : call[2];
        expect(say(call, 2), {unused});
    }
    EXPECT_EQ(folder.names(), before);
}

TEST_F(CliKit, OnlyFoldersThatWereMadeGoAgain) {
    fs::create_directories(folder / "a/b/c");
    fs::create_directories(folder / "own/games");
    for (const char* const place : {"a/b/c/", "own/", "new/x/"}) {
        expect(say({"apply", "kelp.iso", "fog", "-o", place}, 0), {"Made 2 outputs"});
        say({"undo", fmt::format("{}games/Fog Signals/game.iso", place)}, 0);
    }
    EXPECT_TRUE(fs::is_empty(folder / "a/b/c"));
    EXPECT_TRUE(fs::is_empty(folder / "own/games")) << "the player's own empty folder";
    EXPECT_FALSE(fs::exists(folder / "new"));
    // A refused call leaves none, and an empty name is a wrong call.
    folder.put("small.iso", "not it");
    EXPECT_NE(run({"apply", "small.iso", "fog", "-o", "none/x/"}).code, 0);
    EXPECT_FALSE(fs::exists(folder / "none"));
    EXPECT_EQ(run({"apply", "kelp.iso", "fog", "-o", ""}).code, 2);
}

TEST_F(CliKit, BasesLieInArchivesAndInOtherForms) {
    fs::create_directory(folder / "downloads");
    ASSERT_EQ(std::system(
                  fmt::format("cd '{}' && bsdtar --format=zip -cf downloads/kelp.zip kelp.iso", folder.path().string())
                      .c_str()),
              0);
    expect(say({"apply", "downloads", "fog", "-o", "out/"}, 0), {"Made 2 outputs"});
    const Bytes wanted = contents(folder / "out/games/Fog Signals/game.iso");
    // Whole sectors hold the same disc, alone or in a folder; by its sheet, too. What is made is as the kit says.
    folder.put("raw/kelp.bin", demo::in_sectors(disc, 1));
    folder.put("raw/kelp.cue", "FILE \"kelp.bin\" BINARY\n  TRACK 01 MODE1/2352\n    INDEX 01 00:00:00\n");
    const char* const given[] = {"raw/kelp.bin", "raw/kelp.cue", "raw"};
    for (const char* const one : given) {
        SCOPED_TRACE(one);
        expect(say({"verify", "fog", one}, 0), {"The kit fits", "read as the user data of its sectors"});
        const std::string out = fmt::format("out-{}/", fs::path(one).filename().string());
        expect(say({"apply", one, "fog", "-o", out}, 0), {"Made 2 outputs", "read as the user data of its sectors"});
        EXPECT_EQ(contents(folder / (out + "games/Fog Signals/game.iso")), wanted);
        expect(say({"verify", "--receipt", out + "games/Fog Signals/game.iso"}, 0), {"as "});
        expect(say({"undo", out + "games/Fog Signals/game.iso"}, 0), {});
        EXPECT_FALSE(fs::exists(folder / (out + "games")));
    }
    // In place, it stays in its sectors; the way back leads to the very file; renewing goes from it, too.
    expect(say({"apply", "raw/kelp.bin", "fog", "--in-place"}, 0), {"read as the user data of its sectors"});
    EXPECT_EQ(contents(folder / "raw/kelp.bin"), demo::in_sectors(wanted, 1));
    folder.put("fog2/README.md", "Fog."), folder.put("fog2/berths.txt", "foggier\n"),
        folder.put("fog2/cover.png", "picture");
    write_kit("fog2", "Fog Signals", "1.3", "berths.txt");
    expect(say({"renew", "raw/kelp.bin", "fog2"}, 0), {});
    EXPECT_EQ(in_disc(contents(folder / "raw/kelp.bin"), "BERTHS.TXT"), bytes("foggier\n"));
    expect(say({"undo", "raw/kelp.bin"}, 0), {});
    EXPECT_EQ(contents(folder / "raw/kelp.bin"), demo::in_sectors(disc, 1));
    // The right one as it stands comes before one that has to be read.
    for (const auto& [first, second] : {std::pair{"raw/kelp.bin", "kelp.iso"}, {"kelp.iso", "raw/kelp.bin"}}) {
        const std::string said = say({"verify", "fog", first, second}, 0);
        expect(said, {"Kelp Harbour: kelp.iso"});
        EXPECT_EQ(said.find("user data"), std::string::npos) << said;
    }
}

TEST_F(CliKit, ABaseLiesInADiscOrBehindAHeader) {
    const Bytes rom = demo::kelp_harbour(1), tides = demo::night_tides(rom);
    folder.put("night/README.md", "Night."), folder.put("night/night.bps", create(rom, tides));
    folder.put("night/kit.toml",
               fmt::format("hotstitch-kit = 1\nname = \"Night Tides\"\nreadme = \"README.md\"\n[[base]]\nid = "
                           "\"game\"\nany = [{{size = {}, crc32 = \"{}\"}}]\n[[step]]\napply = \"night.bps\"\nto = "
                           "\"game\"\n[[output]]\nfrom = \"game\"\nname = \"{{name}}.sfc\"\n",
                           rom.size(), crc32(rom).hex()));
    const Bytes header(512, std::byte{7});
    Bytes headered = header;
    headered.insert(headered.end(), rom.begin(), rom.end());
    folder.put("copier.smc", headered);
    folder.put("collection.iso", demo::disc({{"GAMES/KELP.SFC", rom}, {"A.TXT", bytes("tide")}}));
    expect(say({"apply", "copier.smc", "night", "-o", "a/"}, 0), {"read without its front header of 512 bytes"});
    expect(say({"apply", "collection.iso", "night", "-o", "b/"}, 0), {"collection.iso:GAMES/KELP.SFC"});
    for (const char* const made : {"a/Night Tides.sfc", "b/Night Tides.sfc"}) {
        EXPECT_EQ(contents(folder / made), tides) << made;
        expect(say({"undo", made}, 0), {});
    }
    expect(say({"apply", "copier.smc", "night", "--in-place"}, 0), {});
    Bytes both = header;
    both.insert(both.end(), tides.begin(), tides.end());
    EXPECT_EQ(contents(folder / "copier.smc"), both) << "the header stays in front";
    expect(say({"undo", "copier.smc"}, 0), {});
    EXPECT_EQ(contents(folder / "copier.smc"), headered);
    expect(say({"apply", "collection.iso", "night", "--in-place"}, 2), {"lies in another file"});
}

TEST_F(CliKit, ACutOneIsNotRight) {
    say({"kit", "pack", "fog"}, 0);
    const Bytes whole = contents(folder / "fog.kit");
    for (std::size_t length = 4; length < whole.size(); length += 1 + length / 16) {
        folder.put("cut.kit", ByteView(whole).first(length));
        EXPECT_EQ(run({"kit", "check", "cut.kit"}).code, 3) << length;
    }
    const auto wants = run({"describe", "fog.kit", "--json"}).json()["files"][0]["wants"];
    EXPECT_EQ(wants[0]["editions"][0]["name"], "europe");
    EXPECT_EQ(wants[0]["editions"][0]["digests"]["crc32"], crc32(disc).hex());
    folder.put("fog/kit.toml", std::string(text_of(contents(folder / "fog/kit.toml"))) +
                                   "[[step]]\nput = \"none.bin\"\ninto = \"game:TITLE.BIN\"\n[[step]]\nput = "
                                   "\"neither.bin\"\ninto = \"game:TITLE.BIN\"\n");
    const ToolResult two = run({"kit", "check", "fog", "--json"});
    EXPECT_EQ(two.json()["found"].size(), 2U) << "a line each: " << two.out;
}

TEST_F(CliKit, WhatAFolderIsReadForBelongsToItsBase) {
    write_tree_kit();
    // The file that the kit is known by is right, and another one that it patches is not.
    std::string text(text_of(contents(folder / "tides/kit.toml")));
    folder.put("prog/berths.txt", "calm, calm, calm\n");
    folder.put("tides/berths.bps", create(bytes("calm, calm, calm\n"), bytes("gale, calm, calm\n")));
    text += "[[step]]\napply = \"berths.bps\"\nto = \"prog:berths.txt\"\n";
    folder.put("tides/kit.toml", text);
    expect(say({"verify", "tides", "prog"}, 0), {"fits"});
    folder.put("prog/berths.txt", "calm, calm, fog!\n");
    expect(say({"verify", "tides", "prog"}, 1), {"berths.txt"});
}

TEST_F(CliKit, AMapIsForItsOwnStepsAlone) {
    folder.put("fog/strange.map.toml", "hotstitch-map = 1\ntitle = \"strange\"\n[[table]]\n");
    folder.put("fog/own.map.toml",
               "hotstitch-map = 1\ntitle = \"own\"\n[table.t]\nat = 0\ncount = 2\nstride = "
               "1\n[[table.t.field]]\nname = \"v\"\nat = 0\ntype = \"u8\"\n");
    fs::remove(folder / "fog/strange.map.toml");
    std::string text(text_of(contents(folder / "fog/kit.toml")));
    text.insert(text.find("[[output]]"),
                "[[step]]\nset = {\"t[1].v\" = \"65\"}\nin = \"game:TITLE.BIN\"\nmap = \"own.map.toml\"\n");
    folder.put("fog/kit.toml", text);
    expect(say({"apply", "kelp.iso", "fog", "-o", "out/"}, 0), {"Made 2 outputs"});
    const Bytes title = in_disc(contents(folder / "out/games/Fog Signals/game.iso"), "TITLE.BIN");
    EXPECT_EQ(title.at(1), std::byte{65});
    EXPECT_EQ(std::count(title.begin(), title.end(), std::byte{0}), 8999);
}

TEST_F(CliKit, AStepsOwnMapReachesInsideOfParts) {
    // In a payload of a file of a disc. Another map of the kit says of no file that it is for it.
    folder.put("plain/BERTHS.TXT", "calm\n"), folder.put("plain/kelp.dat", data);
    ASSERT_EQ(std::system(
                  fmt::format("cd '{}/plain' && gzip -nk kelp.dat && mv kelp.dat.gz PACKED.BIN", folder.path().string())
                      .c_str()),
              0);
    const Bytes deep =
        demo::disc({{"BERTHS.TXT", bytes("calm\n")}, {"PACKED.BIN", contents(folder / "plain/PACKED.BIN")}});
    folder.put("deep.iso", deep);
    folder.put("deep/README.md", "Deep."), folder.put("deep/kelp.tbl", demo::letters());
    folder.put("deep/a.map.toml",
               "hotstitch-map = 1\ntitle = \"any\"\n[table.berth]\nat = 0\ncount = 1\nstride = 1\n"
               "[[table.berth.field]]\nname = \"depth\"\nat = 0\ntype = \"u8\"\n");
    std::string own(demo::map_of(false));
    folder.put("deep/own.map.toml", own);
    const auto kit = [&](const std::string& step) {
        folder.put(
            "deep/kit.toml",
            fmt::format("hotstitch-kit = 1\nname = \"Deep\"\nreadme = \"README.md\"\n[[base]]\nid = \"game\"\nany "
                        "= [{{size = {}, crc32 = \"{}\"}}]\n[[step]]\n{}[[output]]\nfrom = \"game\"\nname = "
                        "\"deep.iso\"\n",
                        deep.size(), crc32(deep).hex(), step));
    };
    folder.put("deep/one.edits", "hotstitch-edits = 1\n[[edit]]\nfield = \"berth[3].depth\"\nnew = \"9\"\n");
    const std::string where = "\"game:PACKED.BIN:content\"\n", map = "map = \"own.map.toml\"\n";
    std::vector<Bytes> made;
    for (const std::string& step :
         {"set = {\"berth[3].depth\" = \"9\"}\nin = " + where + map, "edit = \"one.edits\"\nin = " + where}) {
        kit(step);
        fs::remove_all(folder / "out");
        expect(say({"apply", "deep.iso", "deep", "-o", "out/"}, 0), {"Made"});
        made.push_back(in_disc(contents(folder / "out/deep.iso"), "PACKED.BIN"));
    }
    folder.put("made.gz", made.front());
    say({"take", "made.gz:content", "-o", "made.dat"}, 0);
    EXPECT_EQ(contents(folder / "made.dat").at(0x200 + 3 * 32 + 16), std::byte{9});
    EXPECT_TRUE(made.front() == made.back());
}

TEST_F(CliKit, NoLinksLeadOutTogether) {
    write_tree_kit();
    const std::string text(text_of(contents(folder / "tides/kit.toml")));
    folder.put("victim", "somebody's");
    const auto link = [](const std::string& at, const std::string& to) {
        return fmt::format("[[step]]\nlink = \"prog:{}\"\nto = \"{}\"\n", at, to);
    };
    const std::pair<std::string, bool> rows[] = {
        {link("sub/deep/l1", "../..") + link("old", "sub/deep/l1/../victim"), false},
        {link("a", "b/..") + link("b", "c") + link("c", "."), false},
        {link("round", "about") + link("about", "round"), false},
        {link("sub/deep/l1", "../..") + link("old", "sub/deep/l1/kelp.dat"), true},
        {link("l1", "sub") + link("sub/l2", "../kelp.dat"), true},
    };
    for (const auto& [steps, right] : rows) {
        std::string all = text;
        all.insert(all.find("[[output]]"), steps);
        folder.put("tides/kit.toml", all);
        EXPECT_EQ(run({"kit", "check", "tides"}).code, right ? 0 : 3) << steps;
        EXPECT_EQ(run({"apply", "prog", "tides", "-o", "out/"}).code, right ? 0 : 3) << steps;
        if (right) {
            EXPECT_EQ(run({"undo", "out/Night Tides"}).code, 0);
        }
        EXPECT_FALSE(fs::exists(folder / "out")) << steps;
    }
    // Links of the player's own folder and the kit's, together.
    folder.put("tides/kit.toml", std::string(text).insert(text.find("[[output]]"), link("old", "own/../victim")));
    fs::create_directory(folder / "prog/deep");
    fs::create_symlink(".", folder / "prog/own");
    EXPECT_EQ(run({"apply", "prog", "tides", "--in-place"}).code, 1);
    EXPECT_EQ(text_of(contents(folder / "victim")), "somebody's");
}

TEST_F(CliKit, NoNameFromStrangersIsOneOfOurRecords) {
    const std::string text(text_of(contents(folder / "fog/kit.toml")));
    for (const char* const name :
         {"game.iso.undo-1.hotstitch", "kelp.iso.shelf", "kelp.iso.receipt.json", "kelp.iso.journal.hotstitch",
          "kelp.iso.2026-11-30-120000.backup", "kelp.iso.2026-11-30-120000-2.backup", ".kelp.iso.abcdef.hotstitch-tmp",
          "kelp.iso.shelf/mods/a.bps"}) {
        std::string other = text;
        const std::string before = "games/{name}/cover.png";
        other.replace(other.find(before), before.size(), name);
        folder.put("fog/kit.toml", other);
        expect(say({"kit", "check", "fog"}, 3), {"records"});
        EXPECT_EQ(run({"apply", "kelp.iso", "fog", "-o", "./"}).code, 3) << name;
        EXPECT_FALSE(fs::exists(folder / name)) << name;
        // Of an archive, the file gets another name.
        folder.put(fmt::format("packed/{}", name), "planted"), folder.put("packed/kelp.iso", disc);
        ASSERT_EQ(std::system(fmt::format("cd '{0}' && rm -f p.zip && bsdtar --format=zip -cf p.zip -C packed . && rm "
                                          "-r packed",
                                          folder.path().string())
                                  .c_str()),
                  0);
        fs::remove_all(folder / "taken");
        expect(say({"take", "p.zip:", "-o", "taken/"}, 0), {"_"});
        EXPECT_FALSE(fs::exists(folder / "taken" / name)) << name;
        EXPECT_EQ(contents(folder / "taken/kelp.iso"), disc);
    }
    for (const char* const name : {"harbour.backup", "berths.json", "receipt.json.txt", "a.2026-11-30.backup"}) {
        std::string other = text;
        const std::string before = "games/{name}/cover.png";
        other.replace(other.find(before), before.size(), name);
        folder.put("fog/kit.toml", other);
        EXPECT_EQ(run({"kit", "check", "fog"}).code, 0) << name;
    }
}

TEST_F(CliKit, AReceiptReachesNoFurtherThanItsFolder) {
    // What lies beside it, or elsewhere, as a lying receipt would name it: with the right content.
    folder.put("home/rc", "alias sail\n"), folder.put("kits/x", "");
    say({"apply", "kelp.iso", "fog", "-o", "kits/out/"}, 0);
    const fs::path receipt = folder / "kits/out/games/Fog Signals/game.iso.receipt.json";
    const std::string written(text_of(contents(receipt)));
    auto lies = nlohmann::json::parse(written);
    const Bytes rc = contents(folder / "home/rc");
    auto& cover = lies["outputs"][1];
    cover["path"] = "../../../../home/rc", cover["size"] = rc.size(), cover["crc32"] = crc32(rc).hex();
    cover.erase("sha256");
    folder.put("kits/out/games/Fog Signals/game.iso.receipt.json", lies.dump());
    expect(say({"undo", "kits/out/games/Fog Signals/game.iso"}, 1), {"outside of its folder"});
    EXPECT_EQ(folder.names().count("home/rc"), 1U);
    // A folder above, which nothing proves to be the receipt's.
    lies = nlohmann::json::parse(written);
    lies["root"] = "/";
    lies["outputs"][0]["identity"]["inode"] = 1;
    folder.put("kits/out/games/Fog Signals/game.iso.receipt.json", lies.dump());
    write_kit("newer", "Fog Signals", "1.3", "berths.txt");
    for (const char* const file : {"README.md", "berths.txt", "cover.png"})
        folder.put(fmt::format("newer/{}", file), "1.3");
    expect(say({"renew", "kits/out/games/Fog Signals/game.iso", "newer"}, 1), {"not its own"});
    EXPECT_FALSE(fs::exists("/games"));
    // The true one works, for outputs in several folders too.
    folder.put("kits/out/games/Fog Signals/game.iso.receipt.json", written);
    say({"renew", "kits/out/games/Fog Signals/game.iso", "newer"}, 0);
    say({"undo", "kits/out/games/Fog Signals/game.iso"}, 0);
    EXPECT_FALSE(fs::exists(folder / "kits/out"));
}

TEST_F(CliKit, RenewingReplacesOnlyWhatItMade) {
    say({"apply", "kelp.iso", "fog", "-o", "out/"}, 0);
    const std::string own = "out/games/Fog Signals/notes.txt";
    folder.put(own, "the player's own");
    write_kit("newer", "Fog Signals", "1.3", "berths.txt");
    for (const char* const file : {"README.md", "berths.txt", "cover.png", "notes.txt"})
        folder.put(fmt::format("newer/{}", file), "1.3");
    folder.put("newer/kit.toml", std::string(text_of(contents(folder / "newer/kit.toml"))) +
                                     "[[output]]\nfrom = \"notes.txt\"\nname = \"games/{name}/notes.txt\"\n");
    expect(say({"renew", "out/games/Fog Signals/game.iso", "newer"}, 2), {"exists already"});
    EXPECT_EQ(contents(folder / own), bytes("the player's own"));
    expect(say({"renew", "out/games/Fog Signals/game.iso", "newer", "--replace"}, 0), {"Made"});
    EXPECT_EQ(contents(folder / own), bytes("1.3"));
    const auto names = folder.names();
    EXPECT_TRUE(std::any_of(names.begin(), names.end(), [&](const std::string& name) {
        return name.starts_with(own) && name.ends_with(".backup") &&
               contents(folder / name) == bytes("the player's own");
    }));
    // The way back leads to what stood there.
    expect(say({"undo", "out/games/Fog Signals/game.iso"}, 0), {"earlier changes"});
    EXPECT_EQ(contents(folder / own), bytes("the player's own"));
}

TEST_F(CliKit, WhatWasReplacedComesBack) {
    // Files and a folder, a patch's output among them, whose own way back goes on; killed and done again.
    write_tree_kit();
    folder.put("one.ips", create(disc, data));
    say({"apply", "kelp.iso", "one.ips", "-o", "out/games/Fog Signals/game.iso"}, 0);
    folder.put("out/games/Fog Signals/cover.png", "mine"), folder.put("out/Night Tides/mine.txt", "mine");
    const auto before = folder.names();
    EXPECT_EQ(run({"apply", "kelp.iso", "fog", "-o", "out/"}).code, 2);
    say({"apply", "kelp.iso", "fog", "-o", "out/", "--replace"}, 0);
    say({"apply", "prog", "tides", "-o", "out/", "--replace"}, 0);
    say({"apply", "kelp.iso", "fog", "-o", "out/"}, 0);  // again: nothing is lost of the way back
    folder.put("out/Night Tides/kelp.dat", data);
    expect(say({"undo", "out/Night Tides"}, 1), {"kelp.dat is another"});
    folder.put("out/Night Tides/kelp.dat", changed_data());
    say({"undo", "out/Night Tides"}, 0);
    EXPECT_EQ(contents(folder / "out/Night Tides/mine.txt"), bytes("mine"));
    say({"undo", "out/games/Fog Signals/game.iso"}, 0);
    EXPECT_EQ(contents(folder / "out/games/Fog Signals/game.iso"), data);
    EXPECT_EQ(contents(folder / "out/games/Fog Signals/cover.png"), bytes("mine"));
    EXPECT_EQ(folder.names(), before) << "nothing else is left, and the patch's receipt is there again";
    say({"undo", "out/games/Fog Signals/game.iso"}, 0);
    EXPECT_FALSE(fs::exists(folder / "out/games/Fog Signals/game.iso"));
}

TEST_F(CliKit, ProgressNamesTheStep) {
    const std::string said = say({"apply", "kelp.iso", "fog", "-o", "out/", "--progress", "json"}, 0);
    expect(said, {"\"step\":\"making games/Fog Signals/game.iso\""});
}

}  // namespace
}  // namespace hotstitch
