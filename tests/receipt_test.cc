// SPDX-License-Identifier: MIT
// Receipts, and the ways back and forward that they open.
#include "hotstitch/receipt.h"

#include <gtest/gtest.h>

#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "kelp_harbour.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

namespace fs = std::filesystem;

class Receipts : public testing::Test {
protected:
    Receipts() {
        folder.put("kelp.sfc", source);
        folder.put("v1.bps", hotstitch::create(source, target));
        folder.put("v2.bps", hotstitch::create(source, newer));
        folder.put("v1.ups", hotstitch::create(source, target, {.format = PatchFormat::ups}));
        start = folder.names();
    }
    ToolResult run(std::vector<std::string> arguments) const { return run_tool(arguments, {.folder = folder.path()}); }
    bool holds(const char* name, const Bytes& bytes) const { return contents(folder / name) == bytes; }

    TemporaryFolder folder;
    std::set<std::string> start;
    const Bytes source = demo::kelp_harbour(1), target = demo::night_tides(source), newer = demo::fog_signals(target);
};

TEST_F(Receipts, SayWhatWasMadeOfWhat) {
    ASSERT_EQ(run({"apply", "kelp.sfc", "v1.bps", "-o", "out/night.sfc"}).code, 0);
    const Receipt receipt = receipt_from_json(text_of(contents(folder / "out/night.sfc.receipt.json")));
    EXPECT_EQ(receipt.source.path, "../kelp.sfc");
    EXPECT_EQ(receipt.source.digests.crc32, crc32(source));
    EXPECT_TRUE(receipt.source.digests.sha256.has_value());
    EXPECT_EQ(receipt.target.path, "night.sfc");
    EXPECT_EQ(receipt.target.digests.crc32, crc32(target));
    ASSERT_EQ(receipt.patches.size(), 1U);
    EXPECT_EQ(receipt.patches[0].path, "../v1.bps");
    EXPECT_FALSE(receipt.in_place);
    EXPECT_EQ(receipt_to_json(receipt_from_json(receipt_to_json(receipt))), receipt_to_json(receipt));
    EXPECT_EQ(run({"verify", "--receipt", "out/night.sfc"}).code, 0);
    folder.put("out/night.sfc", source);
    const ToolResult restored = run({"verify", "--receipt", "out/night.sfc", "--json"});
    EXPECT_EQ(restored.code, 1);
    EXPECT_EQ(restored.json()["is_source"], true);
    EXPECT_EQ(run({"apply", "kelp.sfc", "v1.bps", "-o", "bare.sfc", "--no-receipt"}).code, 0);
    EXPECT_FALSE(fs::exists(folder / "bare.sfc.receipt.json"));
}

TEST_F(Receipts, UndoRemovesAnOutputBesideItsSource) {
    ASSERT_EQ(run({"apply", "kelp.sfc", "v1.bps", "-o", "night.sfc"}).code, 0);
    EXPECT_EQ(run({"undo", "night.sfc"}).code, 0);
    EXPECT_EQ(folder.names(), start);
    EXPECT_TRUE(holds("kelp.sfc", source));
}

TEST_F(Receipts, UndoPutsTheBackupBack) {
    ASSERT_EQ(run({"apply", "kelp.sfc", "v1.bps", "--in-place"}).code, 0);
    EXPECT_TRUE(holds("kelp.sfc", target));
    const ToolResult undone = run({"undo", "kelp.sfc"});
    EXPECT_EQ(undone.code, 0) << undone.err;
    EXPECT_TRUE(holds("kelp.sfc", source));
    EXPECT_EQ(folder.names(), start);
}

TEST_F(Receipts, UndoRebuildsFromTheReversePatch) {
    ASSERT_EQ(run({"apply", "kelp.sfc", "v1.bps", "--in-place", "--no-backup", "--keep-reverse"}).code, 0);
    EXPECT_EQ(folder.names().size(), start.size() + 2);
    EXPECT_EQ(run({"undo", "kelp.sfc"}).code, 0);
    EXPECT_TRUE(holds("kelp.sfc", source));
    EXPECT_EQ(folder.names(), start);
}

