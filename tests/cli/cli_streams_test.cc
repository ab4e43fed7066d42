// SPDX-License-Identifier: MIT
// Streams that fail, signals, inputs without an end, names that would take over a terminal: nothing aborts, nothing is
// left behind.
#include <fcntl.h>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <cstdlib>
#include <thread>

#include "data_files.h"
#include "disc.h"
#include "executables.h"
#include "hotstitch/create.h"
#include "hotstitch/text.h"
#include "kelp_harbour.h"
#include "lib/patch_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace {

namespace fs = std::filesystem;
using namespace std::chrono_literals;

class CliStreams : public testing::Test {
protected:
    CliStreams() {
        folder.put("kelp.sfc", source);
        folder.put("night.bps", hotstitch::create(source, target));
    }
    ToolResult run(std::vector<std::string> arguments, std::string input = {}) const {
        return run_tool(arguments, {.folder = folder.path(), .input = std::move(input)});
    }
    /// By a shell, `$tool` being the binary. Returns the exit status.
    int shell(const std::string& call) const {
        const std::string line =
            fmt::format("cd '{}' && tool='{}'; {}", folder.path().string(), std::getenv("HOTSTITCH_TOOL"), call);
        const int status = std::system(("bash -c '" + escaped(line) + "' >/dev/null 2>&1").c_str());
        return WIFEXITED(status) ? WEXITSTATUS(status) : 1000 + WTERMSIG(status);
    }
    /// Starts the tool, sends the signal after a while and returns its exit status and the seconds it took to obey.
    std::pair<int, double> stopped(std::vector<std::string> arguments, int signal,
                                   std::chrono::milliseconds after) const {
        const std::string tool = std::getenv("HOTSTITCH_TOOL");
        const pid_t child = fork();
        if (child == 0) {
            if (chdir(folder.path().c_str()) != 0) _exit(126);
            std::vector<char*> argv{const_cast<char*>(tool.c_str())};
            for (std::string& argument : arguments) argv.push_back(argument.data());
            argv.push_back(nullptr);
            execv(tool.c_str(), argv.data());
            _exit(127);
        }
        std::this_thread::sleep_for(after);
        kill(child, signal);
        const auto began = std::chrono::steady_clock::now();
        int status = 0;
        waitpid(child, &status, 0);
        const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
        return {WIFEXITED(status) ? WEXITSTATUS(status) : 1000 + WTERMSIG(status), seconds};
    }

    const TemporaryFolder folder;
    const hotstitch::Bytes source = demo::kelp_harbour(1), target = demo::night_tides(source);

private:
    static std::string escaped(const std::string& text) {
        std::string out;
        for (const char c : text) out += c == '\'' ? std::string("'\\''") : std::string(1, c);
        return out;
    }
};

TEST_F(CliStreams, ThatFailAreAnErrorAndNoAbort) {
    // The status of the tool itself, whatever stands behind the pipe, which has to be gone by then.
    for (const auto& [wait, sink] : {std::pair("0", ">&-"), {"0", "> /dev/full"}, {"0.3", "| true"}})
        for (const char* call : {"describe kelp.sfc", "fields kelp.sfc header --csv", "describe kelp.sfc --json",
                                 "--help", "apply kelp.sfc night.bps -o -"})
            EXPECT_EQ(shell(fmt::format("(sleep {}; exec $tool {}) {}; exit ${{PIPESTATUS[0]}}", wait, call, sink)), 4)
                << call << sink;
    for (const char* sink : {"2>&-", "2> /dev/full", "2> >(true)"}) {
        EXPECT_EQ(shell(fmt::format("$tool describe none {}", sink)), 4) << sink;
        EXPECT_EQ(shell(fmt::format("$tool verify night.bps none {}", sink)), 4) << sink;
        EXPECT_EQ(shell(fmt::format("$tool apply kelp.sfc night.bps -o made.sfc --progress json {}", sink)), 0)
            << "nobody reads the progress: " << sink;
        EXPECT_TRUE(contents(folder / "made.sfc") == target) << sink;
        fs::remove(folder / "made.sfc");
    }
    // A closed stream must not lend its number to a file that is then written into.
    EXPECT_EQ(shell("$tool apply kelp.sfc night.bps -o made.sfc --replace >&- 2>&- <&-"), 4);
    EXPECT_TRUE(contents(folder / "made.sfc") == target);
}

