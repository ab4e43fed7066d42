// SPDX-License-Identifier: MIT
// The real binary: apply and verify on the demo world.
#include <gtest/gtest.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <set>
#include <sstream>
#include <thread>

#include "hotstitch/apply.h"
#include "hotstitch/create.h"
#include "kelp_harbour.h"
#include "lib/patch_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace {

namespace fs = std::filesystem;
using hotstitch::bytes_of, hotstitch::Bytes, hotstitch::text_of;

/// Kelp Harbour, its mod and the patch between them, in a folder.
class CliApply : public testing::Test {
protected:
    CliApply() {
        folder.put("Kelp Harbour.sfc", source);
        folder.put("mods/Night Tides.ips", patch);
    }
    ToolResult run(std::vector<std::string> arguments, std::string input = {}) const {
        return run_tool(arguments, {.folder = folder.path(), .input = std::move(input)});
    }
    void use_checks() const {
        folder.put("Night Tides.sfc", target);
        ASSERT_EQ(run({"create", "Kelp Harbour.sfc", "Night Tides.sfc", "-o", "mods/Night Tides.ips", "--checks",
                       "--replace", "--no-backup"})
                      .code,
                  0);
        fs::remove(folder / "Night Tides.sfc");
    }
    std::string source_crc() const { return "crc32:" + hotstitch::crc32(source).hex(); }

    TemporaryFolder folder;
    const Bytes source = demo::kelp_harbour(1), target = demo::night_tides(source),
                patch = hotstitch::create(source, target, {.format = hotstitch::PatchFormat::ips});
};

TEST_F(CliApply, MakesTheTargetBesideTheSourceNamedAfterThePatch) {
    const ToolResult result = run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips"});
    EXPECT_EQ(result.code, 0) << result.err;
    EXPECT_TRUE(contents(folder / "Night Tides.sfc") == target);
    EXPECT_TRUE(contents(folder / "Kelp Harbour.sfc") == source);
    EXPECT_NE(result.out.find((folder / "Night Tides.sfc").string() +
                              ": the patch carries no checks, but the ROM's own still hold."),
              std::string::npos)
        << result.out;
    EXPECT_NE(result.out.find("Not checked: "), std::string::npos);
    EXPECT_NE(result.out.find("--expect"), std::string::npos);
    EXPECT_EQ(result.out.find('\x1b'), std::string::npos);
    EXPECT_TRUE(result.err.empty()) << result.err;
}

TEST_F(CliApply, PutsExecutablesAndDataIntoAFolderUnderTheirOwnName) {
    folder.put("game/harbour.bin.dat", "The ferry\1");
    folder.put("game/mod.ips", "PATCH" + makers::ips_record(4, "barge") + "EOF");
    const ToolResult result = run({"apply", "game/harbour.bin.dat", "game/mod.ips"});
    EXPECT_EQ(text_of(contents(folder / "game/patched/harbour.bin.dat")), "The barge\1");
    EXPECT_NE(result.out.find("apply --in-place game/harbour.bin.dat game/mod.ips"), std::string::npos) << result.out;
}

TEST_F(CliApply, OutputMayBeAFolderANameOrAStream) {
    EXPECT_EQ(run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "-o", "out/here/"}).code, 0);
    EXPECT_TRUE(contents(folder / "out/here/Night Tides.sfc") == target);
    EXPECT_EQ(run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "-o", "new/x.sfc"}).code, 0);
    EXPECT_TRUE(contents(folder / "new/x.sfc") == target);
    const ToolResult piped = run({"apply", "-", "mods/Night Tides.ips", "-o", "-"}, std::string(text_of(source)));
    EXPECT_EQ(piped.code, 0);
    EXPECT_TRUE(piped.out == text_of(target));
    EXPECT_NE(piped.err.find("Made standard output"), std::string::npos);
    EXPECT_EQ(run({"apply", "-", "mods/Night Tides.ips"}, "x").code, 2);
    EXPECT_EQ(run({"apply", "Kelp Harbour.sfc", "-", "-o", "-", "--json"}, "x").code, 2);
}

