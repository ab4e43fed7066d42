// SPDX-License-Identifier: MIT
// Every command that changes something understands the same bases: a disc, whole sectors, its sheet, a copy, a folder,
// an archive. And what is opened on the way is opened once.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <functional>
#include <map>

#include "console_discs.h"
#include "disc.h"
#include "hotstitch/change_list.h"
#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/mend.h"
#include "hotstitch/part.h"
#include "kelp_harbour.h"
#include "lib/rom_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

namespace fs = std::filesystem;

class CliBases : public testing::Test {
protected:
    void SetUp() override {
        folder.put("in/d.iso", disc);
        folder.put("d.bin", demo::in_sectors(disc, 1));
        Bytes with_sound = demo::in_sectors(disc, 1);
        const Bytes sound = demo::sound(1);
        with_sound.insert(with_sound.end(), sound.begin(), sound.end());
        folder.put("e.bin", with_sound);
        folder.put("d.cue", demo::cue_sheet("e.bin", 1, disc.size() / 2048));
        folder.put("d.cso", demo::deflate_copy(disc, 2048));
        folder.put("other.bin", other);
        folder.put("p.bps", create(text, other)), folder.put("p2.bps", create(text, poked(text, 3, 0x33)));
        ASSERT_EQ(
            std::system(
                fmt::format("cd '{}/in' && bsdtar --format=zip -cf ../d.zip d.iso", folder.path().string()).c_str()),
            0);
    }
    static Bytes poked(Bytes bytes, std::size_t at, unsigned value) {
        bytes[at] = static_cast<std::byte>(value);
        return bytes;
    }
    ToolResult run(const std::vector<std::string>& call) const { return run_tool(call, {.folder = folder.path()}); }
    Bytes taken(const std::string& file, const std::string& name) const {
        const std::string bytes = run({"take", file + ":" + name, "-o", "-"}).out;
        return {bytes_of(bytes).begin(), bytes_of(bytes).end()};
    }

    TemporaryFolder folder;
    const Bytes text = Bytes(3000, std::byte{'t'}), other = Bytes(3000, std::byte{'o'});
    const Bytes rom = demo::kelp_harbour(1), stale = poked(rom, 0x8123, 0x5A);
    const Bytes disc = demo::disc({{"A.TXT", text}, {"B.BIN", Bytes(5000, std::byte{2})}, {"KELP.SFC", stale}});
};

TEST_F(CliBases, AreTheSameForEveryCommand) {
    const Bytes mended = makers::mended(stale, {{"checksum", {}}});
    const struct {
        const char* name;
        std::vector<std::string> words;  ///< {} is the base
        const char* part;
        Bytes wanted;
    } commands[] = {
        {"put", {"put", "{}", "A.TXT=other.bin"}, "A.TXT", other},
        {"apply", {"apply", "{}:A.TXT", "p.bps"}, "A.TXT", other},
        {"mend", {"mend", "{}:KELP.SFC", "checksum"}, "KELP.SFC", mended},
        {"fields", {"fields", "{}:KELP.SFC", "header.region=Japan"}, "KELP.SFC", {}},
        {"header", {"header", "attach", "{}:B.BIN", "--size", "512"}, "B.BIN", {}},
    };
    const struct {
        const char *base, *output;
    } bases[] = {{"in/d.iso", "out.iso"}, {"in:d.iso", "out.iso"}, {"d.zip:d.iso", "out.iso"},
                 {"d.bin", "out.bin"},    {"d.cue", "out.cue"},    {"d.cso", "out.iso"}};
    for (const auto& [name, words, part, wanted] : commands) {
        std::optional<Bytes> first;  // what the plain disc gives, where it is not told here
        for (const auto& [base, output] : bases) {
            SCOPED_TRACE(fmt::format("{} {}", name, base));
            const std::string out = fmt::format("{}-{}", name, output);
            std::vector<std::string> call;
            for (const std::string& word : words) call.push_back(fmt::format(fmt::runtime(word), base));
            call.insert(call.end(), {"-o", out, "--replace", "--no-backup"});
            const ToolResult result = run(call);
            ASSERT_EQ(result.code, 0) << result.out << result.err;
            if (words.front() == "header") {
                EXPECT_NE(result.out.find("with a front header of 512 bytes"), std::string::npos) << result.out;
            }
            const Bytes made = taken(out, part);
            if (!first) first = wanted.empty() ? made : wanted;
            EXPECT_TRUE(made == *first);
            EXPECT_EQ(
                run({"parts", out, "--json"}).json()["parts"].size(),
                run({"parts", base, "--json"}).json()["parts"].size() - (std::string_view(base) == "d.cso" ? 1 : 0));
        }
    }
    EXPECT_EQ(run({"put", "in/d.iso:", "A.TXT=other.bin", "-o", "colon.iso"}).code, 0) << "all of the file";
    EXPECT_EQ(contents(folder / "colon.iso"), contents(folder / "put-out.iso"));
    // What comes out of an archive or a copy is none, whatever the output is called.
    for (const auto& [base, output] : {std::pair{"d.zip:d.iso", "new.zip"}, {"d.cso", "new.cso"}}) {
        EXPECT_EQ(run({"put", base, "A.TXT=other.bin", "-o", output}).code, 3) << output;
        EXPECT_FALSE(fs::exists(folder / output));
    }
}