TEST_F(CliStreams, FileSizeLimitsAreErrorsOfTheWrite) {
    const auto before = folder.names();
    for (const std::uint64_t limit : {1000U, 100'000U})
        EXPECT_EQ(run_tool({"apply", "kelp.sfc", "night.bps", "-o", "made.sfc"},
                           {.folder = folder.path(), .file_size_limit = limit})
                      .code,
                  4);
    EXPECT_EQ(folder.names(), before);
}

TEST_F(CliStreams, HangingUpCleansUp) {
    // A named pipe that nobody opens for writing, before anything is made and while the source is awaited.
    ASSERT_EQ(mkfifo((folder / "pipe").c_str(), 0600), 0);
    const auto before = folder.names();
    for (const auto& [signal, code] : {std::pair{SIGHUP, 129}, {SIGINT, 130}, {SIGTERM, 143}}) {
        EXPECT_EQ(stopped({"apply", "pipe", "night.bps", "-o", "new/sub/made.sfc", "-q"}, signal, 300ms).first, code);
        EXPECT_EQ(stopped({"apply", "kelp.sfc", "pipe", "-o", "made.sfc", "-q"}, signal, 300ms).first, code);
        EXPECT_EQ(folder.names(), before);
    }
}

TEST_F(CliStreams, StoppingIsObeyedWhileSectionsAreCompressed) {
    makers::Random random(5);
    hotstitch::Bytes words(24 << 20);
    for (std::byte& b : words) b = static_cast<std::byte>('a' + makers::below(random, 20));
    folder.put("large", words);
    const auto before = folder.names();
    const auto [code, seconds] = stopped({"create", "kelp.sfc", "large", "-o", "p.xdelta", "-q"}, SIGINT, 2500ms);
    EXPECT_EQ(code, 130);
    EXPECT_LT(seconds, 5) << "a section takes longer than that";
    EXPECT_EQ(folder.names(), before);
}

TEST_F(CliStreams, InputsWithoutAnEndAreGivenUp) {
    EXPECT_EQ(shell("cat /dev/zero | $tool apply - night.bps -o made.sfc; exit ${PIPESTATUS[1]}"), 3);
    EXPECT_FALSE(fs::exists(folder / "made.sfc"));
    // A patch or a list shows much earlier that it is none.
    const std::pair<std::vector<std::string>, const char*> rows[] = {
        {{"apply", "kelp.sfc", "/dev/zero"}, "268,435,456 bytes"},
        {{"fields", "kelp.sfc", "--map", "/dev/zero"}, "16,777,216 bytes"},
        {{"describe", "kelp.sfc", "--known", "/dev/zero"}, "67,108,864 bytes"},
        {{"describe", "kelp.sfc", "--keys", "/dev/zero"}, "1,048,576 bytes"}};
    for (const auto& [call, most] : rows) {
        const ToolResult result = run(call);
        EXPECT_EQ(result.code, 3) << result.err;
        EXPECT_NE(result.err.find(most), std::string::npos) << result.err;
    }
}

TEST_F(CliStreams, NothingThatATerminalObeysIsPrinted) {
    const std::string evil =
        "\x1b]0;owned\x07\xC2\x9B"
        "31m\xE2\x80\xAE.sfc";
    fs::create_symlink(evil, folder / evil);  // a link in a circle, so that the system speaks of it
    folder.put("shelf/" + evil + ".bin", "x");
    for (const std::vector<std::string>& call : {std::vector<std::string>{"describe", evil},
                                                 {"apply", evil, "night.bps"},
                                                 {"undo", evil},
                                                 {"verify", "night.bps", evil},
                                                 {"verify", "night.bps", "shelf"},
                                                 {"apply", "kelp.sfc", "night.bps", "-o", evil},
                                                 {"mend", evil},
                                                 {"renew", evil, "night.bps"},
                                                 {"describe", "shelf/" + evil + ".bin"}}) {
        for (const bool json : {false, true}) {
            auto words = call;
            if (json) words.push_back("--json");
            const ToolResult result = run(words);
            for (const std::string& text : {result.out, result.err}) {
                EXPECT_EQ(text.find('\x1b'), std::string::npos) << call[0];
                EXPECT_EQ(text.find("\xC2\x9B"), std::string::npos) << call[0];
                EXPECT_EQ(text.find("\xE2\x80\xAE"), std::string::npos) << call[0];
            }
            if (json) {
                EXPECT_NO_THROW(result.json()) << call[0];
            }
            EXPECT_LT(result.code, 5) << call[0];
        }
    }
    // As \u in JSON, so that it reads back as the same name.
    EXPECT_EQ(run({"describe", "shelf/" + evil + ".bin", "--json"}).json()["files"][0]["path"],
              "shelf/" + evil + ".bin");
}

TEST_F(CliStreams, OneBadLinkEndsNoSearch) {
    folder.put("shelf/deep/kelp.sfc", source);
    fs::create_symlink("circle", folder / "shelf/circle");
    fs::create_symlink("../..", folder / "shelf/deep/up");
    fs::create_symlink("nowhere", folder / "shelf/nowhere");
    ASSERT_EQ(mkfifo((folder / "shelf/pipe").c_str(), 0600), 0);
    EXPECT_EQ(run({"verify", "night.bps", "shelf", "--json"}).json()["answer"], "fits");
    fs::create_symlink("circle.bps", folder / "circle.bps");
    EXPECT_EQ(run({"apply", "night.bps", "kelp.sfc", "-o", "made.sfc"}).code, 0);
}

TEST_F(CliStreams, PrintedCommandsGoThroughAShell) {
    const std::string name = "it's $HOME; a \"file\".dat";
    folder.put(name, "The ferry\1");
    folder.put("-mod.ips", "PATCH" + makers::ips_record(4, "barge") + "EOF");
    const ToolResult made = run({"apply", "--", name, "-mod.ips"});
    ASSERT_EQ(made.code, 0) << made.err;
    const std::size_t begin = made.out.find("hotstitch apply --in-place");
    ASSERT_NE(begin, std::string::npos) << made.out;
    const std::string call = made.out.substr(begin, made.out.find('\n', begin) - begin);
    EXPECT_EQ(shell("hotstitch() { $tool \"$@\"; }; " + call), 0) << call;
    EXPECT_EQ(hotstitch::text_of(contents(folder / name)), "The barge\1");
}

TEST_F(CliStreams, NextStepsAreCallsThatWork) {
    folder.put("-d:1.iso", demo::disc(demo::kelp_harbour_files(1)));
    folder.put("-d:1.zip.iso", contents(folder / "-d:1.iso"));
    folder.put("kelp.dat", demo::harbour_data(false)), folder.put("k.map.toml", demo::map_of(false));
    folder.put("kelp.tbl", demo::letters());
    folder.put("it's.exe", demo::pe());
    const std::vector<std::vector<std::string>> calls = {
        {"describe", "./-d:1.iso"},
        {"parts", "./-d:1.iso"},
        {"parts", "-d:1.zip.iso"},
        {"fields", "kelp.dat", "--map", "k.map.toml"},
        {"describe", "it's.exe"},
        {"mend", "it's.exe"},
        {"describe", "kelp.sfc"},
        {"apply", "kelp.sfc", "night.bps", "-o", "night.sfc"},
        {"mend", "kelp.sfc", "title=NIGHT", "--in-place"},
    };
    int tried = 0;
    for (std::vector<std::string> call : calls) {
        if (call.back() == "-d:1.zip.iso") call.insert(call.begin() + 1, "--");
        const ToolResult result = run(call);
        EXPECT_EQ(result.code, 0) << call[0] << call[1] << result.err;
        std::istringstream lines(result.out);
        for (std::string line; std::getline(lines, line);) {
            const std::size_t begin = line.find("hotstitch ");
            if (begin == std::string::npos || !line.starts_with("      ")) continue;
            ++tried;
            EXPECT_EQ(shell("hotstitch() { $tool \"$@\"; }; " + line.substr(begin)), 0) << line;
        }
    }
    EXPECT_GE(tried, 4);
}

TEST_F(CliStreams, NamesAreSettledBeforeAnythingIsMade) {
    const auto before = folder.names();
    // A receipt takes 13 bytes more than its output, a backup up to 29.
    for (const std::size_t length : {230U, 242U, 243U, 255U, 256U}) {
        const std::string name(length, 'n');
        const int code = run({"apply", "kelp.sfc", "night.bps", "-o", name}).code;
        EXPECT_EQ(code, length <= 242 ? 0 : 2) << length;
        EXPECT_EQ(fs::exists(folder / name.substr(0, 255)) && length <= 255, code == 0) << length;
        for (const std::string& made : folder.names())
            if (!before.contains(made)) fs::remove(folder / made);
    }
    const std::string name(250, 'n');
    folder.put(name, source);
    const auto with = folder.names();
    for (const char* more : {"--no-backup", "--no-receipt"}) {
        EXPECT_EQ(run({"apply", name, "night.bps", "--in-place", more}).code, 2) << more;
        EXPECT_TRUE(contents(folder / name) == source);
        EXPECT_EQ(folder.names(), with);
    }
    EXPECT_EQ(run({"apply", name, "night.bps", "--in-place", "--no-backup", "--no-receipt"}).code, 0);
}

}  // namespace
