// SPDX-License-Identifier: MIT
// Recipes: as texts, and done. What one recipe of several steps makes is what as many calls of the tool make, one after
// the other; what a receipt tells of is done again by it.
#include "hotstitch/recipe.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <functional>
#include <random>

#include "disc.h"
#include "executables.h"
#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/job.h"
#include "hotstitch/part_jobs.h"
#include "kelp_harbour.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

namespace fs = std::filesystem;

Bytes changed_at(Bytes bytes, std::size_t at, unsigned value) {
    bytes[at] = static_cast<std::byte>(value);
    return bytes;
}

/// One of each type, with all its members.
std::vector<Step> all_steps() {
    return {{.does = step::Patch{"a.bps", Room::append}},
            {.does = step::Edit{"a.edits"}, .at = "DATA/A.BIN", .note = "why"},
            {.does = step::Put{.file = "b.bin", .room = Room::rebuild, .add = true, .executable = false}, .at = "B"},
            {.does = step::Remove{}, .at = "C\\:D", .only = {"europe"}},
            {.does = step::Set{.fields = {{"berth[3].depth", "14"}, {"title", "x=y"}}, .map = "m.map.toml"}},
            {.does = step::Mend{.mends = {"checksum", "region=Europe"}, .boot_code = "6102"}},
            {.does = step::StripHeader{512}},
            {.does = step::AttachHeader{.file = "h.bin", .nes = "prg=16K", .size = 3}},
            {.does = step::Folder{}, .at = "data"},
            {.does = step::Link{"../a"}, .at = "data/b"}};
}

TEST(RecipeTexts, AreReadAsTheyWereWritten) {
    Recipe recipe{.base = "kelp \xff.iso:DATA/X.BIN", .steps = all_steps(), .to = {}, .expected = {}};
    ASSERT_EQ(recipe.steps.size(), std::variant_size_v<StepAction>) << "a row for each type";
    recipe.to = {.file = "out/",
                 .as = "{title}",
                 .name_like = "a.cue",
                 .in_place = true,
                 .patch = "x.ups",
                 .format = PatchFormat::ups,
                 .replace = Replace::keep_backup,
                 .with_sheet = true,
                 .keep_representation = true,
                 .header = "h.bin",
                 .replace_header = Replace::without_backup,
                 .receipt = false,
                 .reverse = true,
                 .digests = true};
    recipe.expected = {.size = 7, .crc32 = Crc32{0x12345678}};
    recipe.allow_source = recipe.allow_target = recipe.allow_patch = recipe.as_is = true;
    recipe.allow = {.signature = true, .packed = true};
    recipe.mend = false;
    const std::string text = json_of(recipe);
    EXPECT_EQ(json_of(recipe_from_json(text)), text);
    // Whatever a member holds is in the text: each one that is emptied makes another.
    const std::function<void(Recipe&)> emptied[] = {[](Recipe& r) { r.to.file.clear(); },
                                                    [](Recipe& r) { r.to.as.clear(); },
                                                    [](Recipe& r) { r.to.name_like.clear(); },
                                                    [](Recipe& r) { r.to.in_place = false; },
                                                    [](Recipe& r) { r.to.patch.clear(); },
                                                    [](Recipe& r) { r.to.format.reset(); },
                                                    [](Recipe& r) { r.to.replace = {}; },
                                                    [](Recipe& r) { r.to.with_sheet = false; },
                                                    [](Recipe& r) { r.to.header.clear(); },
                                                    [](Recipe& r) { r.to.replace_header = {}; },
                                                    [](Recipe& r) { r.to.receipt = true; },
                                                    [](Recipe& r) { r.to.reverse = false; },
                                                    [](Recipe& r) { r.to.digests = false; },
                                                    [](Recipe& r) { r.to.keep_representation = false; },
                                                    [](Recipe& r) { r.expected = {}; },
                                                    [](Recipe& r) { r.allow_source = false; },
                                                    [](Recipe& r) { r.allow_target = false; },
                                                    [](Recipe& r) { r.allow_patch = false; },
                                                    [](Recipe& r) { r.as_is = false; },
                                                    [](Recipe& r) { r.allow.signature = false; },
                                                    [](Recipe& r) { r.allow.packed = false; },
                                                    [](Recipe& r) { r.mend.reset(); },
                                                    [](Recipe& r) { r.steps[0].as<step::Patch>()->room = {}; },
                                                    [](Recipe& r) { r.steps[2].as<step::Put>()->executable.reset(); },
                                                    [](Recipe& r) { r.steps[4].as<step::Set>()->fields.pop_back(); },
                                                    [](Recipe& r) { r.steps[5].as<step::Mend>()->boot_code.clear(); },
                                                    [](Recipe& r) { r.steps[6].as<step::StripHeader>()->size = 0; },
                                                    [](Recipe& r) { r.steps[7].as<step::AttachHeader>()->nes.clear(); },
                                                    [](Recipe& r) { r.steps[9].as<step::Link>()->to.clear(); }};
    for (const auto& empty : emptied) {
        Recipe other = recipe_from_json(text);
        empty(other);
        const std::string changed = json_of(other);
        EXPECT_NE(changed, text) << &empty - emptied;
        EXPECT_EQ(json_of(recipe_from_json(changed)), changed) << &empty - emptied;
    }
}