TEST_F(CliApply, NeverReplacesUnasked) {
    folder.put("Night Tides.sfc", "precious");
    const ToolResult refused = run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips"});
    EXPECT_EQ(refused.code, 2);
    EXPECT_NE(refused.err.find("exists already"), std::string::npos);
    EXPECT_EQ(text_of(contents(folder / "Night Tides.sfc")), "precious");
    const ToolResult replaced = run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "--replace", "--json"});
    EXPECT_EQ(replaced.code, 0);
    EXPECT_EQ(text_of(contents(fs::path(replaced.json()["backup"]["path"].get<std::string>()))), "precious");
    for (const char* input : {"Kelp Harbour.sfc", "mods/Night Tides.ips"}) {
        const ToolResult same = run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "--replace", "-o", input});
        EXPECT_EQ(same.code, 2);
        EXPECT_NE(same.err.find("one of the inputs"), std::string::npos);
    }
    EXPECT_TRUE(contents(folder / "Kelp Harbour.sfc") == source);
}

TEST_F(CliApply, InPlaceKeepsABackup) {
    const ToolResult result = run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "--in-place", "--json"});
    EXPECT_EQ(result.code, 0) << result.err;
    EXPECT_TRUE(contents(folder / "Kelp Harbour.sfc") == target);
    EXPECT_TRUE(contents(fs::path(result.json()["backup"]["path"].get<std::string>())) == source);
    // Once more: already patched, nothing made, all stays.
    const ToolResult again = run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "--in-place"});
    EXPECT_EQ(again.code, 0);
    EXPECT_NE(again.out.find("Already patched"), std::string::npos);
    EXPECT_EQ(folder.names().size(), 5U);  // source, patch and its folder, backup, receipt
    EXPECT_EQ(run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "-o", "copy.sfc"}).code, 0);
    EXPECT_TRUE(contents(folder / "copy.sfc") == target);
}

TEST_F(CliApply, ExpectedSourceDecides) {
    const ToolResult right = run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "--expect", source_crc()});
    EXPECT_EQ(right.code, 0);
    EXPECT_NE(right.out.find("the source is right"), std::string::npos) << right.out;
    const ToolResult wrong =
        run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "-o", "x.sfc", "--expect", "crc32:00000000"});
    EXPECT_EQ(wrong.code, 1);
    EXPECT_NE(wrong.err.find("not the source the patch was made for"), std::string::npos);
    EXPECT_FALSE(fs::exists(folder / "x.sfc"));
    const ToolResult allowed = run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "-o", "x.sfc", "--expect",
                                    "crc32:00000000", "--allow", "source"});
    EXPECT_EQ(allowed.code, 0);
    EXPECT_NE(allowed.out.find("against failed checks"), std::string::npos);
    const ToolResult unknown = run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "--allow", "everything"});
    EXPECT_EQ(unknown.code, 2);
    EXPECT_NE(unknown.err.find("source (not the file"), std::string::npos);
}

TEST_F(CliApply, ChecksBesideThePatchAreFoundAndUsed) {
    use_checks();
    const ToolResult right = run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "--json"});
    EXPECT_EQ(right.code, 0);
    EXPECT_EQ(right.json()["checked"], (nlohmann::json{"source", "target"}));
    EXPECT_EQ(right.json()["schema"], (nlohmann::json{{"name", "hotstitch/apply"}, {"version", 2}}));
    folder.put("other.sfc", demo::kelp_harbour(0));
    EXPECT_EQ(run({"apply", "other.sfc", "mods/Night Tides.ips", "-o", "y.sfc"}).code, 1);
    EXPECT_EQ(run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "-o", "y.sfc", "--expect", "size:1"}).code, 2);

    const ToolResult verified =
        run({"verify", "mods/Night Tides.ips", "other.sfc", "Kelp Harbour.sfc", "Night Tides.sfc", "--json"});
    EXPECT_EQ(verified.code, 0);
    const auto sources = verified.json()["sources"];
    EXPECT_EQ(sources[0]["answer"], "does-not-fit");
    EXPECT_EQ(sources[1]["answer"], "fits");
    EXPECT_EQ(sources[2]["answer"], "already-patched");
    EXPECT_EQ(run({"verify", "mods/Night Tides.ips", "--target", "Night Tides.sfc"}).code, 0);
    EXPECT_EQ(run({"verify", "mods/Night Tides.ips", "--target", "other.sfc"}).code, 1);

    // Another patch under the same name: the checks are not its own.
    folder.put("mods/Night Tides.ips", "PATCHEOF");
    EXPECT_EQ(run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "-o", "y.sfc"}).code, 3);
    EXPECT_EQ(run({"verify", "mods/Night Tides.ips", "Kelp Harbour.sfc"}).code, 3);
    folder.put("mods/Night Tides.ips.checks.json", "{");
    EXPECT_EQ(run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "-o", "y.sfc"}).code, 3);
    EXPECT_FALSE(fs::exists(folder / "y.sfc"));
}

