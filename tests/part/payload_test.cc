// SPDX-License-Identifier: MIT
// Packed files: known, opened, closed again in the fewest bytes, refused where they are broken.
#include "part/payload/codec.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <bit>
#include <cstdlib>
#include <random>

#include "hotstitch/change_list.h"
#include "hotstitch/error.h"
#include "hotstitch/identity.h"
#include "hotstitch/part.h"
#include "kelp_harbour.h"
#include "lib/patch_makers.h"
#include "lib/rom_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"
#include "part/payload/lz_parse.h"

namespace hotstitch {
namespace {

constexpr std::string_view kelp = "Kelp Harbour, Kelp Harbour, Kelp Harbour";

Bytes from_hex(std::string_view text) {
    Bytes bytes;
    for (std::size_t i = 0; i + 1 < text.size(); i += 2)
        bytes.push_back(static_cast<std::byte>(std::stoul(std::string(text.substr(i, 2)), nullptr, 16)));
    return bytes;
}

Bytes bytes_from(std::string_view text) {
    const ByteView view = bytes_of(text);
    return {view.begin(), view.end()};
}

/// `kelp` (twice it for bare deflate) as other programs pack it.
const struct Sample {
    const char* codec;
    const char* hex;
} samples[] = {
    {"lz10", "10280000004b656c702048617203626f75722c20f00d500d"},
    {"lz11", "11280000004b656c702048617202626f75722c2000900d"},
    {"huffman4", "2401000001c00b0400000040"},
    {"huffman8", "2801000001c04b4b00000000"},
    {"rle", "302800000d4b656c7020486172626f75722c200d4b656c7020486172626f75722c200b4b656c7020486172626f7572"},
    {"yaz0", "59617a30000000280000000000000000ff4b656c7020486172fc626f75722c20000d08"},
    {"gzip", "1f8b08080100000002ff74696465732e62696e00f34ecd2950f0482c4aca2f2dd251f0c6c90300d0c53fe128000000"},
    {"zlib", "78daf34ecd2950f0482c4aca2f2dd251f0c6c903001c490e16"},
    {"deflate", "f34ecd2950f0482c4aca2f2dd251f0c6c9f326521d00"},
    {"xz",
     "fd377a585a0000016922de360200210110000000a8708e86e0002700155d0025994987311aa9083807f101dde4ca93d0a060a0000000"
     "0000d0c53fe100012d283e4719359042990d010000000001595a"},
    {"lzma", "5d00001000ffffffffffffffff0025994987311aa9083807f101dde4ca93d0a1c88b67ffff56c80000"},
    {"bzip2",
     "425a6833314159265359f7f9deb20000051580400400483204d2002000310340d01b5106050ead70665d1cf1249461661a2ee48a"
     "70a121eff3bd64"},
    {"zstd", "28b52ffd2428a50000704b656c7020486172626f75722c200100614f251b6a8650"},
    {"lz4", "04224d186c4028000000000000008f18000000ef4b656c7020486172626f75722c200e00025072626f757200000000c3f532c6"},
    {"lz4-block", "ef4b656c7020486172626f75722c200e00025072626f7572"},
};

/// Made the same every time.
template <class Random>
unsigned below(Random& random, std::size_t end) {
    return static_cast<unsigned>(random() >> 3) % static_cast<unsigned>(end);
}

const Codec& codec_named(std::string_view name) {
    const auto found =
        std::find_if(codecs().begin(), codecs().end(), [&](const Codec* codec) { return codec->name == name; });
    return **found;
}

Bytes content_of(const Codec& codec, ByteView packed) {
    MemorySink sink;
    unpack(codec, packed, sink, {});
    return sink.take();
}

/// What the table's rows pack, beside which all else is packed.
Bytes sample_of(const Codec& codec) {
    for (const Sample& sample : samples)
        if (codec.name == sample.codec) return from_hex(sample.hex);
    return {};
}

std::vector<std::pair<std::string, Bytes>> things_to_pack() {
    std::minstd_rand random(7);
    std::vector<std::pair<std::string, Bytes>> list{{"one byte", bytes_from("K")},
                                                    {"text", bytes_from(std::string(kelp) + std::string(kelp))},
                                                    {"zeros", Bytes(70'000)},
                                                    {"a ROM", makers::first(demo::kelp_harbour(1), 150'000)}};
    Bytes noise(5'000), few(9'000), period, skewed(60'000);
    for (std::byte& b : noise) b = static_cast<std::byte>(random());
    for (std::byte& b : few) b = static_cast<std::byte>(below(random, 3));
    for (std::size_t i = 0; i < 100'000; ++i) period.push_back(static_cast<std::byte>(i % 6 == 5 ? i / 5000 : i % 6));
    // A tree with long branches.
    for (std::byte& b : skewed)
        b = static_cast<std::byte>(std::countl_zero(static_cast<std::uint32_t>(random() << 1 | 1)));
    list.emplace_back("noise", noise), list.emplace_back("few values", few);
    list.emplace_back("period", period), list.emplace_back("skewed", skewed);
    return list;
}

TEST(Payloads, OfOtherProgramsAreKnownAndOpened) {
    for (const Sample& sample : samples) {
        const Bytes packed = from_hex(sample.hex);
        const Codec& codec = codec_named(sample.codec);
        if (std::string_view(sample.codec).starts_with("huffman")) continue;  // of one byte each
        const MemorySource file(packed);
        ASSERT_EQ(codec_of(file), &codec) << sample.codec;
        const Bytes content = content_of(codec, packed);
        EXPECT_EQ(text_of(content).substr(0, kelp.size()), kelp) << sample.codec;
        EXPECT_EQ(measure(codec, packed, {}).content, content.size());
        const auto container = open_container(file);
        ASSERT_TRUE(container) << sample.codec;
        EXPECT_EQ(container->parts().front().name, "content");
        const KindId kind = identify(packed).kind.id;
        EXPECT_TRUE(kind == KindId::payload || kind == KindId::archive) << sample.codec;
        // Padded to a sector, it is the same; with something else behind it, none.
        Bytes padded = packed;
        padded.resize(2048);
        EXPECT_EQ(codec_of(MemorySource(padded)) == &codec, !codec.by_rules_only) << sample.codec;
        padded.push_back(std::byte{1});
        EXPECT_NE(codec_of(MemorySource(padded)), &codec) << sample.codec;
    }
}

TEST(Payloads, GiveBackWhatWasPacked) {
    const auto things = things_to_pack();
    for (const Codec* const codec : codecs())
        for (const auto& [what, content] : things) {
            SCOPED_TRACE(std::string(codec->name) + ", " + what);
            const Bytes packed = codec->pack(content, sample_of(*codec));
            EXPECT_EQ(measure(*codec, packed, {}).packed, packed.size());
            ASSERT_EQ(content_of(*codec, packed), content);
            EXPECT_EQ(repacked(*codec, packed, content, {}), packed) << "the same content";
            Bytes padded = packed;
            if (!codec->by_rules_only) padded.resize((packed.size() + 31) / 32 * 32 + 32);
            const Bytes other = repacked(*codec, padded, makers::poked(content, content.size() / 2, 0x41), {});
            EXPECT_EQ(content_of(*codec, other), makers::poked(content, content.size() / 2, 0x41));
        }
}

TEST(Payloads, KeepSettingsAndPadding) {
    const Bytes gzip = from_hex(samples[6].hex), changed = bytes_from("Fog Harbour");
    const Bytes closed = repacked(codec_named("gzip"), gzip, changed, {});
    EXPECT_TRUE(std::equal(gzip.begin(), gzip.begin() + 20, closed.begin())) << "the name and time inside";
    Bytes lz = from_hex(samples[0].hex);
    lz.resize(64, std::byte{0});
    EXPECT_EQ(repacked(codec_named("lz10"), lz, changed, {}).size(), 64U) << "padded to 64 as before";
    const Bytes wrapped = [&] {
        Bytes bytes = bytes_from("LZ77");
        const Bytes inner = from_hex(samples[0].hex);
        bytes.insert(bytes.end(), inner.begin(), inner.end());
        return bytes;
    }();
    EXPECT_EQ(codec_of(MemorySource(wrapped)), &codec_named("lz10"));
    EXPECT_EQ(text_of(repacked(codec_named("lz10"), wrapped, changed, {})).substr(0, 4), "LZ77");
    // A payload without copies from the byte before gets none; one that has them keeps to the fewest bytes.
    const Bytes zeros(1000);
    const Bytes safe = codec_named("lz10").pack(zeros, from_hex(samples[0].hex));
    const Bytes near_copies = codec_named("lz10").pack(zeros, from_hex("1005000040001000"));
    EXPECT_EQ(content_of(codec_named("lz10"), safe), zeros);
    EXPECT_EQ(std::to_integer<int>(safe[4]), 0x3F) << "two literals first";
    EXPECT_EQ(std::to_integer<int>(near_copies[4]), 0x7F) << "one literal";
}

/// The fewest bits, by trying every copy at every place.
std::uint64_t fewest_bits(ByteView content, const LzRules& rules) {
    std::vector<std::uint64_t> cost(content.size() + 1);
    for (std::size_t at = content.size(); at-- > 0;) {
        cost[at] = cost[at + 1] + rules.literal_bits;
        for (std::size_t distance = rules.least_distance; distance <= std::min<std::size_t>(at, rules.window);
             ++distance)
            for (std::size_t n = 1; at + n <= content.size() && content[at + n - 1] == content[at + n - 1 - distance];
                 ++n)
                for (const CopyCost& copy : rules.costs)
                    if (n >= copy.least && n <= copy.most) cost[at] = std::min(cost[at], cost[at + n] + copy.bits);
    }
    return cost[0];
}

TEST(Payloads, ArePackedInTheFewestBytes) {
    const CopyCost lz10[] = {{3, 18, 17}}, lz11[] = {{3, 0x10, 17}, {0x11, 0x110, 25}, {0x111, 0x10110, 33}},
                   yaz0[] = {{3, 0x11, 17}, {0x12, 0x111, 25}};
    const struct {
        const char* codec;
        std::span<const CopyCost> costs;
        std::size_t header;
        const char* near_copies;  ///< a payload with a copy from the byte before
    } rows[] = {{"lz10", lz10, 4, "1005000040001000"},
                {"lz11", lz11, 4, "1105000040003000"},
                {"yaz0", yaz0, 16, "59617a30000000000000000000000000"}};
    std::minstd_rand random(11);
    for (int round = 0; round < 60; ++round) {
        Bytes content(1 + below(random, round % 20 == 0 ? 700 : 160));
        const unsigned values = 1 + below(random, 4), run = 1 + below(random, 90);
        for (std::size_t i = 0; i < content.size(); ++i)
            content[i] = i % run != 0 && i > 0 ? content[below(random, 9) == 0 ? below(random, i) : i - 1]
                                               : static_cast<std::byte>(random() % values);
        for (const auto& row : rows) {
            const Codec& codec = codec_named(row.codec);
            for (const std::uint32_t least_distance : {1U, 2U}) {
                const LzRules rules{.costs = row.costs, .least_distance = least_distance};
                std::uint64_t bits = 0;
                std::size_t at = 0;
                for (const LzStep& step : cheapest_parse(content, rules)) {
                    bits += rules.literal_bits;
                    if (step.distance != 0) {
                        ASSERT_GE(step.distance, least_distance);
                        for (std::size_t i = at; i < at + step.length; ++i)
                            ASSERT_EQ(content[i], content[i - step.distance]);
                        for (const CopyCost& copy : row.costs)
                            if (step.length >= copy.least && step.length <= copy.most) bits += copy.bits - 9;
                    }
                    at += step.length;
                }
                ASSERT_EQ(bits, fewest_bits(content, rules)) << row.codec << ", round " << round;
            }
            const std::uint64_t bits = fewest_bits(content, {.costs = row.costs});
            EXPECT_EQ(codec.pack(content, from_hex(row.near_copies)).size(), row.header + (bits + 7) / 8) << row.codec;
        }
        // Runs: a run of 3 to 130 in two bytes, 1 to 128 literals in one more.
        std::vector<std::size_t> cost(content.size() + 1);
        for (std::size_t i = content.size(); i-- > 0;) {
            cost[i] = SIZE_MAX;
            for (std::size_t n = 1; n <= 130 && i + n <= content.size(); ++n) {
                if (n <= 128) cost[i] = std::min(cost[i], 1 + n + cost[i + n]);
                if (n >= 3 && all_equal(ByteView(content).subspan(i, n))) cost[i] = std::min(cost[i], 2 + cost[i + n]);
            }
        }
        EXPECT_EQ(codec_named("rle").pack(content, sample_of(codec_named("rle"))).size(), 4 + cost[0]);
    }
}

TEST(Payloads, HuffmanTreesOfEveryShapeFit) {
    std::minstd_rand random(13);
    const Codec& codec = codec_named("huffman8");
    for (int round = 0; round < 200; ++round) {
        // Weights that fall off slowly, quickly, in steps, or not at all.
        const double fall = 1.0 + (below(random, 1000)) / (round % 4 == 0 ? 400.0 : 20'000.0);
        const unsigned symbols = 2 + below(random, 255);
        Bytes content;
        double weight = 1;
        for (unsigned s = 0; s < symbols; ++s, weight = std::min(weight * fall, 3000.0))
            content.insert(content.end(), static_cast<std::size_t>(weight), static_cast<std::byte>(s));
        const Bytes packed = codec.pack(content, sample_of(codec));
        ASSERT_EQ(content_of(codec, packed), content) << round;
        ASSERT_EQ((packed.size()) % 4, 0U);
    }
}

TEST(Payloads, BrokenOnesAreRefusedWithTheirPlace) {
    const struct {
        const char *codec, *hex, *field;
        std::uint64_t offset;
    } rows[] = {
        {"lz10", "1000", "header", 2},
        {"lz10", "10280000", "flags", 4},
        {"lz10",
         "1028000000"
         "4b",
         "literal", 6},
        {"lz10",
         "1028000080"
         "f00d",
         "copy distance", 5},
        {"lz10",
         "1004000040"
         "4b"
         "f000",
         "copy length", 6},
        {"lz10",
         "10ffffff00"
         "4b",
         "literal", 6},
        {"lz10",
         "1000000000000010"
         "00",
         "literal", 9},
        {"lz11",
         "1128000040"
         "4b"
         "1000",
         "copy", 6},
        {"lz11",
         "1128000080"
         "00900d",
         "copy distance", 5},
        {"lz11",
         "11ffffff00"
         "4b",
         "literal", 6},
        {"yaz0", "59617a3000000028", "header", 8},
        {"yaz0",
         "59617a3000000028000000000000000080"
         "4b"
         "00",
         "copy", 18},
        {"yaz0",
         "59617a3000000028000000000000000000"
         "100d",
         "copy distance", 17},
        {"yaz0",
         "59617a30ffffffff000000000000000000"
         "100d",
         "copy distance", 17},
        {"huffman8", "28040000", "tree size", 4},
        {"huffman8", "28040000ff00", "tree", 4},
        {"huffman8", "2804000001c04b4b", "codes", 8},
        {"huffman8",
         "280400000100"
         "0101"
         "00000000",
         "offset in the tree", 7},
        {"huffman4", "2404000001c0ff4b00000000", "symbol in the tree", 6},
        {"huffman8", "28ffffff01c04b4b00000000", "codes", 12},
        {"rle", "30280000", "flag", 4},
        {"rle",
         "30280000"
         "85",
         "run", 4},
        {"rle",
         "30280000"
         "05"
         "4b",
         "literal", 4},
        {"rle",
         "30040000"
         "85"
         "4b",
         "length", 4},
        {"lz4-block",
         "1f4b0000"
         "02",
         "copy distance", 2},
        {"lz4-block",
         "1f4b0500"
         "02",
         "copy distance", 2},
        {"lz4-block", "ff4b", "literals", 2},
    };
    for (const auto& row : rows) try {
            const Bytes packed = from_hex(row.hex);
            measure(codec_named(row.codec), packed, {});
            ADD_FAILURE() << row.codec << " " << row.hex << " passed";
        } catch (const Error& error) {
            EXPECT_EQ(error.field(), row.field) << row.codec << " " << row.hex << ": " << error.what();
            EXPECT_EQ(error.offset(), row.offset) << row.codec << " " << row.hex;
        }
    // One that has a word is a broken payload; others are no payloads.
    EXPECT_EQ(identify(from_hex("59617a3000000028000000000000000000100d00")).kind.id, KindId::payload);
    EXPECT_THROW(open_container(MemorySource(from_hex("59617a3000000028000000000000000000100d00"))), Error);
    EXPECT_EQ(identify(from_hex("1028000080f00d00000000")).kind.id, KindId::data);
    // What would never end stops at a budget: 64 MiB of zeros in 64 KiB, in bare deflate, claimed a thousand times.
    const Bytes bomb = codec_named("zlib").pack(Bytes(std::size_t{64} << 20), sample_of(codec_named("zlib")));
    Limits small;
    small.archive_unpacked = 1 << 20;
    EXPECT_THROW(measure(codec_named("zlib"), bomb, small), Error);
}

TEST(Payloads, OtherFilesAreNone) {
    for (const auto& [name, bytes] : makers::other_files()) {
        const Identity identity = identify(bytes);
        EXPECT_NE(identity.kind.id, KindId::payload) << name << ": " << identity.kind.title;
        const bool begins = text_of(bytes).starts_with("MZ") || text_of(bytes).starts_with(
                                                                    "\x7F"
                                                                    "ELF");
        EXPECT_EQ(identity.is(KindId::executable), begins) << name;
    }
}

class PutIntoPayloads : public testing::Test {
protected:
    ToolResult run(std::vector<std::string> arguments) const { return run_tool(arguments, {.folder = folder.path()}); }
    TemporaryFolder folder;
};

TEST_F(PutIntoPayloads, AtAnyDepthAndTry) {
    const Codec &lz = codec_named("lz10"), &yaz = codec_named("yaz0");
    const Bytes inner = lz.pack(bytes_of(kelp), sample_of(lz)), outer = yaz.pack(inner, sample_of(yaz));
    folder.put("units.bin", outer);
    folder.put("new.txt", "Fog Harbour");
    const auto listed = run({"parts", "units.bin", "--deep", "--json"}).json();
    ASSERT_EQ(listed["parts"].size(), 2U);
    EXPECT_EQ(listed["parts"][1]["name"], "content:content");
    EXPECT_EQ(run({"take", "units.bin:content:content", "-o", "-"}).out, kelp);
    for (const std::vector<std::string>& call :
         {std::vector<std::string>{"put", "units.bin", "content:content=new.txt", "-o", "a.bin"},
          {"put", "units.bin:content", "content=new.txt", "-o", "b.bin"}}) {
        const ToolResult made = run(call);
        ASSERT_EQ(made.code, 0) << made.err;
        EXPECT_EQ(run({"take", call.back() + ":content:content", "-o", "-"}).out, "Fog Harbour");
    }
    EXPECT_EQ(run({"put", "units.bin", "content:content=new.txt", "--patch", "fog.bps"}).code, 0);
    EXPECT_EQ(run({"apply", "units.bin", "fog.bps", "-o", "c.bin"}).code, 0);
    EXPECT_EQ(contents(folder / "c.bin"), contents(folder / "a.bin"));
    // Nothing but the command's own exit code, and only when all is right.
    const ToolResult tried = run({"put", "units.bin", "content:content=new.txt", "-o", "it's.bin", "--then",
                                  "test -s {} && echo tried; exit 7"});
    EXPECT_EQ(tried.code, 7);
    EXPECT_NE(tried.out.find("tried\n"), std::string::npos);
    const ToolResult json = run({"apply", "units.bin", "fog.bps", "-o", "d.bin", "--then", "echo noise {}", "--json"});
    EXPECT_EQ(json.json()["answer"], "made") << "one document";
    EXPECT_NE(json.err.find("noise"), std::string::npos);
    EXPECT_EQ(run({"apply", "new.txt", "fog.bps", "-o", "e.bin", "--then", "touch ran"}).code, 1);
    EXPECT_FALSE(std::filesystem::exists(folder / "ran"));
    EXPECT_EQ(run({"put", "units.bin", "content=new.txt", "-o", "-", "--then", "true"}).code, 2);
    // In an archive it opens; a compressed file takes other content, an archive does not.
    folder.put("k.gz", from_hex(samples[6].hex));
    ASSERT_EQ(
        std::system(("cd '" + folder.path().string() + "' && bsdtar --format=zip -cf game.zip units.bin").c_str()), 0);
    EXPECT_EQ(run({"take", "game.zip:units.bin:content:content", "-o", "-"}).out, kelp);
    EXPECT_EQ(run({"put", "k.gz", "content=new.txt", "-o", "new.gz"}).code, 0);
    EXPECT_EQ(run({"take", "new.gz:content", "-o", "-"}).out, "Fog Harbour");
    EXPECT_EQ(run({"put", "game.zip:units.bin", "content=new.txt", "-o", "new.zip"}).code, 3);
    // In place, and back.
    EXPECT_EQ(run({"put", "units.bin", "content:content=new.txt", "--in-place"}).code, 0);
    EXPECT_EQ(run({"undo", "units.bin"}).code, 0);
    EXPECT_EQ(contents(folder / "units.bin"), outer);
    EXPECT_EQ(run({"put", "units.bin", "content:bank 1=new.txt", "-o", "f.bin"}).code, 2);
}

}  // namespace
}  // namespace hotstitch