/// The schema has the members that are written, and no others.
TEST(RecipeTexts, HaveTheMembersOfTheirSchema) {
    const auto schema = nlohmann::json::parse(text_of(contents(fs::path(DOCS_FOLDER) / "formats/recipe.schema.json")));
    const auto& rows = schema["properties"]["steps"]["items"]["oneOf"];
    const std::vector<Step> steps = all_steps();
    ASSERT_EQ(rows.size(), steps.size());
    for (const Step& step : steps) {
        Step full = step;
        full.at = "x", full.only = {"y"}, full.note = "z";
        const auto written = nlohmann::json::parse(json_of(Recipe{.base = "b", .steps = {full}}))["steps"][0];
        const auto row = std::find_if(rows.begin(), rows.end(), [&](const auto& one) {
            return one["properties"]["do"]["const"] == written["do"];
        });
        ASSERT_NE(row, rows.end()) << written;
        for (const auto& [key, value] : written.items()) EXPECT_TRUE((*row)["properties"].contains(key)) << key;
        EXPECT_EQ(written.size(), (*row)["properties"].size()) << written;
    }
}

TEST(RecipeTexts, ThatAreWrongNameWhatIs) {
    const auto with = [](const std::string& rest) {
        return R"({"schema":{"name":"hotstitch/recipe","version":1},)" + rest + "}";
    };
    const struct {
        std::string text;
        const char* field;
        ErrorCode code = ErrorCode::damaged;
    } rows[] = {
        {"[]", "document"},
        {"{}", "schema"},
        {R"({"schema":{"name":"hotstitch/recipe","version":2},"base":"a"})", "schema.version", ErrorCode::unsupported},
        {with(R"("steps":[])"), "base"},
        {with(R"("base":7)"), "base"},
        {with(R"("base":"a","stpes":[])"), "stpes"},
        {with(R"("base":"a","steps":{})"), "steps"},
        {with(R"("base":"a","steps":[1])"), "steps"},
        {with(R"("base":"a","steps":[{"at":"x"}])"), "do"},
        {with(R"("base":"a","steps":[{"do":"paint"}])"), "do"},
        {with(R"("base":"a","steps":[{"do":"remove","file":"x"}])"), "file"},
        {with(R"("base":"a","steps":[{"do":"put","room":"attic"}])"), "room"},
        {with(R"("base":"a","steps":[{"do":"put","add":1}])"), "add"},
        {with(R"("base":"a","steps":[{"do":"strip-header","size":-1}])"), "size"},
        {with(R"("base":"a","steps":[{"do":"set","fields":{"a":"b"}}])"), "fields"},
        {with(R"("base":"a","steps":[{"do":"set","fields":[{"field":"a","to":"b"}]}])"), "to"},
        {with(R"("base":"a","to":[])"), "to"},
        {with(R"("base":"a","to":{"format":"zip"})"), "format"},
        {with(R"("base":"a","to":{"replace":"always"})"), "replace"},
        {with(R"("base":"a","allow":["all"])"), "allow"},
        {with(R"("base":"a","expected":{"crc32":"xyz"})"), "expected"},
        {with(R"("base":"a","mend":"yes")"), "mend"}};
    for (const auto& row : rows) try {
            recipe_from_json(row.text);
            ADD_FAILURE() << row.text;
        } catch (const Error& error) {
            EXPECT_EQ(error.code(), row.code) << row.text << error.what();
            EXPECT_EQ(error.field(), row.field) << row.text << error.what();
        }
}

