// SPDX-License-Identifier: MIT
#include "hotstitch/file_io.h"

#include <gtest/gtest.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <thread>

#include "hotstitch/apply.h"
#include "hotstitch/error.h"
#include "io/file_writer.h"
#include "lib/patch_makers.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

namespace fs = std::filesystem;

ErrorCode code_of(const std::function<void()>& work) {
    try {
        work();
    } catch (const Error& error) {
        return error.code();
    }
    return ErrorCode{};
}

TEST(InputFile, ReadsFilesAndPipes) {
    const TemporaryFolder folder;
    const InputFile file(folder.put("a", "harbour"));
    EXPECT_EQ(text_of(file.bytes()), "harbour");
    EXPECT_TRUE(file.is_same_file(folder / "a"));
    fs::create_symlink("a", folder / "link");
    EXPECT_TRUE(file.is_same_file(folder / "link"));
    EXPECT_EQ(InputFile(folder.put("empty", "")).size(), 0U);
    EXPECT_GT(InputFile("/proc/self/status").size(), 0U);  // says it has 0 bytes

    int ends[2];
    ASSERT_EQ(pipe(ends), 0);
    std::thread writer([&] {
        const std::string text(3'000'000, 'x');
        EXPECT_EQ(write(ends[1], text.data(), text.size()), std::ssize(text));
        close(ends[1]);
    });
    EXPECT_EQ(InputFile::from_descriptor(ends[0], "pipe").size(), 3'000'000U);
    writer.join();
    close(ends[0]);
}

TEST(OutputFile, FatVolumesHaveTheirOwnMessage) {
    EXPECT_NE(std::string(no_room("/media/stick/kelp.iso", std::uint64_t{5} << 30, EFBIG, true).what()).find("FAT32"),
              std::string::npos);
    EXPECT_EQ(std::string(no_room("/home/kelp.iso", std::uint64_t{5} << 30, EFBIG, false).what()).find("FAT32"),
              std::string::npos);
}

TEST(InputFile, RefusesWhatIsNoFile) {
    const TemporaryFolder folder;
    EXPECT_EQ(code_of([&] { InputFile(folder / "missing"); }), ErrorCode::io);
    EXPECT_EQ(code_of([&] { InputFile(folder.path()); }), ErrorCode::usage);
}

TEST(InputFile, AFileThatShrinksIsAnErrorAndNotTheEnd) {
    const TemporaryFolder folder;
    const fs::path path = folder.put("disc.iso", Bytes(1 << 20, std::byte{7}));
    const InputFile file(path);
    fs::resize_file(path, 5000);
    std::uint64_t sum = 0;
    for (const std::byte b : file.bytes()) sum += std::to_integer<std::uint64_t>(b);  // would be SIGBUS
    EXPECT_LE(sum, 7U * 8192);
    EXPECT_EQ(code_of([&] { file.check_intact(); }), ErrorCode::io);

    // And through a whole operation: no output stands afterwards.
    const InputFile other(folder.put("other.iso", Bytes(4 << 20, std::byte{7})));
    OutputFile out(folder / "out.iso");
    ApplyOptions options;
    options.progress = [&](const ProgressState& state) {
        if (state.done > (1 << 20)) fs::resize_file(folder / "other.iso", 4096);
        return true;
    };
    const std::string patch = "PATCH" + makers::ips_record(1, "x") + "EOF";
    EXPECT_EQ(code_of([&] { apply(MemorySource(bytes_of(patch)), other, out, options); }), ErrorCode::io);
}

TEST(InputFile, LeavesForeignBusErrorsAlone) {
    const pid_t child = fork();
    if (child == 0) {
        const TemporaryFolder folder;
        const InputFile file(folder.put("a", "x"));
        std::raise(SIGBUS);
        _exit(0);
    }
    int status = 0;
    waitpid(child, &status, 0);
    EXPECT_FALSE(WIFEXITED(status) && WEXITSTATUS(status) == 0);
}

