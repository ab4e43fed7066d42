// SPDX-License-Identifier: MIT
// Receipts, and the ways back and forward that they open.
#include "hotstitch/receipt.h"

#include <gtest/gtest.h>

#include <functional>

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
    EXPECT_EQ(receipt.source().file.path, "../kelp.sfc");
    EXPECT_EQ(receipt.source().file.digests.crc32, crc32(source));
    EXPECT_TRUE(receipt.source().file.digests.sha256.has_value());
    EXPECT_EQ(receipt.target().file.path, "night.sfc");
    EXPECT_EQ(receipt.target().file.digests.crc32, crc32(target));
    ASSERT_EQ(receipt.steps.size(), 1U);
    EXPECT_EQ(*file_of(receipt.steps[0].step.does), "../v1.bps");
    EXPECT_EQ(receipt.steps[0].read->path, "../v1.bps");
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
    const fs::path backup = placed.json()["backup"]["path"].get<std::string>();
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
    for (const char* const key : {"sources", "outputs", "steps", "in_place"}) {
        auto without = nlohmann::json::parse(good);
        without.erase(key);
        folder.put("kelp.sfc.receipt.json", without.dump());
        EXPECT_EQ(run({"undo", "kelp.sfc"}).code, 3) << key;
    }
    for (const std::string& text : texts) {
        folder.put("kelp.sfc.receipt.json", text);
        EXPECT_EQ(run({"undo", "kelp.sfc"}).code, 3) << text.substr(0, 40);
        EXPECT_EQ(run({"renew", "kelp.sfc.receipt.json", "v2.bps"}).code, 3) << text.substr(0, 40);
        EXPECT_TRUE(holds("kelp.sfc", target));
    }
}

TEST_F(Receipts, UndoTouchesOnlyWhatIsProvenToBeOurs) {
    const auto lie = [&](const char* name, const std::function<void(nlohmann::json&)>& how) {
        auto receipt = nlohmann::json::parse(text_of(contents(folder / name)));
        how(receipt);
        folder.put(name, receipt.dump());
    };
    // The file itself as its source, by other spellings and links: it may be the only copy.
    fs::create_hard_link(folder / "kelp.sfc", folder / "hard.sfc");
    fs::create_symlink("out.sfc", folder / "soft.sfc");
    for (const char* spelling : {"out.sfc", "./out.sfc", "none/../out.sfc", "soft.sfc"}) {
        ASSERT_EQ(run({"apply", "kelp.sfc", "v1.bps", "-o", "out.sfc"}).code, 0);
        lie("out.sfc.receipt.json", [&](auto& receipt) {
            receipt["sources"][0] = receipt["outputs"][0];
            receipt["sources"][0]["path"] = spelling;
        });
        const ToolResult result = run({"undo", "out.sfc"});
        EXPECT_NE(result.code, 0) << spelling << result.out;
        EXPECT_TRUE(holds("out.sfc", target)) << spelling;
        fs::remove(folder / "out.sfc"), fs::remove(folder / "out.sfc.receipt.json");
    }
    // A file of the receipt's content that was not put there by us keeps that content, under another name.
    ASSERT_EQ(run({"apply", "kelp.sfc", "v1.bps", "-o", "out.sfc"}).code, 0);
    fs::remove(folder / "out.sfc");
    folder.put("out.sfc", target);
    const ToolResult kept = run({"undo", "out.sfc", "--json"});
    EXPECT_EQ(kept.code, 0) << kept.out;
    EXPECT_FALSE(fs::exists(folder / "out.sfc"));
    EXPECT_TRUE(contents(fs::path(kept.json()["kept"]["path"].get<std::string>())) == target);
    // Somebody's own file as the backup or the reverse patch.
    folder.put("mine.sfc", source);
    folder.put("mine.bps", hotstitch::create(target, source));
    for (const auto& [field, name] : {std::pair{"backup", "mine.sfc"}, {"reverse", "mine.bps"}}) {
        ASSERT_EQ(run({"apply", "kelp.sfc", "v1.bps", "--in-place", "--no-backup"}).code, 0);
        lie("kelp.sfc.receipt.json", [&, field = field, name = name](auto& receipt) { receipt[field] = name; });
        EXPECT_EQ(run({"undo", "kelp.sfc"}).code, 3) << field;
        EXPECT_TRUE(holds("kelp.sfc", target) && fs::exists(folder / name)) << field;
        folder.put("kelp.sfc", source);
        fs::remove(folder / "kelp.sfc.receipt.json");
    }
    // By the name of a reverse patch, but another file than was made: used, and left there.
    ASSERT_EQ(run({"apply", "kelp.sfc", "v1.bps", "--in-place", "--no-backup", "--keep-reverse"}).code, 0);
    fs::remove(folder / "kelp.sfc.reverse.bps");
    folder.put("kelp.sfc.reverse.bps", hotstitch::create(target, source));
    EXPECT_EQ(run({"undo", "kelp.sfc"}).code, 0);
    EXPECT_TRUE(holds("kelp.sfc", source) && fs::exists(folder / "kelp.sfc.reverse.bps"));
}

