// SPDX-License-Identifier: MIT
// Each way of going wrong: its own message, its exit code, nothing written, nothing lost.
#include <gtest/gtest.h>
#include <unistd.h>

#include "hotstitch/apply.h"
#include "hotstitch/error.h"
#include "lib/patch_makers.h"
#include "lib/reference.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace {

namespace fs = std::filesystem;
using makers::big_endian, makers::ips_record, makers::ips_run;

struct Bad {
    const char* name;
    std::vector<std::string> call;
    int code;
    const char* says;
    friend void PrintTo(const Bad& row, std::ostream* out) { *out << row.name; }
};

class CliBadInput : public testing::TestWithParam<Bad> {};

TEST_P(CliBadInput, HasItsMessageAndLosesNothing) {
    const TemporaryFolder folder;
    folder.put("game.sfc", "The ferry waits.\1");
    folder.put("empty", "");
    folder.put("good.ips", "PATCH" + ips_record(4, "barge") + "EOF");
    folder.put("cut.ips", "PATCH" + ips_record(4, "barge"));
    folder.put("page.ips", "<!doctype html><title>download</title>");
    folder.put("zipped.ips", "PK\3\4 something");
    folder.put("huge.ips", "IPS32" + ips_run(0xFFFFFF00, 9, 'x', 4) + "EEOF");
    fs::create_directory(folder / "folder");
    const auto before = folder.names();
    const ToolResult result = run_tool(GetParam().call, {.folder = folder.path()});
    EXPECT_EQ(result.code, GetParam().code) << result.out << result.err;
    EXPECT_NE(result.err.find(GetParam().says), std::string::npos) << result.err;
    EXPECT_TRUE(result.out.empty()) << result.out;
    EXPECT_EQ(folder.names(), before);
    EXPECT_EQ(hotstitch::text_of(contents(folder / "game.sfc")), "The ferry waits.\1");
}

INSTANTIATE_TEST_SUITE_P(
    Table, CliBadInput,
    testing::ValuesIn(std::vector<Bad>{
        {"missing source", {"apply", "none.sfc", "good.ips"}, 4, "cannot open none.sfc: No such file"},
        {"missing patch", {"apply", "game.sfc", "none.ips"}, 4, "cannot open none.ips: No such file"},
        {"folder without a game",
         {"apply", "folder", "good.ips"},
         1,
         "no file in folder is the one that good.ips is for"},
        {"folder without a patch", {"apply", "game.sfc", "folder"}, 3, "there is no patch in folder"},
        {"empty patch file", {"apply", "game.sfc", "empty"}, 3, "not a patch but an empty file"},
        {"a web page", {"apply", "game.sfc", "page.ips"}, 3, "not a patch but a web page"},
        {"a zip that is none", {"apply", "game.sfc", "zipped.ips"}, 3, "the archive cannot be read"},
        {"no patch at all", {"apply", "game.sfc", "game.sfc"}, 2, "the same file"},
        {"cut short", {"apply", "game.sfc", "cut.ips"}, 3, "without its end marker"},
        {"too large", {"apply", "game.sfc", "huge.ips", "--allow", "source"}, 3, "larger output than is allowed"},
        {"limit lowered", {"apply", "game.sfc", "good.ips", "--limit-output", "5"}, 3, "at most 5 bytes"},
        {"output is a folder's child of a file", {"apply", "game.sfc", "good.ips", "-o", "game.sfc/x"}, 4, "game.sfc"},
        {"output is the source",
         {"apply", "game.sfc", "good.ips", "-o", "./folder/../game.sfc"},
         2,
         "one of the inputs"},
        {"two outputs", {"apply", "game.sfc", "good.ips", "-o", "x", "--in-place"}, 2, "contradict"},
        {"an unknown effort", {"create", "game.sfc", "good.ips", "--effort", "fast"}, 2, "quick, normal, best"},
        {"an unknown action", {"header", "peel", "game.sfc"}, 2, "show, strip, attach"},
        {"a bad expectation", {"apply", "game.sfc", "good.ips", "--expect", "sha1:12"}, 2, "40 hexadecimal digits"},
    }),
    makers::row_name);