TEST_F(Receipts, UndoByAUpsPatchAlone) {
    folder.put("kelp.sfc", target);
    EXPECT_EQ(run({"undo", "kelp.sfc", "v1.bps"}).code, 2);
    EXPECT_EQ(run({"undo", "kelp.sfc"}).code, 4);
    EXPECT_EQ(run({"undo", "kelp.sfc", "v1.ups"}).code, 0);
    EXPECT_TRUE(holds("kelp.sfc", source));
    EXPECT_EQ(run({"undo", "kelp.sfc", "v1.ups"}).code, 1);
}

TEST_F(Receipts, UndoLosesNothingWhenFilesAreNotAsTheReceiptSays) {
    ASSERT_EQ(run({"apply", "kelp.sfc", "v1.bps", "-o", "night.sfc"}).code, 0);
    folder.put("night.sfc", newer);  // changed since
    EXPECT_EQ(run({"undo", "night.sfc"}).code, 1);
    EXPECT_TRUE(holds("night.sfc", newer));
    folder.put("night.sfc", target);
    folder.put("kelp.sfc", newer);  // the source is another one now
    EXPECT_EQ(run({"undo", "night.sfc"}).code, 1);
    EXPECT_TRUE(holds("night.sfc", target));

    folder.put("kelp.sfc", source);
    const ToolResult placed = run({"apply", "kelp.sfc", "v1.bps", "--in-place", "--json"});
    const fs::path backup = placed.json()["backup"].get<std::string>();
    folder.put(backup.filename().string(), newer);  // a spoiled backup
    const ToolResult refused = run({"undo", "kelp.sfc"});
    EXPECT_EQ(refused.code, 1);
    EXPECT_NE(refused.err.find("the backup is not what the receipt says"), std::string::npos) << refused.err;
    EXPECT_TRUE(holds("kelp.sfc", target));
}

TEST_F(Receipts, ReceiptsThatLieAreRefused) {
    ASSERT_EQ(run({"apply", "kelp.sfc", "v1.bps", "--in-place"}).code, 0);
    const fs::path path = folder / "kelp.sfc.receipt.json";
    const std::string good(text_of(contents(path)));
    auto lies = nlohmann::json::parse(good);
    lies["backup"] = "../elsewhere.sfc";
    const std::string texts[] = {lies.dump(), good.substr(0, good.size() / 2), "{}", "[1]",
                                 R"({"schema":{"name":"hotstitch/receipt","version":9}})"};
    for (const std::string& text : texts) {
        folder.put("kelp.sfc.receipt.json", text);
        EXPECT_EQ(run({"undo", "kelp.sfc"}).code, 3) << text.substr(0, 40);
        EXPECT_EQ(run({"renew", "kelp.sfc.receipt.json", "v2.bps"}).code, 3) << text.substr(0, 40);
        EXPECT_TRUE(holds("kelp.sfc", target));
    }
}

TEST_F(Receipts, RenewMakesTheNewerVersionInTheSamePlace) {
    ASSERT_EQ(run({"apply", "kelp.sfc", "v1.bps", "-o", "night.sfc"}).code, 0);
    const ToolResult renewed = run({"renew", "night.sfc.receipt.json", "v2.bps", "--json"});
    EXPECT_EQ(renewed.code, 0) << renewed.out;
    EXPECT_TRUE(holds("night.sfc", newer));
    EXPECT_TRUE(contents(fs::path(renewed.json()["backup"].get<std::string>())) == target);
    EXPECT_EQ(run({"verify", "--receipt", "night.sfc"}).code, 0);
    EXPECT_EQ(run({"undo", "night.sfc"}).code, 0);

    // In place: the first backup stays the source of every renewal, and the way back leads to it.
    ASSERT_EQ(run({"apply", "kelp.sfc", "v1.bps", "--in-place"}).code, 0);
    folder.put("kelp.sfc", source);  // a file check has put the original back
    const ToolResult again = run({"renew", "kelp.sfc", "v2.bps"});
    EXPECT_EQ(again.code, 0) << again.err;
    EXPECT_NE(again.out.find("no longer what had been made"), std::string::npos) << again.out;
    EXPECT_TRUE(holds("kelp.sfc", newer));
    EXPECT_EQ(run({"undo", "kelp.sfc"}).code, 0);
    EXPECT_TRUE(holds("kelp.sfc", source));
    EXPECT_EQ(run({"renew", "kelp.sfc", "v2.bps"}).code, 4);
}

}  // namespace
}  // namespace hotstitch
