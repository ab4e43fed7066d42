// SPDX-License-Identifier: MIT
// What is written beside files to find the way back: on another disk, stopped, changed since, a link, a pipe.
#include <fcntl.h>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <atomic>
#include <cstdlib>
#include <thread>

#include "data_files.h"
#include "disc.h"
#include "hotstitch/change_list.h"
#include "hotstitch/create.h"
#include "hotstitch/digest.h"
#include "hotstitch/error.h"
#include "hotstitch/file_io.h"
#include "kelp_harbour.h"
#include "lib/patch_makers.h"
#include "lib/rom_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

namespace fs = std::filesystem;
using Call = std::vector<std::string>;
using makers::poked;

Bytes text(std::string_view from) {
    return Bytes(bytes_of(from).begin(), bytes_of(from).end());
}

class Records : public testing::Test {
protected:
    ToolResult run(const Call& call, std::vector<std::string> environment = {}) const {
        if (!environment.empty()) environment.push_back("LD_PRELOAD=" FAULTS_LIBRARY);
        return run_tool(call, {.folder = folder.path(), .environment = std::move(environment)});
    }
    /// Changes bytes at two places of a file in its own place.
    fs::path change_two_places(const fs::path& path) const {
        const InputFile file(path);
        ChangeList change(file.size());
        change.put(100, 50, (Bytes(50, std::byte{7})));
        change.put(5000, 60, (Bytes(60, std::byte{9})));
        return change_in_place(file, change, {"test"}, true).value();
    }
    const TemporaryFolder folder;
    const Bytes before = poked(Bytes(9000, std::byte{1}), 77, 3);
};

TEST_F(Records, OfAFileAreItsOwnOnAnotherDiskToo) {
    const fs::path file = folder.put("disc.img", before);
    const fs::path way_back = change_two_places(file);
    const Bytes after = contents(file);
    // Copied, which makes it another file on another device: finished, and stopped at each place.
    for (int done = 0; done < 4; ++done) {
        const TemporaryFolder disk;
        Bytes now = done == 0 || done == 3 ? after : before;
        if (done == 1) std::copy_n(after.begin() + 100, 50, now.begin() + 100);
        disk.put("disc.img", now);
        const char* const name = done == 0 ? "disc.img.undo-1.hotstitch" : "disc.img.journal.hotstitch";
        fs::copy_file(way_back, disk / name);
        undo_in_place(disk / "disc.img");
        EXPECT_TRUE(contents(disk / "disc.img") == before) << done;
        EXPECT_FALSE(fs::exists(disk / name));
    }
    // One that holds neither is another file, and stays as it is.
    const TemporaryFolder disk;
    disk.put("disc.img", poked(before, 110, 99));
    fs::copy_file(way_back, disk / "disc.img.journal.hotstitch");
    EXPECT_THROW(undo_in_place(disk / "disc.img"), Error);
    EXPECT_TRUE(contents(disk / "disc.img") == poked(before, 110, 99));
}

TEST_F(Records, MoreWaysBackThanAreKeptAreRefusedFirst) {
    const fs::path file = folder.put("disc.img", before);
    folder.put("disc.img.undo-10000.hotstitch", "the last one");
    EXPECT_THROW(change_two_places(file), Error);
    EXPECT_TRUE(contents(file) == before);
    EXPECT_FALSE(fs::exists(folder / "disc.img.journal.hotstitch"));
}