TEST_F(CliApply, VerifyWithoutChecksCannotKnow) {
    const ToolResult unknown = run({"verify", "mods/Night Tides.ips", "Kelp Harbour.sfc"});
    EXPECT_EQ(unknown.code, 0) << "likely, by the ROM's own checks";
    EXPECT_NE(unknown.out.find("likely"), std::string::npos) << unknown.out;
    EXPECT_EQ(run({"verify", "mods/Night Tides.ips", "Kelp Harbour.sfc", "--expect", source_crc()}).code, 0);
    folder.put("made.sfc", target);
    folder.put("spoiled.sfc", demo::fog_signals(target));
    EXPECT_EQ(run({"verify", "mods/Night Tides.ips", "Kelp Harbour.sfc", "--target", "made.sfc"}).code, 0);
    const ToolResult not_it =
        run({"verify", "mods/Night Tides.ips", "Kelp Harbour.sfc", "--target", "spoiled.sfc", "--json"});
    EXPECT_EQ(not_it.code, 1);
    EXPECT_EQ(not_it.json()["first_difference"], 0x4321);
    EXPECT_EQ(run({"verify", "mods/Night Tides.ips", "--target", "made.sfc"}).code, 1);
    EXPECT_EQ(run({"verify", "mods/Night Tides.ips"}).code, 2);
}

TEST_F(CliApply, SwappedPlacesAreUnderstoodByContent) {
    const ToolResult result = run({"apply", "mods/Night Tides.ips", "Kelp Harbour.sfc"});
    EXPECT_EQ(result.code, 0) << result.err;
    EXPECT_NE(result.out.find("swapped places"), std::string::npos);
    EXPECT_TRUE(contents(folder / "Night Tides.sfc") == target);
}

