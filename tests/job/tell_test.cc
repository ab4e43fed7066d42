// SPDX-License-Identifier: MIT
// What the library tells a front end that brings nothing but a window: facts, verdicts and documents, without the tool.
#include "hotstitch/tell.h"

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "cartridges.h"
#include "executables.h"
#include "hotstitch/create.h"
#include "kelp_harbour.h"
#include "lib/patch_makers.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

using nlohmann::ordered_json;
using tell::ExitCode, tell::JsonValue, tell::Mood, tell::Report;

/// What a report says under this key: of the first fact that has a label, its text.
std::string told(const Report& report, std::string_view key) {
    for (const tell::Fact& fact : report.facts())
        if (fact.key == key && !fact.label.empty()) return fact.text;
    return {};
}

TEST(Tell, ValuesAreJson) {
    EXPECT_EQ(JsonValue(nullptr).text(), "null");
    EXPECT_EQ(JsonValue(true).text(), "true");
    EXPECT_EQ(JsonValue(std::uint64_t{1} << 63).text(), "9223372036854775808");
    EXPECT_EQ(JsonValue(-7).text(), "-7");
    EXPECT_EQ(JsonValue(0.5).text(), "0.5");
    EXPECT_EQ(JsonValue("Kelp \"Harbour\"\n").text(), "\"Kelp \\\"Harbour\\\"\\n\"");
    EXPECT_EQ(ordered_json::parse(JsonValue("\xFF").text()), "\xEF\xBF\xBD") << "never text that is not UTF-8";
    EXPECT_EQ(JsonValue(ordered_json{{"a", {1, 2}}}).text(), "{\"a\":[1,2]}");
}

TEST(Tell, DocumentsAreLaidOutAsTheLibraryWould) {
    const ordered_json values[] = {nullptr,
                                   true,
                                   -3,
                                   0.25,
                                   "plain",
                                   "{\"not\": [a, list]} \\ \" \n,:",
                                   ordered_json::array(),
                                   ordered_json::object(),
                                   {1, {2, {3, ordered_json::array()}}},
                                   {{"a", ordered_json::object()}, {"b", {{"c", "x: y, [z]"}, {"d", {1, 2, 3}}}}}};
    Report report("kelp");
    report.good("done", "All is \"well\", \\ and {so on}.");
    int number = 0;
    for (const ordered_json& value : values) report.detail("key " + std::to_string(number++), JsonValue(value));
    report.detail("key 0", JsonValue(7));  // the last one counts, in the first one's place
    report.warn("a warning");
    Report inner("kelp");
    inner.unsure("perhaps", "Nobody knows.", ExitCode::no);
    report.part("files", inner);
    const std::string text = tell::json_text(report);
    const ordered_json document = ordered_json::parse(text);
    EXPECT_EQ(text, document.dump(2) + "\n");
    EXPECT_EQ(document["key 0"], 7);
    for (int i = 1; i < number; ++i) EXPECT_EQ(document["key " + std::to_string(i)], values[i]);
    EXPECT_EQ(document["files"][0]["answer"], "perhaps");
    EXPECT_EQ(JsonValue::from_text("[1,2]").text(), "[1,2]");
}