class Recipes : public testing::Test {
protected:
    Recipes() {
        folder.put("kelp.sfc", rom), folder.put("d.iso", disc);
        folder.put("night.bps", create(rom, demo::night_tides(rom)));
        folder.put("bank.bin", Bytes(0x8000, std::byte{0x42}));
        folder.put("a.bin", Bytes(700, std::byte{0x17})), folder.put("b.bin", Bytes(5000, std::byte{0x18}));
        folder.put("text.bps", create(text, changed_at(text, 2, 0x41)));
    }
    std::string path(const char* name) const { return (folder / name).string(); }
    ToolResult run(const std::vector<std::string>& call) const { return run_tool(call, {.folder = folder.path()}); }
    Outcome done(Recipe recipe) const {
        Job job(std::move(recipe), {});
        job.open();
        return job.run();
    }

    TemporaryFolder folder;
    const Bytes rom = demo::kelp_harbour(1), text = Bytes(900, std::byte{0x55});
    const Bytes disc = demo::disc({{"A.BIN", Bytes(3000, std::byte{1})}, {"DATA/B.TXT", text}, {"Z.BIN", Bytes(9)}});
};

TEST_F(Recipes, OfSeveralStepsAreSeveralCalls) {
    const auto put = [&](const char* at, const char* file, bool add = false) {
        return Step{.does = step::Put{.file = path(file), .add = add}, .at = at};
    };
    const struct {
        const char* base;
        std::vector<Step> steps;
        std::vector<std::vector<std::string>> calls;  ///< without output; each on what the one before has made
    } rows[] = {
        {"kelp.sfc",
         {put("bank 2", "bank.bin"), {.does = step::Mend{.mends = {"region=Japan"}}}},
         {{"put", "@", "bank 2=bank.bin"}, {"mend", "@", "region=Japan"}}},
        {"kelp.sfc",
         {{.does = step::AttachHeader{}}, {.does = step::Set{.fields = {{"header.title", "FOG"}}}}},
         {{"header", "attach", "@"}, {"fields", "@", "header.title=FOG"}}},
        {"kelp.sfc",
         {{.does = step::Patch{path("night.bps")}}, {.does = step::Mend{.mends = {"checksum", "region=Japan"}}}},
         {{"apply", "@", "night.bps"}, {"mend", "@", "checksum", "region=Japan"}}},
        {"kelp.sfc",
         {{.does = step::AttachHeader{}}, {.does = step::StripHeader{}}, put("bank 1", "bank.bin")},
         {{"put", "@", "bank 1=bank.bin"}}},
        {"d.iso",
         {put("A.BIN", "a.bin"), put("NEW.BIN", "b.bin", true), {.does = step::Remove{}, .at = "Z.BIN"}},
         {{"put", "@", "A.BIN=a.bin", "NEW.BIN=b.bin", "--add", "--remove", "Z.BIN"}}},
        {"d.iso",
         {put("A.BIN", "a.bin"), {.does = step::Patch{path("text.bps")}, .at = "DATA/B.TXT"}, put("Z.BIN", "b.bin")},
         {{"put", "@", "A.BIN=a.bin"}, {"apply", "@:DATA/B.TXT", "text.bps"}, {"put", "@", "Z.BIN=b.bin"}}},
        {"d.iso:DATA/B.TXT", {{.does = step::Patch{path("text.bps")}}}, {{"apply", "@:DATA/B.TXT", "text.bps"}}}};
    int number = 0;
    for (const auto& row : rows) {
        std::string name = row.base, one = fmt::format("one{}", ++number), last = name.substr(0, name.find(':'));
        const std::string extension = fs::path(last).extension().string();
        for (std::size_t i = 0; i < row.calls.size(); ++i) {
            std::vector<std::string> call = row.calls[i];
            for (std::string& word : call)
                if (word.starts_with("@")) word = last + word.substr(1);
            last = fmt::format("many{}-{}{}", number, i, extension);
            call.insert(call.end(), {"-o", last, "-q"});
            const ToolResult result = run(call);
            ASSERT_EQ(result.code, 0) << number << result.err;
        }
        Recipe recipe{.base = (folder / name).string(), .steps = row.steps};
        recipe.to.file = (folder / (one + extension)).string();
        const Outcome outcome = done(recipe_from_json(json_of(recipe)));
        EXPECT_EQ(outcome.answer, Answer::made) << number;
        EXPECT_TRUE(contents(folder / (one + extension)) == contents(folder / last)) << number;
        // What the receipt says is done again, and undone.
        const Bytes made = contents(folder / (one + extension));
        RenewPlan again = plan_renewal(folder / (one + extension), {});
        Job renewed(again.recipe, {}, again.renews);
        renewed.open();
        EXPECT_EQ(renewed.run().answer, Answer::made) << number;
        EXPECT_TRUE(contents(folder / (one + extension)) == made) << number;
        undo(folder / (one + extension));
        EXPECT_FALSE(fs::exists(folder / (one + extension))) << number;
    }
}