TEST(OutputFile, AppearsWholeOrNotAtAll) {
    const TemporaryFolder folder;
    {
        OutputFile out(folder / "sub/new.sfc");
        out.reserve(1000);
        out.write(bytes_of("tide"));
        EXPECT_FALSE(fs::exists(out.path()));
        const auto names = folder.names();
        EXPECT_EQ(names.size(), 2U);
        EXPECT_TRUE(names.rbegin()->ends_with(".hotstitch-tmp")) << *names.rbegin();
    }
    EXPECT_TRUE(folder.names().empty()) << "the folder was made for nothing";
    OutputFile out(folder / "sub/new.sfc");
    out.reserve(1000);
    out.write(bytes_of("tide"));
    Bytes back(2);
    out.read_back(1, back);
    EXPECT_EQ(text_of(back), "id");
    EXPECT_EQ(text_of(*out.written()), "tide");
    EXPECT_FALSE(out.commit().has_value());
    EXPECT_EQ(text_of(contents(folder / "sub/new.sfc")), "tide");
    EXPECT_EQ(folder.names(), (std::set<std::string>{"sub", "sub/new.sfc"}));
}

TEST(OutputFile, ReplacesOnlyWhenAskedAndKeepsABackup) {
    const TemporaryFolder folder;
    const fs::path path = folder.put("game.sfc", "old");
    EXPECT_EQ(code_of([&] { OutputFile(path).commit(); }), ErrorCode::exists);
    EXPECT_EQ(code_of([&] { OutputFile out(folder.path(), {.replace = Replace::keep_backup}); }), ErrorCode::usage);
    EXPECT_EQ(code_of([&] { OutputFile out("/dev/null", {.replace = Replace::keep_backup}); }), ErrorCode::usage);
    {
        OutputFile same(path);
        same.write(bytes_of("old"));
        EXPECT_TRUE(same.stands_already());
        EXPECT_FALSE(same.commit());
    }
    fs::permissions(path, fs::perms::owner_read | fs::perms::owner_exec);
    fs::last_write_time(path, fs::file_time_type::clock::now() - std::chrono::hours(100));
    const auto time = fs::last_write_time(path);

    std::optional<fs::path> backup;
    {
        OutputFile out(path, {.replace = Replace::keep_backup});
        EXPECT_EQ(code_of([&] { OutputFile second(path, {.replace = Replace::keep_backup}); }), ErrorCode::io);
        out.write(bytes_of("new"));
        backup = out.commit();
    }
    ASSERT_TRUE(backup.has_value());
    EXPECT_EQ(text_of(contents(path)), "new");
    EXPECT_EQ(text_of(contents(*backup)), "old");
    EXPECT_EQ(fs::status(path).permissions(), fs::perms::owner_read | fs::perms::owner_exec);
    EXPECT_EQ(fs::last_write_time(path), time);
    EXPECT_EQ(fs::last_write_time(*backup), time);

    EXPECT_NE(OutputFile(path, {.replace = Replace::keep_backup}).commit(), backup);
    EXPECT_FALSE(OutputFile(path, {.replace = Replace::without_backup}).commit());
    EXPECT_EQ(folder.names().size(), 3U);
}

TEST(OutputFile, ASecondFileThatAppearsMeanwhileIsKept) {
    const TemporaryFolder folder;
    OutputFile out(folder / "a");
    out.write(bytes_of("ours"));
    folder.put("a", "theirs");
    EXPECT_EQ(code_of([&] { out.commit(); }), ErrorCode::exists);
    EXPECT_EQ(text_of(contents(folder / "a")), "theirs");
}