TEST_F(CliBases, APatchedPartIsRenewedVerifiedAndUndone) {
    const auto code = [&](const std::vector<std::string>& call) { return run(call).code; };
    for (const bool in_place : {false, true}) {
        const std::string file = in_place ? "mine.iso" : "made.iso";
        folder.put("mine.iso", disc);
        std::vector<std::string> call = {"apply", "mine.iso:A.TXT", "p.bps"};
        if (in_place)
            call.emplace_back("--in-place");
        else
            call.insert(call.end(), {"-o", file});
        ASSERT_EQ(code(call), 0);
        EXPECT_EQ(run({"verify", "--receipt", file, "--json"}).json()["part"], "A.TXT");
        ASSERT_EQ(code({"renew", file, "p2.bps"}), 0);
        EXPECT_EQ(taken(file, "A.TXT"), poked(text, 3, 0x33)) << "from the original, not from what the first made";
        EXPECT_EQ(code({"verify", "--receipt", file}), 0);
        ASSERT_EQ(code({"undo", file}), 0);
        EXPECT_EQ(taken(file, "A.TXT"), other) << "what stood there before";
        ASSERT_EQ(code({"undo", file}), 0);
        EXPECT_EQ(contents(folder / "mine.iso"), disc);
        EXPECT_EQ(fs::exists(folder / "made.iso"), false);
    }
}

/// Counts reads that begin in a stretch.
class CountingSource final : public ByteSource {
public:
    explicit CountingSource(ByteView bytes) : bytes_(bytes) {}
    std::uint64_t size() const noexcept override { return bytes_.size(); }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView) const override {
        for (auto& [begin, count] : counts) count += offset <= begin && begin < offset + length ? 1 : 0;
        return bytes_.subspan(static_cast<std::size_t>(offset), length);
    }
    mutable std::map<std::uint64_t, int> counts;  ///< by offset: how many reads had the byte there

private:
    ByteView bytes_;
};

TEST_F(CliBases, WhatIsOnTheWayIsOpenedOnce) {
    constexpr std::uint64_t descriptor = 16 * 2048;
    CountingSource source(disc);
    const auto reads = [&](std::uint64_t at, const std::function<void()>& work) {
        source.counts = {{at, 0}};
        work();
        return source.counts.at(at);
    };
    const int opening = reads(descriptor, [&] { open_container(source); });
    const auto change = [&] {
        const ChangeList made = change_inside(borrowed(source), {"KELP.SFC", "bank 2"},
                                              [](const SharedSource& content, const Limits&) {
                                                  ChangeList list(content->size());
                                                  list.put(7, 1, Bytes(1));
                                                  return list;
                                              },
                                              {}, {});
        EXPECT_FALSE(made.empty());
    };
    EXPECT_GT(opening, 0);
    EXPECT_LE(reads(descriptor, change), opening) << "a part of a part costs one opening of the disc";
    Limits limits;
    EXPECT_LE(reads(descriptor, [&] { open_inside(borrowed(source), {"KELP.SFC", "header"}, limits); }), opening);
    // A look-up by name reads no file.
    const auto container = open_container(source);
    for (const char* const name : {"A.TXT", "B.BIN", "KELP.SFC"}) {
        const std::uint64_t at = *find_part(*container, name).offset;
        EXPECT_EQ(reads(at, [&] { EXPECT_FALSE(part_by_name(*container, "NONE.TXT")); }), 0) << name;
    }
}

}  // namespace
}  // namespace hotstitch