TEST_F(Receipts, NothingOfOthersIsReplaced) {
    // What stands where the receipt goes: another receipt, any file, a link onto the source.
    folder.put("out.sfc.receipt.json", "my notes");
    EXPECT_EQ(run({"apply", "kelp.sfc", "v1.bps", "-o", "out.sfc", "--json"}).json()["answer"], "exists");
    fs::remove(folder / "out.sfc.receipt.json");
    fs::create_symlink("kelp.sfc", folder / "out.sfc.receipt.json");
    EXPECT_EQ(run({"apply", "kelp.sfc", "v1.bps", "-o", "out.sfc", "--replace"}).code, 2);
    EXPECT_TRUE(holds("kelp.sfc", source) && !fs::exists(folder / "out.sfc"));
    EXPECT_EQ(run({"apply", "kelp.sfc", "v1.bps", "-o", "out.sfc", "--no-receipt"}).code, 0);
    fs::remove(folder / "out.sfc"), fs::remove(folder / "out.sfc.receipt.json");
    // And where the reverse patch goes.
    folder.put("out.sfc.reverse.bps", "my own");
    EXPECT_EQ(run({"apply", "kelp.sfc", "v1.bps", "-o", "out.sfc", "--keep-reverse"}).code, 0);
    EXPECT_EQ(text_of(contents(folder / "out.sfc.reverse.bps")), "my own");
    EXPECT_TRUE(fs::exists(folder / "out.sfc.reverse-2.bps"));
}

TEST_F(Receipts, SeveralChangesInPlaceAreUndoneOneByOne) {
    const Bytes third = [&] {
        Bytes bytes = newer;
        bytes[5] ^= std::byte{1};
        return bytes;
    }();
    folder.put("v12.bps", hotstitch::create(target, newer));
    folder.put("v23.ups", hotstitch::create(newer, third, {.format = PatchFormat::ups}));
    start = folder.names();
    ASSERT_EQ(run({"apply", "kelp.sfc", "v1.bps", "--in-place"}).code, 0);
    ASSERT_EQ(run({"apply", "kelp.sfc", "v12.bps", "--in-place", "--no-backup", "--keep-reverse"}).code, 0);
    const ToolResult last = run({"apply", "kelp.sfc", "v23.ups", "--in-place", "--no-backup"});
    EXPECT_NE(last.out.find("there is no way back"), std::string::npos) << last.out;
    EXPECT_EQ(receipt_from_json(text_of(contents(folder / "kelp.sfc.receipt.json"))).before.size(), 2U);
    EXPECT_EQ(run({"undo", "kelp.sfc"}).code, 2) << "no way back is recorded";
    EXPECT_EQ(run({"undo", "kelp.sfc", "v23.ups"}).code, 0) << "but the patch goes both ways";
    EXPECT_TRUE(holds("kelp.sfc", newer));
    EXPECT_EQ(run({"undo", "kelp.sfc"}).code, 0);
    EXPECT_TRUE(holds("kelp.sfc", target));
    EXPECT_EQ(run({"undo", "kelp.sfc"}).code, 0);
    EXPECT_TRUE(holds("kelp.sfc", source));
    EXPECT_EQ(folder.names(), start) << "nothing is left";
}