TEST(OutputFile, WhatAnotherProgramChangedMeanwhileStays) {
    const TemporaryFolder folder;
    const fs::path path = folder.put("game.sfc", "old");
    const auto read = InputFile(path).stamp();
    for (const Replace replace : {Replace::keep_backup, Replace::without_backup}) {
        folder.put("game.sfc", "old");
        OutputFile out(path, {.replace = replace});
        out.write(bytes_of("ours"));
        fs::remove(path);
        folder.put("game.sfc", "theirs, and longer");
        EXPECT_EQ(code_of([&] { out.commit(); }), ErrorCode::io);
        EXPECT_EQ(text_of(contents(path)), "theirs, and longer");
        EXPECT_EQ(code_of([&] { OutputFile(path, {.replace = replace, .read_as = read}); }), ErrorCode::io);
        EXPECT_EQ(code_of([&] { remove_file(path, *read, false); }), ErrorCode::io);
    }
    fs::remove(path);
    EXPECT_EQ(code_of([&] { OutputFile(path, {.replace = Replace::keep_backup, .read_as = read}); }), ErrorCode::io);
    EXPECT_TRUE(folder.names().empty());
}

TEST(OutputFile, ClearsWhatTheDeadLeftAndNothingElse) {
    const TemporaryFolder folder;
    folder.put(".a.sfc.0123ab.hotstitch-tmp", "left behind");
    for (const char* other :
         {".b.sfc.0123ab.hotstitch-tmp", ".a.sfc.0123ag.hotstitch-tmp", ".a.sfc.0123.hotstitch-tmp", "a.sfc.bak"})
        folder.put(other, "not ours");
    const OutputFile living(folder / "a.sfc");
    EXPECT_EQ(folder.names().size(), 5U);
    EXPECT_EQ(code_of([&] { const OutputFile second(folder / "a.sfc"); }), ErrorCode::io) << "the first still writes";
    EXPECT_EQ(folder.names().size(), 5U);
    const std::pair<const char*, bool> names[] = {
        {"a.sfc.2026-11-23-075141.backup", true},   {"a.sfc.2026-11-23-075141-12.backup", true},
        {"b.sfc.2026-11-23-075141.backup", false},  {"a.sfc.2026-11-23-07514.backup", false},
        {"a.sfc.2026-11-23-075141-.backup", false}, {"a.sfc.backup", false},
        {"a.sfc.2026-11-23-075141x.backup", false}};
    for (const auto& [name, ours] : names) EXPECT_EQ(is_backup_name(name, "a.sfc"), ours) << name;
}

TEST(OutputFile, FollowsLinks) {
    const TemporaryFolder folder;
    folder.put("real/game", "old");
    fs::create_symlink("real/game", folder / "link");
    fs::create_symlink("real/none", folder / "dangling");
    OutputFile out(folder / "link", {Replace::without_backup, {}});
    out.write(bytes_of("new"));
    out.commit();
    OutputFile made(folder / "dangling");
    made.commit();
    EXPECT_TRUE(fs::is_symlink(folder / "link") && fs::is_symlink(folder / "dangling"));
    EXPECT_EQ(text_of(contents(folder / "real/game")), "new");
    EXPECT_TRUE(fs::exists(folder / "real/none"));
}

TEST(OutputFile, IsAsExecutableAsItsModel) {
    const TemporaryFolder folder;
    const fs::path model = folder.put("run.exe", "x");
    fs::permissions(model, fs::perms::owner_all);
    const mode_t before = umask(027);
    OutputFile out(folder / "out.exe", {Replace::never, model});
    out.commit();
    OutputFile plain(folder / "out.txt");
    plain.commit();
    umask(before);
    EXPECT_EQ(static_cast<unsigned>(fs::status(folder / "out.exe").permissions()), 0740U);
    EXPECT_EQ(static_cast<unsigned>(fs::status(folder / "out.txt").permissions()), 0640U);
}

TEST(ScratchFile, LeavesNoName) {
    ScratchFile scratch;
    scratch.write(bytes_of("kelp"));
    EXPECT_EQ(text_of(*scratch.written()), "kelp");
    const TemporaryFolder folder;
    std::FILE* const out = std::fopen((folder / "out").c_str(), "wb");
    scratch.copy_to(fileno(out));
    std::fclose(out);
    EXPECT_EQ(text_of(contents(folder / "out")), "kelp");
}

}  // namespace
}  // namespace hotstitch