TEST(CliBadDisk, AFullDiskIsAnErrorAndLeavesNothing) {
    const TemporaryFolder folder;
    folder.put("game.sfc", std::string(1 << 20, '\1'));
    folder.put("good.ips", "PATCH" + ips_record(4, "barge") + "EOF");
    const auto before = folder.names();
    const ToolResult result =
        run_tool({"apply", "game.sfc", "good.ips"}, {.folder = folder.path(), .file_size_limit = 1 << 19});
    EXPECT_EQ(result.code, 4) << result.err;
    EXPECT_NE(result.err.find("limit"), std::string::npos) << result.err;
    EXPECT_EQ(folder.names(), before);
    if (fs::exists("/dev/full")) {
        const std::string tool = std::getenv("HOTSTITCH_TOOL");
        const std::string call =
            "cd '" + folder.path().string() + "' && " + tool + " apply game.sfc good.ips -o - > /dev/full 2>/dev/null";
        EXPECT_EQ(WEXITSTATUS(std::system(call.c_str())), 4);
    }
}

TEST(CliBadDisk, UnreadableAndUnwritablePlacesHaveTheirOwnWords) {
    const TemporaryFolder folder;
    folder.put("game.sfc", "The ferry waits.\1");
    folder.put("secret.sfc", "The ferry waits.");
    folder.put("good.ips", "PATCH" + ips_record(4, "barge") + "EOF");
    fs::create_directory(folder / "closed");
    fs::permissions(folder / "closed", fs::perms::owner_read | fs::perms::owner_exec | fs::perms::others_exec);
    fs::permissions(folder / "secret.sfc", fs::perms::none);
    const ToolOptions as_nobody{.folder = folder.path(), .unprivileged = true};
    const ToolResult unwritable = run_tool({"apply", "game.sfc", "good.ips", "-o", "closed/x"}, as_nobody);
    EXPECT_EQ(unwritable.code, 4);
    EXPECT_NE(unwritable.err.find("cannot write in the folder"), std::string::npos) << unwritable.err;
    const ToolResult unreadable = run_tool({"apply", "secret.sfc", "good.ips", "-o", "-"}, as_nobody);
    EXPECT_EQ(unreadable.code, 4);
    EXPECT_NE(unreadable.err.find("cannot open secret.sfc: Permission denied"), std::string::npos) << unreadable.err;
}

TEST(CliDamagedPatches, FiveHundredThroughTheBinary) {
    const TemporaryFolder folder;
    makers::Random random(7);
    hotstitch::Bytes other = makers::random_ips(random);
    int refused = 0;
    for (int round = 0; refused < 500; ++round) {
        const hotstitch::Bytes source = makers::file_like(random, 300);
        const hotstitch::Bytes patch = makers::random_ips(random);
        const hotstitch::Bytes bad = makers::damaged(random, patch, other);
        other = patch;
        try {
            hotstitch::apply_in_memory(bad, source);
            continue;  // what the reader accepts is compared with the reference elsewhere
        } catch (const hotstitch::Error&) {
            ++refused;
        }
        folder.put("game.sfc", source);
        folder.put("bad.ips", bad);
        const ToolResult result =
            run_tool({"apply", "game.sfc", "bad.ips", "-o", "out.sfc"}, {.folder = folder.path()});
        ASSERT_TRUE(result.code == 1 || result.code == 3) << result.code << result.err;
        ASSERT_TRUE(result.err.starts_with("Stopped: ")) << result.err;
        ASSERT_EQ(folder.names(), (std::set<std::string>{"bad.ips", "game.sfc"}));
        ASSERT_LT(result.seconds, 10) << "a hang, not a slow machine";
    }
}

}  // namespace