TEST(Tell, FilesAreDescribedOneByOne) {
    const TemporaryFolder folder;
    const Bytes rom = demo::kelp_harbour(1);
    const struct {
        const char* name;
        Bytes content;
        ExitCode code;
        const char *answer, *key, *text;
    } rows[] = {
        {"kelp.sfc", rom, ExitCode::yes, "cartridge", "region", "Europe"},
        {"kelp.gb", demo::game_boy_kelp(), ExitCode::yes, "cartridge", "platform_title", "Game Boy"},
        {"kelp.exe", demo::pe({.certificates = 0x108}), ExitCode::yes, "executable", "machine", "32-bit x86"},
        {"kelp.elf", demo::elf({.is_64_bit = false, .big_endian = true, .machine = 20}), ExitCode::yes, "executable",
         "class", "32-bit, big-endian"},
        {"kelp.dol", demo::dol(), ExitCode::yes, "executable", "entry", "0x80003104, in text 0"},
        {"kelp.ps-x", demo::ps_x(), ExitCode::yes, "executable", "region", "Europe"},
        {"packed.exe", demo::packed_pe(), ExitCode::yes, "executable", "format", ""},
        {"night.bps", create(rom, demo::night_tides(rom)), ExitCode::yes, "patch", "size", "5.32 KiB"},
        {"none.bin", {}, ExitCode::bad_input, "empty", "size", "0 bytes"},
        {"cut.ips",
         {std::byte{'P'}, std::byte{'A'}, std::byte{'T'}, std::byte{'C'}, std::byte{'H'}, std::byte{1}},
         ExitCode::bad_input,
         "truncated",
         "field",
         ""},
    };
    tell::DescribeRequest request;
    for (const auto& row : rows) request.files.push_back(folder.put(row.name, row.content).string());
    request.files.push_back((folder / "gone").string());
    Report report("describe");
    tell::describe(request, report);
    ASSERT_EQ(report.parts().size(), std::size(rows) + 1);
    for (std::size_t i = 0; i < std::size(rows); ++i) {
        const Report& part = report.parts()[i];
        EXPECT_EQ(part.exit_code(), rows[i].code) << rows[i].name << ": " << part.sentence();
        EXPECT_EQ(part.answer(), rows[i].answer) << rows[i].name;
        EXPECT_NE(told(part, rows[i].key).find(rows[i].text), std::string::npos)
            << rows[i].name << ": " << told(part, rows[i].key);
    }
    EXPECT_EQ(report.parts()[6].mood(), Mood::unsure) << "it looks packed";
    EXPECT_EQ(report.exit_code(), ExitCode::system) << "the worst of all";
    const auto document = ordered_json::parse(tell::json_text(report));
    EXPECT_EQ(document["schema"]["name"], "hotstitch/describe");
    EXPECT_EQ(document["files"].size(), std::size(rows) + 1);
    EXPECT_EQ(document["files"][2]["segments"][0]["name"], ".text");
    EXPECT_EQ(document["files"][2]["checks"][0]["state"], "right");
    EXPECT_TRUE(document["files"][6]["looks_packed"]);
}

TEST(Tell, ErrorsAreAnswers) {
    const struct {
        ErrorCode code;
        ExitCode exit;
        const char* answer;
    } rows[] = {{ErrorCode::usage, ExitCode::wrong_call, "usage"},
                {ErrorCode::io, ExitCode::system, "io"},
                {ErrorCode::damaged, ExitCode::bad_input, "damaged"},
                {ErrorCode::wrong_source, ExitCode::no, "wrong-source"},
                {ErrorCode::refused, ExitCode::no, "refused"},
                {ErrorCode::exists, ExitCode::wrong_call, "exists"},
                {ErrorCode::cancelled, ExitCode::interrupted, "cancelled"}};
    for (const auto& row : rows) {
        Report report("apply");
        report.conclude(Error(row.code, "the tide is out").at(7).in("depth").wanted("42").found("38").hint("wait"),
                        " Nothing was written.");
        EXPECT_EQ(report.answer(), row.answer);
        EXPECT_EQ(report.exit_code(), row.exit);
        EXPECT_EQ(report.sentence(), "Stopped: the tide is out. Nothing was written.");
        const auto document = ordered_json::parse(tell::json_text(report));
        EXPECT_EQ(document["offset"], 7);
        EXPECT_EQ(document["wanted"], "42");
        EXPECT_EQ(document["made"], false);
        EXPECT_EQ(report.next().front().text, "wait");
    }
    Report quiet("mend");
    quiet.conclude(Error(ErrorCode::usage, "no place").as(ErrorId::no_place_named).hint("wait"), "",
                   "name one with -o");
    EXPECT_EQ(quiet.next().front().text, "name one with -o") << "a front end's own advice";
    EXPECT_EQ(ordered_json::parse(tell::json_text(quiet))["error_id"], "no-place-named");
}

TEST(Tell, EveryDocumentHasASchema) {
    const auto schemas = ordered_json::parse(tell::json_schemas().text());
    EXPECT_EQ(schemas["version"], tell::schema_version);
    for (const std::string_view command : tell::command_names)
        EXPECT_TRUE(schemas["schemas"].contains("hotstitch/" + std::string(command))) << command;
}

}  // namespace
}  // namespace hotstitch