/// Steps in random order on a disc, against single calls' own engine: one job for each step.
TEST_F(Recipes, InAnyOrderAreOneByOne) {
    std::mt19937 random(4);
    for (int round = 0; round < 40; ++round) {
        std::vector<Step> steps;
        std::set<std::string> names{"A.BIN", "DATA/B.TXT", "Z.BIN"}, touched;
        const std::size_t count = 2 + random() % 5;
        for (std::size_t i = 0; i < count; ++i) {
            auto at = names.begin();
            std::advance(at, static_cast<long>(random() % names.size()));
            std::string name = *at;
            const unsigned what = random() % 4;
            const std::string file = fmt::format("r{}-{}.bin", round, i);
            folder.put(file, Bytes(random() % 6000, static_cast<std::byte>(random() % 256)));
            if (what == 0 && names.size() > 1 && touched.insert(name).second) {
                steps.push_back({.does = step::Remove{}, .at = name});
                names.erase(name);
            } else if (what == 1) {
                name = fmt::format("N{}.BIN", i);
                if (!touched.insert(name).second) continue;
                steps.push_back({.does = step::Put{.file = (folder / file).string(), .add = true}, .at = name});
                names.insert(name);
            } else if (touched.insert(name).second) {
                steps.push_back({.does = step::Put{.file = (folder / file).string()}, .at = name});
            }
        }
        if (steps.empty()) continue;
        Recipe all{.base = path("d.iso"), .steps = steps};
        all.to.file = path("all.iso"), all.to.replace = Replace::without_backup, all.to.receipt = false;
        done(all);
        std::string last = path("d.iso");
        for (std::size_t i = 0; i < steps.size(); ++i) {
            Recipe one{.base = last, .steps = {steps[i]}};
            last = (folder / fmt::format("step{}.iso", i)).string();
            one.to.file = last, one.to.replace = Replace::without_backup, one.to.receipt = false;
            done(one);
        }
        // Where several files are laid out at once they may lie elsewhere; what is in them is the same.
        const auto files_of = [&](const std::string& name) {
            std::map<std::string, Bytes> files;
            for (const std::string& file : names) {
                MemorySink sink;
                take_part(name + ":" + file, sink);
                files[file] = Bytes(sink.bytes().begin(), sink.bytes().end());
            }
            return files;
        };
        EXPECT_TRUE(files_of(path("all.iso")) == files_of(last)) << round;
        EXPECT_EQ(list_parts(*open_parts(InputFile(path("all.iso")))).size(),
                  list_parts(*open_parts(InputFile(last))).size())
            << round;
    }
}