TEST_F(Records, WhatIsWrittenIntoAFolderMeanwhileStays) {
    for (const bool before_placing : {true, false}) {
        const TemporaryFolder here;
        here.put("game/a.txt", "old"), here.put("game/sub/b.txt", "old");
        OutputFolder out(here / "game", Replace::without_backup, stamps_below(here / "game"));
        out.add_file("a.txt", false, [](ByteSink& sink) { sink.write(bytes_of("new")); });
        out.flush();
        // The old folder has another name by then: a game that has it open writes there.
        const int game = ::open((here / "game/sub").c_str(), O_RDONLY | O_DIRECTORY);
        const auto play = [&] {
            const int save = ::openat(game, "save.dat", O_WRONLY | O_CREAT, 0600);
            EXPECT_EQ(::write(save, "saved", 5), 5);
            ::close(save);
        };
        if (before_placing) play();
        out.place();
        if (!before_placing) play();
        const auto kept = out.finish();
        ::close(game);
        ASSERT_TRUE(kept);
        EXPECT_EQ(text_of(contents(*kept / "sub/save.dat")), "saved");
        EXPECT_EQ(text_of(contents(here / "game/a.txt")), "new");
    }
    folder.put("game/a.txt", "old");
    const FolderStamps seen = stamps_below(folder / "game");
    folder.put("game/save.dat", "saved");
    EXPECT_THROW(remove_folder(folder / "game", seen), Error);
    EXPECT_EQ(text_of(contents(folder / "game/save.dat")), "saved");
    remove_folder(folder / "game", stamps_below(folder / "game"));
    EXPECT_TRUE(folder.names().empty());
}

TEST_F(Records, AFolderWhoseNameIsTakenMeanwhileStaysUnderAnother) {
    int taken = 0;
    for (int round = 0; round < 300 && taken < 3; ++round) {
        const TemporaryFolder here;
        here.put("game/save.dat", "saved");
        const FolderStamps seen;  // of a folder that was empty then
        std::atomic<bool> stop = false, made = false;
        std::thread other([&] {
            while (!stop)
                if (::mkdir((here / "game").c_str(), 0700) == 0) made = true;
        });
        EXPECT_THROW(remove_folder(here / "game", seen), Error);
        stop = true;
        other.join();
        taken += made ? 1 : 0;
        int saves = 0;
        for (const std::string& name : here.names()) saves += name.ends_with("/save.dat") ? 1 : 0;
        EXPECT_EQ(saves, 1);
        EXPECT_EQ(fs::exists(here / "game/save.dat"), !made);
    }
}

/// A kit that changes a folder.
class FolderRecords : public Records {
protected:
    void SetUp() override {
        folder.put("prog/kelp.dat", demo::harbour_data(false)), folder.put("prog/doc/old.txt", "old\n");
        folder.put("gale/kelp.dat", poked(demo::harbour_data(false), 900, 77)), folder.put("gale/new.txt", "new\n");
        ASSERT_EQ(run({"create", "prog", "gale", "--format", "kit", "-o", "gale.kit"}).code, 0);
    }
};

TEST_F(FolderRecords, UndoingAStoppedChangeKeepsWhatThePlayerChangedSince) {
    const Bytes own = text("the player's own");
    int tried = 0;
    for (int at = 1; at < 60; ++at) {
        fs::remove_all(folder / "prog"), fs::remove_all(folder / "prog.change.hotstitch");
        fs::remove_all(folder / "prog.undo-1.hotstitch");
        folder.put("prog/kelp.dat", demo::harbour_data(false)), folder.put("prog/doc/old.txt", "old\n");
        const ToolResult killed =
            run({"apply", "prog", "gale.kit", "--in-place"}, {fmt::format("FAULT_AT={}", at), "FAULT_KIND=kill"});
        if (killed.code == 0) break;
        if (!fs::exists(folder / "prog.change.hotstitch/changes")) continue;
        ++tried;
        for (const char* const name : {"prog/kelp.dat", "prog/new.txt", "prog/doc/old.txt"}) {
            fs::create_directories((folder / name).parent_path());
            folder.put(name, own);  // in its place, and of another content
        }
        const ToolResult undone = run({"undo", "prog"});
        EXPECT_EQ(undone.code, 0) << undone.err;
        int kept = 0;
        for (const std::string& name : folder.names())
            if (name.starts_with("prog/") && fs::is_regular_file(folder / name) && contents(folder / name) == own)
                ++kept;
        EXPECT_EQ(kept, 3) << "killed at call " << at << undone.out;
    }
    EXPECT_GT(tried, 5);
}

