// SPDX-License-Identifier: MIT
// A kind that this file makes up, by one row: what can be done with every kind can be done with it.
#include <gtest/gtest.h>

#include "hotstitch/chart.h"
#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/fit.h"
#include "hotstitch/job.h"
#include "hotstitch/kit_jobs.h"
#include "hotstitch/part_jobs.h"
#include "hotstitch/patch.h"
#include "hotstitch/tell.h"
#include "lib/temporary_folder.h"
#include "part/kinds.h"

namespace hotstitch {
namespace {

/// "KELP", then files of 256 bytes, each named by its first byte.
constexpr std::string_view word = "KELP\xF7\x01\x02\x03";
constexpr std::uint64_t file_size = 256;

class Crates final : public Container {
public:
    explicit Crates(const ByteSource& file) : file_(file) {}
    KindId kind() const noexcept override { return KindId::chunk_file; }
    std::string title() const override { return "a stack of crates"; }
    void visit(const VisitPart& visitor) const override {
        for (std::uint64_t at = word.size(); at + file_size <= file_.size(); at += file_size) {
            const SharedSource content = slice(at);
            const Part part{
                .name = std::string(text_of(head_of(*content, 1))), .size = file_size, .offset = at, .head = [content] {
                    return head_of(*content);
                }};
            if (visitor(part, [&](ByteSink& out) { write_source(*content, out); }) == Flow::stop) return;
        }
    }
    SharedSource open(const Part& part) const override { return slice(*part.offset); }
    PutResult put(const Part& part, const SharedSource& content, const PutOptions&) const override {
        return put_in_place(file_, part, *content, std::nullopt, "crates are of one size");
    }

private:
    SharedSource slice(std::uint64_t at) const { return std::make_shared<SliceSource>(borrowed(file_), at, file_size); }
    const ByteSource& file_;
};

std::optional<Recognised> recognise_crates(const ByteSource& file, const Identity& by_head) {
    if (text_of(head_of(file, word.size())) != word) return std::nullopt;
    Recognised found{Bid::structure, by_head};
    found.identity.kind = {KindId::chunk_file, "a stack of crates"};
    found.identity.title = "KELP CRATES";
    return found;
}

constexpr Kind crates{KindId::chunk_file, Bid::structure, recognise_crates,
                      [](const ByteSource& file, Identity, const Limits&, const Progress&) {
                          return std::unique_ptr<Container>(std::make_unique<Crates>(file));
                      }};

Bytes stack_of(std::string_view names) {
    Bytes all(bytes_of(word).begin(), bytes_of(word).end());
    for (const char name : names) {
        Bytes file(file_size, static_cast<std::byte>(name + 100));
        file[0] = static_cast<std::byte>(name);
        all.insert(all.end(), file.begin(), file.end());
    }
    return all;
}

class OneRowMore : public testing::Test {
protected:
    void SetUp() override {
        folder.put("crates.bin", stack), folder.put("new.bin", put);
        Bytes now = stack;
        std::copy(put.begin(), put.end(), now.begin() + static_cast<std::ptrdiff_t>(word.size() + file_size));
        folder.put("changed.bin", now);
    }
    std::string path(const char* name) const { return (folder / name).string(); }

    const FurtherKind row{crates};
    const TemporaryFolder folder;
    const Bytes stack = stack_of("abc");
    const Bytes put = [] {
        Bytes file(file_size, std::byte{0xE1});
        return file[0] = std::byte{'b'}, file;
    }();
};

TEST_F(OneRowMore, IsSeenByAllThatLooksAtFiles) {
    const Identity identity = identify(stack);
    EXPECT_EQ(identity.kind.title, "a stack of crates");
    EXPECT_EQ(identity.title, "KELP CRATES");

    const OpenedParts opened = open_parts(address_of(path("crates.bin")), {});
    const auto rows = list_parts(*opened.container, {}, {}, opened.file.get());
    ASSERT_EQ(rows.size(), 3U);
    EXPECT_EQ(rows[1].address, "b");

    tell::Report report("describe");
    tell::describe({.files = {path("crates.bin")}}, report);
    EXPECT_NE(tell::json_text(report).find("a stack of crates"), std::string::npos) << tell::json_text(report);

    const InputFile before(folder / "crates.bin"), after(folder / "changed.bin");
    const Chart chart = chart_of(before, after, {});
    const auto region = std::find_if(chart.regions.begin(), chart.regions.end(),
                                     [](const ChartRegion& one) { return one.name == "b"; });
    ASSERT_NE(region, chart.regions.end());
    EXPECT_EQ(region->changed, file_size - 1);

    // A patch for what is inside.
    const auto at = stack.begin() + static_cast<std::ptrdiff_t>(word.size() + file_size);
    const Bytes patch = create(Bytes(at, at + static_cast<std::ptrdiff_t>(file_size)), put);
    const Diagnosis why = diagnose(*open_patch(patch), before);
    ASSERT_FALSE(why.reasons.empty());
    EXPECT_EQ(why.reasons.front().why, Why::for_a_part);
    EXPECT_EQ(why.reasons.front().name, "b");
}

TEST_F(OneRowMore, TakesWhatIsPutIntoIt) {
    Recipe recipe{.base = path("crates.bin")};
    recipe.steps.push_back({.does = step::Put{.file = path("new.bin")}, .at = "b"});
    recipe.to.file = path("made.bin");
    Job job(recipe, {});
    job.open();
    EXPECT_EQ(job.run().answer, Answer::made);
    EXPECT_TRUE(contents(folder / "made.bin") == contents(folder / "changed.bin"));
    EXPECT_EQ(open_part(InputFile(folder / "made.bin"), "b", {}).size(), file_size);

    // A kit knows the file inside by its name.
    const KitCreateResult kit =
        create_kit({.pairs = {{path("crates.bin"), path("changed.bin")}}, .output = path("crates.kit")}, {});
    EXPECT_EQ(kit.whole, std::vector<std::string>{});
    EXPECT_EQ(kit.files + kit.patches, 1U);
    KitJob kits({.given = {path("crates.bin")}, .kits = {path("crates.kit")}, .output = path("by-kit.bin")}, {});
    kits.open();
    EXPECT_EQ(kits.run().answer, Answer::made);
    EXPECT_TRUE(contents(folder / "by-kit.bin") == contents(folder / "changed.bin"));
}

}  // namespace
}  // namespace hotstitch