TEST_F(Recipes, AreDoneAgainWhenWhatWasPutInHasChanged) {
    ASSERT_EQ(run({"put", "d.iso", "A.BIN=a.bin", "DATA/B.TXT=b.bin", "-o", "out/new.iso"}).code, 0);
    const Bytes first = contents(folder / "out/new.iso");
    folder.put("a.bin", Bytes(650, std::byte{0x99}));
    const ToolResult renewed = run({"renew", "out/new.iso"});
    ASSERT_EQ(renewed.code, 0) << renewed.err;
    ASSERT_EQ(run({"put", "d.iso", "A.BIN=a.bin", "DATA/B.TXT=b.bin", "-o", "wanted.iso"}).code, 0);
    EXPECT_TRUE(contents(folder / "out/new.iso") == contents(folder / "wanted.iso"));
    EXPECT_NE(renewed.out.find("A.BIN"), std::string::npos) << renewed.out;
    ASSERT_EQ(run({"undo", "out/new.iso"}).code, 0);
    EXPECT_TRUE(contents(folder / "out/new.iso") == first) << "what stood there before";
    // A patch is no newer version of what was put in, and of what a pipe brought there is none.
    const ToolResult none = run({"renew", "out/new.iso", "night.bps"});
    EXPECT_EQ(none.code, 2);
    EXPECT_NE(none.err.find("made without a patch"), std::string::npos) << none.err;
    folder.put("d.iso", changed_at(disc, 60000, 1));
    EXPECT_EQ(run({"renew", "out/new.iso"}).code, 1) << "the source is another";
}

TEST_F(Recipes, AreDoneAgainFromAnywhere) {
    folder.put("in/p.elf", demo::elf()), folder.put("in/code.bin", Bytes(64, std::byte{0x90}));
    ASSERT_EQ(run({"mend", "in/p.elf", "add-segment=in/code.bin@0x480000", "-o", "out/p.elf"}).code, 0);
    const Bytes made = contents(folder / "out/p.elf");
    folder.put("in/code.bin", Bytes(64, std::byte{0x91}));
    const ToolResult renewed = run_tool({"renew", "p.elf"}, {.folder = folder / "out"});
    ASSERT_EQ(renewed.code, 0) << renewed.err;
    EXPECT_FALSE(contents(folder / "out/p.elf") == made);
    ASSERT_EQ(run({"mend", "in/p.elf", "add-segment=in/code.bin@0x480000", "-o", "wanted.elf"}).code, 0);
    EXPECT_TRUE(contents(folder / "out/p.elf") == contents(folder / "wanted.elf"));
}