TEST_F(FolderRecords, OneThatIsAFileSystemSaysSoFirst) {
    const std::string mounted = "unshare -Urm sh -c 'cd \"$1\" && mount --bind prog prog && shift && \"$@\"' sh '" +
                                folder.path().string() + "' ";
    if (std::system((mounted + "true 2>/dev/null").c_str()) != 0) GTEST_SKIP() << "nobody may mount here";
    const auto there = folder.names();
    const std::string call = mounted + std::getenv("HOTSTITCH_TOOL") + " apply prog gale.kit --in-place 2>'" +
                             (folder / "said").string() + "'";
    EXPECT_EQ(WEXITSTATUS(std::system(call.c_str())), 3);
    EXPECT_NE(text_of(contents(folder / "said")).find("is a file system of its own"), std::string::npos)
        << text_of(contents(folder / "said"));
    fs::remove(folder / "said");
    EXPECT_EQ(folder.names(), there);
    EXPECT_TRUE(contents(folder / "prog/kelp.dat") == demo::harbour_data(false));
}

TEST_F(FolderRecords, LinksInAWayBackAreNotFollowed) {
    const TemporaryFolder elsewhere;
    ASSERT_EQ(run({"apply", "prog", "gale.kit", "--in-place"}).code, 0);
    const fs::path way_back = folder / "prog.undo-1.hotstitch";
    const Bytes made = contents(folder / "prog/kelp.dat");
    for (const char* const piece : {"", "old", "changes"}) {
        const fs::path at = *piece == '\0' ? way_back : way_back / piece;
        fs::rename(at, elsewhere / "held");
        fs::create_symlink(elsewhere / "held", at);
        const auto there = elsewhere.names();
        EXPECT_NE(run({"undo", "prog"}).code, 0) << piece;
        EXPECT_EQ(elsewhere.names(), there) << piece;
        EXPECT_TRUE(contents(folder / "prog/kelp.dat") == made) << piece;
        fs::remove(at);
        fs::rename(elsewhere / "held", at);
    }
    EXPECT_EQ(run({"undo", "prog"}).code, 0);
    EXPECT_TRUE(contents(folder / "prog/kelp.dat") == demo::harbour_data(false));
}

TEST_F(Records, AChangeInPlaceIsOfOneNameAlone) {
    const Bytes rom = demo::kelp_harbour(1);
    folder.put("night.bps", create(rom, demo::night_tides(rom)));
    // Large ones too, which are else changed where they lie.
    const fs::path large = folder.put("large.bin", "begin");
    fs::resize_file(large, (std::uintmax_t{64} << 20) + 1);
    folder.put("patch.ips", "PATCH" + makers::ips_record(9, "changed") + "EOF");
    folder.put("kelp.sfc", rom);
    for (const auto& [name, patch] : {std::pair{"kelp.sfc", "night.bps"}, {"large.bin", "patch.ips"}}) {
        fs::create_hard_link(folder / name, folder / "other");
        const Bytes before_it = contents(folder / "other");
        const ToolResult result = run({"apply", name, patch, "--in-place"});
        EXPECT_EQ(result.code, 0) << result.err;
        EXPECT_NE(result.out.find("1 other name"), std::string::npos) << result.out;
        EXPECT_TRUE(contents(folder / "other") == before_it) << name;
        EXPECT_FALSE(contents(folder / name) == before_it) << name;
        EXPECT_EQ(run({"undo", name}).code, 0);
        EXPECT_TRUE(contents(folder / name) == before_it) << name;
        fs::remove(folder / "other");
    }
}