TEST_F(CliApply, SeveralPatchesInOrderWithNoStageLeft) {
    const Bytes foggy = demo::fog_signals(target);
    folder.put("mods/Fog on top.bps", hotstitch::create(target, foggy));
    folder.put("mods/Night Tides.bps", hotstitch::create(source, target));
    const ToolResult both = run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.bps", "mods/Fog on top.bps"});
    EXPECT_EQ(both.code, 0) << both.err;
    EXPECT_TRUE(contents(folder / "Fog on top.sfc") == foggy);
    EXPECT_NE(both.out.find("source and result are right."), std::string::npos) << both.out;
    const auto before = folder.names();
    const ToolResult wrong =
        run({"apply", "Kelp Harbour.sfc", "mods/Fog on top.bps", "mods/Night Tides.bps", "-o", "x.sfc", "--json"});
    EXPECT_EQ(wrong.code, 1);
    EXPECT_EQ(wrong.json()["stage"], 1);
    const ToolResult second = run(
        {"apply", "Kelp Harbour.sfc", "mods/Night Tides.bps", "mods/Night Tides.bps", "-o", "x.sfc", "--no-receipt"});
    EXPECT_EQ(second.code, 0);  // the second finds its own target and makes it again
    EXPECT_NE(second.out.find("already patched"), std::string::npos);
    fs::remove(folder / "x.sfc");
    folder.put("mods/cut.bps", std::string(text_of(hotstitch::create(target, foggy)).substr(0, 40)));
    EXPECT_EQ(run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.bps", "mods/cut.bps", "-o", "x.sfc"}).code, 3);
    fs::remove(folder / "mods/cut.bps");
    EXPECT_EQ(folder.names(), before);
}

TEST_F(CliApply, ResultsAreKnownInEveryFormatAndTheWayBackIsNamed) {
    folder.put("mods/Night Tides.ups", hotstitch::create(source, target, {.format = hotstitch::PatchFormat::ups}));
    folder.put("Night Tides.sfc", target);
    const ToolResult known = run({"apply", "Night Tides.sfc", "mods/Night Tides.ups"});
    EXPECT_EQ(known.code, 0);
    EXPECT_NE(known.out.find("Already patched"), std::string::npos);
    EXPECT_NE(known.out.find("hotstitch undo 'Night Tides.sfc' 'mods/Night Tides.ups'"), std::string::npos)
        << known.out;
    EXPECT_EQ(run({"undo", "Night Tides.sfc", "mods/Night Tides.ups"}).code, 0);
    EXPECT_TRUE(contents(folder / "Night Tides.sfc") == source);
    folder.put("Night Tides.sfc", target);
    // The default output would be the source itself: the reason is that it is the result.
    folder.put("mods/Night Tides.bps", hotstitch::create(source, target));
    const ToolResult again = run({"apply", "Night Tides.sfc", "mods/Night Tides.bps"});
    EXPECT_EQ(again.code, 0);
    EXPECT_NE(again.out.find("Already patched"), std::string::npos);
}

TEST_F(CliApply, CompanionsArePointedOutAndTheirNameTaken) {
    for (const char* name :
         {"mods/Night Music-1.pcm", "mods/Night Music-2.pcm", "mods/Night Music.msu", "mods/alone.cue"})
        folder.put(name, "x");
    const ToolResult result = run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips"});
    EXPECT_NE(result.out.find("3 files go by the name \"Night Music\""), std::string::npos) << result.out;
    EXPECT_EQ(result.out.find("alone"), std::string::npos);
    EXPECT_EQ(run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "--name-like", "mods/Night Music-2.pcm"}).code,
              0);
    EXPECT_TRUE(contents(folder / "Night Music.sfc") == target);
    const std::vector<std::string> like_fog{
        "apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "--name-like", "Fog (Track 02).bin", "-o", "mods"};
    EXPECT_EQ(run(like_fog).code, 4) << "there is no such companion";
    folder.put("Fog (Track 02).bin", "x");
    EXPECT_EQ(run(like_fog).code, 0);
    EXPECT_TRUE(contents(folder / "mods/Fog.sfc") == target);
}

TEST_F(CliApply, RefusesAPatchThatLeavesAGapBehindTheFile) {
    folder.put("far.ips", "PATCH" + makers::ips_record(0x120000, "x") + "EOF");
    const ToolResult result = run({"apply", "Kelp Harbour.sfc", "far.ips"});
    EXPECT_EQ(result.code, 1);
    EXPECT_NE(result.err.find("leaves 131,072 bytes before that which nobody wrote"), std::string::npos) << result.err;
    EXPECT_EQ(run({"apply", "Kelp Harbour.sfc", "far.ips", "--allow", "source"}).code, 0);
}

TEST_F(CliApply, ProgressAndReportsKeepToTheirStreams) {
    const ToolResult quiet = run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "-q"});
    EXPECT_EQ(std::count(quiet.out.begin(), quiet.out.end(), '\n'), 1);
    const ToolResult colour =
        run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "-o", "z.sfc", "--color", "always"});
    EXPECT_NE(colour.out.find("\x1b[1;33mMade"), std::string::npos);
}

TEST_F(CliApply, ProgressAsJsonLinesForPrograms) {
    const ToolResult result =
        run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "-o", "z.sfc", "--json", "--progress", "json"});
    EXPECT_EQ(result.code, 0);
    std::istringstream lines(result.err);
    std::set<std::string> phases;
    std::uint64_t last_written = 0;
    for (std::string line; std::getline(lines, line);) {
        const auto progress = nlohmann::json::parse(line);
        EXPECT_EQ(progress["schema"]["name"], "hotstitch/progress");
        phases.insert(progress["phase"]);
        if (progress["phase"] == "writing") last_written = progress["done"];
    }
    EXPECT_TRUE(phases.count("writing") == 1 && phases.count("flushing to the disk") == 1) << result.err;
    EXPECT_EQ(last_written, 1U << 20);
    EXPECT_TRUE(
        run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "-o", "y.sfc", "--progress", "none"}).err.empty());
}