/// More than 64 MiB: changed where they lie, with a journal.
TEST_F(Recipes, ChangeLargeFilesInTheirPlace) {
    constexpr std::size_t sectors = (std::size_t{66} << 20) / 2048;
    const Bytes large = demo::disc({{"A.BIN", Bytes(3000, std::byte{1})}}, {.padding = sectors});
    const Bytes patched = changed_at(large, large.size() - 5, 7);
    folder.put("large.iso", large), folder.put("large.bps", create(large, patched));
    Recipe recipe = Recipe::of_patches(path("large.iso"), {path("large.bps")});
    recipe.steps.push_back({.does = step::Put{.file = path("a.bin")}, .at = "A.BIN"});
    recipe.to.in_place = true;
    const Outcome outcome = done(recipe);
    EXPECT_TRUE(outcome.delivered.journal.has_value());
    folder.put("wanted.iso", patched);
    ASSERT_EQ(run({"put", "wanted.iso", "A.BIN=a.bin", "-o", "put.iso", "--no-receipt"}).code, 0);
    EXPECT_TRUE(contents(folder / "large.iso") == contents(folder / "put.iso"));
    const ToolResult told = run({"verify", "--receipt", "large.iso"});
    EXPECT_EQ(told.code, 0) << told.out << told.err;
    EXPECT_EQ(run({"undo", "large.iso"}).code, 0);
    EXPECT_TRUE(contents(folder / "large.iso") == large);
    // Of a change that is known beforehand, the journal alone tells.
    ASSERT_EQ(run({"put", "large.iso", "A.BIN=a.bin", "--in-place"}).code, 0);
    const auto verified = [&] { return run({"verify", "--receipt", "large.iso", "--json"}); };
    EXPECT_EQ(verified().json()["done"][0], "put A.BIN");
    const Bytes put = contents(folder / "large.iso");
    folder.put("large.iso", patched);
    EXPECT_NE(verified().code, 0) << "it is another";
    folder.put("large.iso", put);
    EXPECT_EQ(run({"undo", "large.iso"}).code, 0);
    EXPECT_TRUE(contents(folder / "large.iso") == large);
}

TEST_F(Recipes, KeepPatchesAndWhatFollowedThemApart) {
    Recipe recipe = Recipe::of_patches(path("kelp.sfc"), {path("night.bps")});
    recipe.steps.push_back({.does = step::Mend{.mends = {"region=Japan"}}});
    recipe.to.file = path("japan.sfc");
    done(recipe);
    const Bytes fog = demo::fog_signals(rom);
    folder.put("fog.bps", create(rom, fog));
    ASSERT_EQ(run({"renew", "japan.sfc", "fog.bps"}).code, 0);
    folder.put("wanted.sfc", fog);
    ASSERT_EQ(run({"mend", "wanted.sfc", "region=Japan", "--in-place"}).code, 0);
    EXPECT_TRUE(contents(folder / "japan.sfc") == contents(folder / "wanted.sfc"));
    const ToolResult told = run({"verify", "--receipt", "japan.sfc", "--json"});
    EXPECT_EQ(told.json()["done"], nlohmann::json::array({"mend region=Japan of the file"}));
    EXPECT_EQ(told.json()["made_by"].size(), 1U);
}