TEST_F(Records, PipesKeepNobodyWaiting) {
    const Bytes rom = demo::kelp_harbour(1);
    folder.put("kelp.sfc", rom), folder.put("night.bps", create(rom, demo::night_tides(rom)));
    folder.put("kelp.dat", demo::harbour_data(false));
    folder.put("x.cue", "FILE \"x.bin\" BINARY\n  TRACK 01 MODE1/2048\n    INDEX 01 00:00:00\n");
    struct Row {
        const char* pipe;
        Call call;
    };
    const Row rows[] = {{"kelp.sfc.receipt.json", {"undo", "kelp.sfc"}},
                        {"kelp.sfc.receipt.json", {"verify", "--receipt", "kelp.sfc"}},
                        {"kelp.sfc.receipt.json", {"apply", "kelp.sfc", "night.bps", "--in-place"}},
                        {"kelp.sfc.receipt.json", {"renew", "kelp.sfc", "night.bps"}},
                        {"kelp.sfc.journal.hotstitch", {"undo", "kelp.sfc"}},
                        {"kelp.sfc.journal.hotstitch", {"apply", "kelp.sfc", "night.bps", "--in-place"}},
                        {"kelp.sfc.undo-1.hotstitch", {"undo", "kelp.sfc"}},
                        {"kelp.sfc.shelf/shelf.toml", {"shelf", "kelp.sfc"}},
                        {"kelp.sfc.shelf/original/kelp.sfc", {"shelf", "kelp.sfc", "--use", "original"}},
                        {"x.bin", {"describe", "x.cue"}},
                        {"x.bin", {"apply", "x.cue", "night.bps"}},
                        {"k.map.toml", {"fields", "kelp.dat"}},
                        {"night.bps.checks.json", {"apply", "kelp.sfc", "night.bps", "-o", "made.sfc"}}};
    for (const Row& row : rows) {
        const fs::path pipe = folder / row.pipe;
        fs::create_directories(pipe.parent_path());
        ASSERT_EQ(::mkfifo(pipe.c_str(), 0600), 0);
        std::string call =
            fmt::format("cd '{}' && timeout 20 '{}'", folder.path().string(), std::getenv("HOTSTITCH_TOOL"));
        for (const std::string& word : row.call) call += fmt::format(" '{}'", word);
        const int status = std::system((call + " >/dev/null 2>&1").c_str());
        EXPECT_NE(WEXITSTATUS(status), 124) << row.pipe << " " << row.call.front() << " waits for ever";
        EXPECT_TRUE(contents(folder / "kelp.sfc") == rom);
        fs::remove(pipe);
        fs::remove_all(folder / "kelp.sfc.shelf");
    }
}

TEST_F(Records, WhoeverWaitsForAPipeThatWasNamedCanBeStopped) {
    folder.put("kelp.sfc", demo::kelp_harbour(1));
    ASSERT_EQ(::mkfifo((folder / "pipe").c_str(), 0600), 0);
    for (const char* const call : {"fields kelp.sfc --map pipe", "describe kelp.sfc --keys pipe",
                                   "describe kelp.sfc --known pipe", "describe pipe", "apply kelp.sfc pipe"}) {
        const int status = std::system(fmt::format("cd '{}' && timeout -k 90 0.5 '{}' {} >/dev/null 2>&1",
                                                   folder.path().string(), std::getenv("HOTSTITCH_TOOL"), call)
                                           .c_str());
        EXPECT_EQ(WEXITSTATUS(status), 124) << call << " had to be killed";
    }
}

TEST_F(Records, AKitIsTheSameInEveryTimeZone) {
    folder.put("fog/README.md", "Fog."), folder.put("fog/b.txt", "foggy\n");
    folder.put("fog/kit.toml",
               "hotstitch-kit = 1\nname = \"Fog\"\nreadme = \"README.md\"\n[[base]]\nid = \"game\"\nany = [{crc32 = "
               "\"00000000\"}]\n[[step]]\nput = \"b.txt\"\ninto = \"game:B.TXT\"\n[[output]]\nfrom = \"game\"\nname = "
               "\"game.iso\"\n");
    std::set<std::string> packed;
    for (const char* const zone : {"TZ=UTC", "TZ=Asia/Tokyo", "TZ=XXX-13", "TZ=XXX+11"}) {
        const ToolResult result =
            run_tool({"kit", "pack", "fog", "-o", "-"}, {.folder = folder.path(), .environment = {zone}});
        EXPECT_EQ(result.code, 0) << result.err;
        packed.insert(result.out);
    }
    EXPECT_EQ(packed.size(), 1U);
}

}  // namespace
}  // namespace hotstitch