TEST_F(CliApply, VcdiffDoesWhatTheOtherFormatsDo) {
    folder.put("other.sfc", demo::kelp_harbour(0));
    folder.put("mods/Night Tides.xdelta",
               hotstitch::create(source, target, {.format = hotstitch::PatchFormat::vcdiff}));
    // In place of a front header, by the windows alone; the output begins anew after the first try.
    folder.put("headered.smc", demo::with_front_header(source));
    const ToolResult headered = run({"apply", "headered.smc", "mods/Night Tides.xdelta"});
    EXPECT_EQ(headered.code, 0) << headered.err;
    EXPECT_NE(headered.out.find("without its front header of 512 bytes"), std::string::npos) << headered.out;
    EXPECT_TRUE(contents(folder / "Night Tides.sfc") == target) << "by the extension of what it is now";
    EXPECT_EQ(run({"undo", "Night Tides.sfc"}).code, 0);
    const ToolResult refused = run({"apply", "other.sfc", "mods/Night Tides.xdelta", "-o", "x.sfc", "--json"});
    EXPECT_EQ(refused.code, 1);
    EXPECT_EQ(refused.json()["reasons"][0]["code"], "no-window-right") << refused.out;
    EXPECT_FALSE(fs::exists(folder / "x.sfc"));
    EXPECT_EQ(run({"apply", "other.sfc", "mods/Night Tides.xdelta", "-o", "x.sfc", "--allow", "source"}).code, 0);
    // Without the source, the windows' checks say whether a file is the target.
    for (const auto& [name, answer] :
         {std::pair{"Night Tides.sfc", "is-the-target"}, {"other.sfc", "is-not-the-target"}}) {
        folder.put("Night Tides.sfc", target);
        EXPECT_EQ(run({"verify", "mods/Night Tides.xdelta", "--target", name, "--json"}).json()["answer"], answer);
    }
    // A source that --expect finds right and a window that comes out wrong: then it is the patch.
    const ToolResult blamed = run({"apply", "other.sfc", "mods/Night Tides.xdelta", "-o", "blamed.sfc", "--expect",
                                   "crc32:" + hotstitch::crc32(demo::kelp_harbour(0)).hex()});
    EXPECT_EQ(blamed.code, 3);
    EXPECT_NE(blamed.err.find("the source is right, so the patch"), std::string::npos) << blamed.err;
    // Already patched is told by size and windows; with -o it is made again.
    folder.put("patched.sfc", target);
    EXPECT_EQ(run({"apply", "patched.sfc", "mods/Night Tides.xdelta", "--json"}).json()["answer"], "already-patched");
    for (const char* format : {"bps", "ups", "ips", "vcdiff"}) {
        const std::string name = std::string("recast.") + format;
        EXPECT_EQ(run({"recast", "Kelp Harbour.sfc", "mods/Night Tides.xdelta", "--format", format, "-o", name}).code,
                  0);
        EXPECT_TRUE(hotstitch::apply_in_memory(contents(folder / name), source).target == target) << format;
    }
    folder.put("mods/Fog Signals.xdelta",
               hotstitch::create(target, demo::fog_signals(target), {.format = hotstitch::PatchFormat::vcdiff}));
    EXPECT_EQ(
        run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.xdelta", "mods/Fog Signals.xdelta", "-o", "both.sfc"}).code,
        0);
    EXPECT_TRUE(contents(folder / "both.sfc") == demo::fog_signals(target));
    EXPECT_EQ(run({"overlap", "Kelp Harbour.sfc", "mods/Night Tides.xdelta", "mods/Night Tides.ips", "--json"})
                  .json()["answer"],
              "compatible");
}

/// Starts the tool on a pipe that never ends, waits (nothing: until it reads from that), sends the signal, returns the
/// exit status.
int stopped_by(int signal, const fs::path& folder, std::optional<std::chrono::milliseconds> wait = {}) {
    int ends[2];
    if (pipe(ends) != 0 || write(ends[1], "K", 1) != 1) return -1;
    const pid_t child = fork();
    if (child == 0) {
        dup2(ends[0], STDIN_FILENO);
        if (chdir(folder.c_str()) != 0) _exit(126);
        const std::string tool = std::getenv("HOTSTITCH_TOOL");
        execl(tool.c_str(), tool.c_str(), "apply", "-", "mods/Night Tides.ips", "-o", "stopped.sfc", "-q", nullptr);
        _exit(127);
    }
    int unread = 1;
    for (int round = 0; !wait && unread != 0 && round < 4000 && ioctl(ends[0], FIONREAD, &unread) == 0; ++round)
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
    if (wait) std::this_thread::sleep_for(*wait);
    kill(child, signal);
    int status = 0;
    waitpid(child, &status, 0);
    close(ends[0]);
    close(ends[1]);
    return status;
}