TEST_F(Receipts, RenewMakesTheNewerVersionInTheSamePlace) {
    ASSERT_EQ(run({"apply", "kelp.sfc", "v1.bps", "-o", "night.sfc"}).code, 0);
    const ToolResult renewed = run({"renew", "night.sfc.receipt.json", "v2.bps", "--json"});
    EXPECT_EQ(renewed.code, 0) << renewed.out;
    EXPECT_TRUE(holds("night.sfc", newer));
    EXPECT_TRUE(contents(fs::path(renewed.json()["backup"]["path"].get<std::string>())) == target);
    EXPECT_EQ(run({"verify", "--receipt", "night.sfc"}).code, 0);
    EXPECT_EQ(run({"undo", "night.sfc"}).code, 0);
    EXPECT_TRUE(holds("night.sfc", target)) << "the older version, with its receipt";
    EXPECT_EQ(run({"undo", "night.sfc"}).code, 0);
    EXPECT_FALSE(fs::exists(folder / "night.sfc"));

    // In place: the first backup stays the source of every renewal, and the way back leads to it.
    ASSERT_EQ(run({"apply", "kelp.sfc", "v1.bps", "--in-place"}).code, 0);
    folder.put("kelp.sfc", source);  // a file check has put the original back
    const ToolResult again = run({"renew", "kelp.sfc", "v2.bps"});
    EXPECT_EQ(again.code, 0) << again.err;
    EXPECT_NE(again.out.find("no longer what had been made"), std::string::npos) << again.out;
    EXPECT_TRUE(holds("kelp.sfc", newer));
    EXPECT_EQ(run({"undo", "kelp.sfc"}).code, 0);
    EXPECT_TRUE(holds("kelp.sfc", source));
    EXPECT_EQ(run({"renew", "kelp.sfc", "v2.bps"}).code, 0) << "all stands as before the renewal";
}

TEST_F(Receipts, RenewTakesTheSourceAsItWasTakenBefore) {
    const Bytes headered = demo::with_front_header(source), newer_headered = demo::with_front_header(newer);
    folder.put("kelp.smc", headered);
    folder.put("for_headered.bps", create(headered, newer_headered));
    ASSERT_EQ(run({"apply", "kelp.smc", "v1.bps", "-o", "night.sfc"}).code, 0);
    const auto representation = [&] {
        return receipt_from_json(text_of(contents(folder / "night.sfc.receipt.json"))).source().reading;
    };
    ASSERT_TRUE(representation());
    EXPECT_EQ(code_of(*representation()), "without-front-header 512");
    EXPECT_EQ(run({"renew", "night.sfc", "v2.bps"}).code, 0);
    EXPECT_TRUE(holds("night.sfc", newer));
    EXPECT_TRUE(representation());
    // A newer patch that was made for the file as it is, is one like any other.
    EXPECT_EQ(run({"renew", "night.sfc", "for_headered.bps"}).code, 0);
    EXPECT_TRUE(holds("night.sfc", newer_headered));
    EXPECT_FALSE(representation());
    // A receipt may say anything.
    std::string lying = std::string(text_of(contents(folder / "night.sfc.receipt.json")));
    const std::size_t place = lying.find("\"path\"");
    lying.insert(place, "\"reading\": \"without-front-header 18446744073709551615\",\n  ");
    folder.put("night.sfc.receipt.json", lying);
    EXPECT_EQ(run({"renew", "night.sfc", "v2.bps"}).code, 0);
    EXPECT_TRUE(holds("night.sfc", newer));
}

}  // namespace
}  // namespace hotstitch