TEST_F(Recipes, AnswerWhatMayBeExpected) {
    // Nothing changes: a named output is written, nothing else is.
    folder.put("same.bin", Bytes(3000, std::byte{1}));
    Recipe same{.base = path("d.iso"), .steps = {{.does = step::Put{.file = path("same.bin")}, .at = "A.BIN"}}};
    same.to.in_place = true;
    EXPECT_EQ(code_of(done(same).answer), "unchanged");
    EXPECT_FALSE(fs::exists(folder / "d.iso.receipt.json"));
    same.to = {}, same.to.file = path("same.iso");
    EXPECT_EQ(done(same).answer, Answer::unchanged);
    EXPECT_TRUE(contents(folder / "same.iso") == disc);
    // A wrong source, and one that is patched already, with steps behind the patch.
    Recipe recipe = Recipe::of_patches(path("bank.bin"), {path("night.bps")});
    recipe.steps.push_back({.does = step::Mend{.mends = {"checksum"}}});
    recipe.to.file = path("x.sfc");
    for (const bool planned : {false, true}) {
        Job job(recipe, {});
        job.open();
        if (planned) job.plan();
        const Outcome& wrong = job.run();
        EXPECT_EQ(wrong.answer, Answer::wrong_source);
        ASSERT_TRUE(wrong.diagnosis.has_value());
        EXPECT_FALSE(fs::exists(folder / "x.sfc"));
    }
    // A step that fails is not half a result.
    Recipe failing{.base = path("d.iso")};
    failing.steps = {{.does = step::Put{.file = path("a.bin")}, .at = "A.BIN"}, {.does = step::Remove{}, .at = "NO"}};
    failing.to.file = path("x.iso");
    Job job(failing, {});
    job.open();
    EXPECT_THROW(job.plan(), Error);
    EXPECT_THROW(job.run(), Error);
    EXPECT_FALSE(fs::exists(folder / "x.iso"));
    // A file that was changed since is not undone, and that is an answer.
    ASSERT_EQ(run({"put", "d.iso", "A.BIN=a.bin", "-o", "once.iso"}).code, 0);
    folder.put("once.iso", disc);
    const UndoResult undone = undo(path("once.iso"));
    EXPECT_EQ(undone.outcome, UndoOutcome::refused);
    ASSERT_TRUE(undone.refusal.has_value());
    EXPECT_EQ(undone.refusal->code(), ErrorCode::wrong_target);
    EXPECT_TRUE(contents(folder / "once.iso") == disc);
    // What is weak is not taken off unasked.
    folder.put("weak.bin", Bytes(0x8200, std::byte{7}));
    Recipe weak{.base = path("weak.bin"), .steps = {{.does = step::StripHeader{}}}};
    weak.to.file = path("x.bin");
    EXPECT_THROW(done(weak), Error);
    EXPECT_FALSE(fs::exists(folder / "x.bin"));
    weak.steps.front().as<step::StripHeader>()->size = 512;
    EXPECT_EQ(done(weak).answer, Answer::made);
    EXPECT_EQ(contents(folder / "x.bin").size(), 0x8000U);
    // The change as a patch, after patches too: it makes the same of the base.
    recipe.base = path("kelp.sfc"), recipe.to = {}, recipe.to.patch = path("both.bps");
    const Outcome patch = done(recipe);
    ASSERT_TRUE(patch.patch.has_value());
    ASSERT_EQ(run({"apply", "kelp.sfc", "both.bps", "-o", "both.sfc"}).code, 0);
    ASSERT_EQ(run({"apply", "kelp.sfc", "night.bps", "-o", "night.sfc"}).code, 0);
    EXPECT_EQ(run({"mend", "night.sfc", "checksum", "-o", "mended.sfc"}).code, 0);
    EXPECT_TRUE(contents(folder / "both.sfc") == contents(folder / "mended.sfc"));
}

TEST_F(Recipes, ThatContradictThemselvesAreRefused) {
    const auto step = [](StepAction does, const char* at) { return Step{.does = std::move(does), .at = at}; };
    const std::string a = path("a.bin");
    const struct {
        std::vector<Step> steps;
        const char* says;
    } rows[] = {{{}, "no step"},
                {{step(step::Folder{}, "x")}, "base that is a folder"},
                {{step(step::Link{"y"}, "x")}, "base that is a folder"},
                {{step(step::Put{a}, "A.BIN"), step(step::Remove{}, "a.bin")}, "contradict"},
                {{step(step::Put{a}, "NONE.BIN")}, "no part NONE.BIN"},
                {{step(step::Remove{}, "NONE.BIN")}, "no part NONE.BIN"},
                {{step(step::Mend{.mends = {"checksum"}}, "A.BIN:deeper")}, "no part"},
                {{step(step::AttachHeader{.file = a, .size = 512}, "")}, "more than one way"}};
    for (const auto& row : rows) {
        Recipe recipe{.base = path("d.iso"), .steps = row.steps};
        recipe.to.file = path("none.iso");
        try {
            done(recipe);
            ADD_FAILURE() << row.says;
        } catch (const Error& error) {
            EXPECT_NE(std::string(error.what()).find(row.says), std::string::npos) << error.what();
        }
        EXPECT_FALSE(fs::exists(folder / "none.iso")) << row.says;
    }
}

}  // namespace
}  // namespace hotstitch
