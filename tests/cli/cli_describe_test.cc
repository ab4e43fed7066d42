// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include "hotstitch/digest.h"
#include "kelp_harbour.h"
#include "lib/patch_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace {

using makers::ips_record;
using namespace std::string_literals;

TEST(CliDescribe, TellsKindsByContentAndEndsWithTheWorst) {
    const TemporaryFolder folder;
    const std::pair<std::string, const char*> kinds[] = {{"PATCHEOF", "patch"},
                                                         {"IPS32EEOF", "patch"},
                                                         {"PK\5\6" + std::string(18, '\0'), "archive"},
                                                         {"\x7F"
                                                          "ELF",
                                                          "executable"},
                                                         {"MZ", "executable"},
                                                         {" <HTML><body>", "web-page"},
                                                         {"plain words\n", "text"},
                                                         {"a patch of words\n", "text"},
                                                         {"KELPDIFF7\x1\x2"s, "other-patch"},
                                                         {"\0\1\2"s, "data"}};
    std::vector<std::string> call{"describe", "--json"};
    for (std::size_t i = 0; i < std::size(kinds); ++i)
        call.push_back(folder.put(std::to_string(i) + ".ips", kinds[i].first));
    const ToolResult result = run_tool(call);
    EXPECT_EQ(result.code, 0) << result.out;
    for (std::size_t i = 0; i < std::size(kinds); ++i) EXPECT_EQ(result.json()["files"][i]["kind"], kinds[i].second);
    call.push_back(folder.put("empty", ""));
    call.push_back(folder.put("damaged.ips", "PATCH\1"));
    EXPECT_EQ(run_tool(call).code, 3);
    call.push_back(folder / "missing");
    EXPECT_EQ(run_tool(call).code, 4);
}

TEST(CliDescribe, TellsDigestsAndWhatAPatchTouches) {
    const TemporaryFolder folder;
    const auto rom = demo::kelp_harbour(1);
    const ToolResult file = run_tool({"describe", folder.put("k.sfc", rom), "--json"});
    const auto wanted = hotstitch::digest(hotstitch::MemorySource(rom), {true, true, true, false});
    EXPECT_EQ(file.json()["files"][0]["crc32"], wanted.crc32->hex());
    EXPECT_EQ(file.json()["files"][0]["sha1"], hotstitch::hex(wanted.sha1->bytes));

    const std::string patch =
        "PATCH" + ips_record(16, "XY") + makers::ips_run(18, 5, 'z') + ips_record(0x100, "!") + "EOF\0\1\0"s;
    const ToolResult result = run_tool({"describe", folder.put("p.bin", patch)});
    for (const char* text : {"IPS, 3 records", "0x000010 to 0x000016  (7 bytes)", "7 bytes in 1 place", "cuts to",
                             "256 bytes", "Not checked: which source it needs"})
        EXPECT_NE(result.out.find(text), std::string::npos) << text << "\n" << result.out;
}

TEST(CliDescribe, ShowsHostileTextHarmlessly) {
    const TemporaryFolder folder;
    const std::string patch =
        "PATCHEOF{\"title\":\"Tides \xE2\x80\xAE"
        "evil\xC2\x9B"
        "31m\",\"ok\":\"K\xC3\xA4lp\"}\n\n";
    folder.put("\x1b[2Jbad\xFF.ips", patch);
    const ToolResult result = run_tool({"describe", "\x1b[2Jbad\xFF.ips"}, {.folder = folder.path()});
    EXPECT_EQ(result.code, 0);
    EXPECT_EQ(result.out.find('\x1b'), std::string::npos);
    for (const char* text : {"\\u202eevil\\x9b31m", "K\xC3\xA4lp", "\\x1b[2Jbad\\xff.ips"})
        EXPECT_NE(result.out.find(text), std::string::npos) << text << "\n" << result.out;
    const ToolResult json = run_tool({"describe", "\x1b[2Jbad\xFF.ips", "--json"}, {.folder = folder.path()});
    EXPECT_EQ(json.json()["files"][0]["path"], "\x1b[2Jbad\xEF\x9F\xBF.ips");
}

TEST(CliCommon, HelpVersionAndWrongCalls) {
    EXPECT_EQ(run_tool({"--help"}).code, 0);
    EXPECT_NE(run_tool({"--version"}).out.find("hotstitch 0."), std::string::npos);
    for (const char* command :
         {"describe", "apply", "create", "verify", "recast", "overlap", "undo", "renew", "mend", "header"}) {
        const ToolResult help = run_tool({command, "--help"});
        EXPECT_EQ(help.code, 0);
        EXPECT_NE(help.out.find("--json"), std::string::npos) << command;
        const ToolResult wrong = run_tool({command, "--no-such-option"});
        EXPECT_EQ(wrong.code, 2) << command;
        EXPECT_NE(wrong.err.find(std::string("see hotstitch ") + command + " --help"), std::string::npos) << wrong.err;
        EXPECT_EQ(run_tool({command, "--json"}).json()["answer"], "usage");
    }
    EXPECT_EQ(run_tool({}).code, 2);
    EXPECT_EQ(run_tool({"apply", "a", "b", "--limit-output", "lots"}).code, 2);
}

}  // namespace
