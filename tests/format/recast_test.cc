// SPDX-License-Identifier: MIT
#include "hotstitch/recast.h"

#include <gtest/gtest.h>

#include "hotstitch/error.h"
#include "lib/patch_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

using makers::ips_record;

TEST(Recast, EveryFormatIntoEveryOther) {
    makers::Random random(13);
    for (int round = 0; round < 40; ++round) {
        const Bytes source = makers::file_like(random, 500 + makers::below(random, 500)),
                    target = makers::modified(random, source);
        for (const FormatTraits& from : patch_formats()) {
            const Bytes patch = hotstitch::create(source, target, {.format = from.id});
            for (const FormatTraits& to : patch_formats()) {
                MemorySink out;
                const RecastReport report = recast(MemorySource(patch), MemorySource(source), to.id, out);
                EXPECT_TRUE(report.metadata_kept);
                ASSERT_TRUE(hotstitch::apply_in_memory(out.bytes(), source).target == target)
                    << from.name << " to " << to.name;
            }
        }
    }
}

TEST(Recast, CarriesMetadataOnlyWhereThereIsAPlaceAndRefusesAWrongSource) {
    const std::string source = "The ferry waits.";
    const std::string ips = "PATCH" + ips_record(4, "barge") + "EOF{\"by\":\"nobody\"}";
    MemorySink bps, ups;
    EXPECT_TRUE(
        recast(MemorySource(bytes_of(ips)), MemorySource(bytes_of(source)), PatchFormat::bps, bps).metadata_kept);
    EXPECT_EQ(open_patch(bps.bytes())->facts().metadata, "{\"by\":\"nobody\"}");
    EXPECT_FALSE(
        recast(MemorySource(bytes_of(ips)), MemorySource(bytes_of(source)), PatchFormat::ups, ups).metadata_kept);
    MemorySink none;
    EXPECT_THROW(recast(MemorySource(bps.bytes()), MemorySource(bytes_of("Another file....")), PatchFormat::ips, none),
                 Error);
}

Overlap overlap_of(const std::string& source, const std::string& a, const std::string& b) {
    const auto ranges = [&](const std::string& patch) {
        return written_ranges(*open_patch(bytes_of(patch)), source.size());
    };
    const Bytes made_a = hotstitch::apply_in_memory(bytes_of(a), bytes_of(source)).target,
                made_b = hotstitch::apply_in_memory(bytes_of(b), bytes_of(source)).target;
    return overlap(ranges(a), MemorySource(made_a), ranges(b), MemorySource(made_b), source.size());
}

TEST(Overlap, FindsWhatBothWriteAndWhetherTheyAgree) {
    const std::string source(100, 's');
    const auto ips = [](const std::string& records) { return "PATCH" + records + "EOF"; };
    const auto apart = overlap_of(source, ips(ips_record(0, "aaaa")), ips(ips_record(4, "bbbb")));
    EXPECT_EQ(apart.ranges, 0U);
    EXPECT_FALSE(apart.order_matters());
    const auto agree = overlap_of(source, ips(ips_record(0, "aaaa") + ips_record(50, "xy")),
                                  ips(ips_record(2, "aa") + ips_record(51, "y")));
    EXPECT_EQ(agree.ranges, 2U);
    EXPECT_EQ(agree.bytes, 3U);
    EXPECT_FALSE(agree.order_matters());
    const auto differ = overlap_of(source, ips(ips_record(0, "aaaa") + ips_record(90, "zz")),
                                   ips(ips_record(2, "abb") + ips_record(91, "zq")));
    ASSERT_EQ(differ.ranges, 2U);
    EXPECT_EQ(differ.differing_ranges, 1U);
    EXPECT_EQ(differ.first[0].offset, 2U);
    EXPECT_FALSE(differ.first[0].agree);
    EXPECT_TRUE(differ.first[1].agree);
    const auto sizes = overlap_of(source, ips(ips_record(120, "a")), ips(ips_record(140, "b")));
    EXPECT_TRUE(sizes.sizes_differ && sizes.order_matters());
}

TEST(CliRecastAndOverlap, OnTheCommandLine) {
    const TemporaryFolder folder;
    folder.put("game.sfc", std::string(100, 's'));
    folder.put("a.ips", "PATCH" + ips_record(10, "aaaa") + "EOF");
    folder.put("b.ips", "PATCH" + ips_record(12, "bbbb") + "EOF");
    folder.put("c.ips", "PATCH" + ips_record(50, "cccc") + "EOF");
    const auto run = [&](std::vector<std::string> arguments) { return run_tool(arguments, {.folder = folder.path()}); };
    const ToolResult unsure = run({"recast", "game.sfc", "a.ips", "--format", "bps"});
    EXPECT_EQ(unsure.code, 0) << unsure.err;
    EXPECT_NE(unsure.out.find("carries the mistake on"), std::string::npos);
    const ToolResult sure = run({"recast", "game.sfc", "a.bps", "-o", "again.ups", "--json"});
    EXPECT_EQ(sure.code, 0);
    EXPECT_EQ(sure.json()["answer"], "made");
    EXPECT_EQ(run({"recast", "game.sfc", "a.bps"}).code, 2);
    EXPECT_EQ(run({"recast", "game.sfc", "a.bps", "--format", "ups", "-o", "a.bps", "--replace"}).code, 2);
    EXPECT_EQ(run({"recast", "a.ips", "a.bps", "--format", "ups"}).code, 1);

    const ToolResult conflict = run({"overlap", "game.sfc", "a.ips", "b.ips", "c.ips", "--json"});
    EXPECT_EQ(conflict.code, 1);
    EXPECT_EQ(conflict.json()["pairs"][0]["order_matters"], true);
    EXPECT_EQ(conflict.json()["pairs"][0]["both_write"]["bytes"], 2);
    EXPECT_EQ(conflict.json()["pairs"][1]["answer"], "apart");
    EXPECT_EQ(run({"overlap", "game.sfc", "a.ips", "c.ips"}).code, 0);
    EXPECT_EQ(run({"overlap", "game.sfc", "a.ips"}).code, 2);
}

}  // namespace
}  // namespace hotstitch