TEST_F(CliApply, SignalsStopCleanly) {
    for (const auto& [signal, code] : {std::pair{SIGINT, 130}, std::pair{SIGTERM, 143}}) {
        const auto before = folder.names();
        const int status = stopped_by(signal, folder.path());
        EXPECT_TRUE(WIFEXITED(status)) << signal;
        EXPECT_EQ(WEXITSTATUS(status), code);
        EXPECT_EQ(folder.names(), before);
    }
}

/// A signal that comes just before the tool waits for its input is not slept through.
TEST_F(CliApply, SignalsStopAtAnyMoment) {
    const auto before = folder.names();
    for (int moment = 0; moment < 40; ++moment) {
        const int status = stopped_by(SIGTERM, folder.path(), std::chrono::milliseconds(moment));
        // Before the tool listens to signals, the system ends it.
        EXPECT_TRUE(WIFSIGNALED(status) || WEXITSTATUS(status) == 143) << moment;
    }
    EXPECT_EQ(folder.names(), before);
    // Nor while a named pipe waits for its writer, who comes late.
    ASSERT_EQ(mkfifo((folder / "pipe").c_str(), 0600), 0);
    const std::string call = fmt::format(
        "cd '{0}' && (sleep 0.4; cat mods/*Tides.ips > pipe) & cd '{0}' && '{1}' apply "
        "'Kelp Harbour.sfc' pipe -o late.sfc -q > /dev/null",
        folder.path().string(), std::getenv("HOTSTITCH_TOOL"));
    EXPECT_EQ(std::system(call.c_str()), 0);
    EXPECT_TRUE(fs::exists(folder / "late.sfc"));
    const std::string stopped =
        fmt::format("cd '{}' && timeout -s INT 0.3 '{}' apply 'Kelp Harbour.sfc' pipe -o never.sfc -q 2> /dev/null",
                    folder.path().string(), std::getenv("HOTSTITCH_TOOL"));
    EXPECT_NE(std::system(stopped.c_str()), 0);
    EXPECT_FALSE(fs::exists(folder / "never.sfc"));
}

TEST_F(CliApply, KilledInTheMiddleLeavesOnlyARecognisableTemporaryFile) {
    // A source of 1 GiB that takes no space, so that there is time to kill the tool while it writes.
    folder.put("big.iso", "x");
    fs::resize_file(folder / "big.iso", 1 << 30);
    const std::string tool = std::getenv("HOTSTITCH_TOOL");
    for (const int signal : {SIGINT, SIGKILL}) {
        const auto before = folder.names();
        const pid_t child = fork();
        if (child == 0) {
            if (chdir(folder.path().c_str()) != 0) _exit(126);
            execl(tool.c_str(), tool.c_str(), "apply", "big.iso", "mods/Night Tides.ips", "-o", "made.iso", "-q",
                  nullptr);
            _exit(127);
        }
        while (folder.names() == before && waitpid(child, nullptr, WNOHANG) == 0) std::this_thread::yield();
        kill(child, signal);
        waitpid(child, nullptr, 0);
        auto after = folder.names();
        EXPECT_FALSE(after.contains("made.iso"));
        for (const std::string& name : before) after.erase(name);
        EXPECT_EQ(after.empty(), signal == SIGINT);
        for (const std::string& name : after)
            EXPECT_TRUE(name.starts_with(".made.iso.") && name.ends_with(".hotstitch-tmp")) << name;
    }
    // The next run clears what was left.
    EXPECT_EQ(run({"apply", "Kelp Harbour.sfc", "mods/Night Tides.ips", "-o", "made.iso"}).code, 0);
    for (const std::string& name : folder.names()) EXPECT_FALSE(name.ends_with(".hotstitch-tmp")) << name;
}

}  // namespace
