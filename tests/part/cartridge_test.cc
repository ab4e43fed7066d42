// SPDX-License-Identifier: MIT
// Around cartridge images: addresses, free space, front headers, known files, and what a patch without checks shows.
#include <gtest/gtest.h>

#include "cartridges.h"
#include "hotstitch/cartridge.h"
#include "hotstitch/checks.h"
#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/fit.h"
#include "hotstitch/place.h"
#include "lib/rom_makers.h"

namespace hotstitch {
namespace {

std::string refused(const std::function<void()>& call) {
    try {
        call();
    } catch (const Error& error) {
        return std::string(name_of(error.code())) + ": " + error.what();
    }
    return "none";
}

TEST(MemoryMap, AddressesAndOffsetsBothWays) {
    const Bytes lorom = demo::kelp_harbour(1), headered = demo::with_front_header(lorom),
                hirom = makers::hirom(1 << 20),
                lorom4 =
                    [&] {
                        Bytes big = lorom;
                        big.resize(4 << 20);
                        return big;
                    }(),
                ex_hi = makers::ex_hirom(8 << 20), ex_lo = makers::ex_lorom(6 << 20), game_boy = demo::game_boy_kelp(),
                nes = demo::nes_kelp(), gba = demo::game_boy_advance_kelp();
    const struct {
        const Bytes& rom;
        const char* asked;
        std::uint64_t file_offset;
        const char* address;
    } cases[] = {
        {lorom, "00:8000", 0, "00:8000"},
        {lorom, "80:8000", 0, "00:8000"},
        {lorom, "$1C8000", 0xE0000, "1C:8000"},
        {lorom, "0x9fffff", 0xFFFFF, "1F:FFFF"},
        {lorom, "+7fc0", 0x7FC0, "00:FFC0"},
        {headered, "00:FFC0", 0x81C0, "00:FFC0"},
        {headered, "+0x200", 0x200, "00:8000"},
        {lorom4, "+3F0000", 0x3F0000, "FE:8000"},
        {lorom4, "FF:8000", 0x3F8000, "FF:8000"},
        {hirom, "C0:0000", 0, "C0:0000"},
        {hirom, "00:8000", 0x8000, "C0:8000"},
        {hirom, "4F:1234", 0xF1234, "CF:1234"},
        {ex_hi, "C0:FFC0", 0xFFC0, "C0:FFC0"},
        {ex_hi, "40:FFC0", 0x40FFC0, "40:FFC0"},
        {ex_hi, "3E:8000", 0x7E8000, "3E:8000"},
        {ex_hi, "+7E0000", 0x7E0000, ""},
        {ex_lo, "80:8000", 0, "80:8000"},
        {ex_lo, "00:8000", 0x400000, "00:8000"},
        {game_boy, "00:0100", 0x100, "00:0100"},
        {game_boy, "03:4000", 0xC000, "03:4000"},
        {game_boy, "4001", 0x4001, "01:4001"},
        {nes, "00:8000", 16, "00:8000"},
        {nes, "01:C000", 0x4010, "01:C000"},
        {nes, "FFFC", 0x800C, "01:FFFC"},
        {nes, "+8010", 0x8010, ""},
        {gba, "08000100", 0x100, "08000100"},
        {gba, "0x0A000100", 0x100, "08000100"},
    };
    for (const auto& c : cases) {
        const auto image = recognise_cartridge(c.rom);
        ASSERT_TRUE(image) << c.asked;
        const Place place = place_at(*image, c.rom, c.asked);
        EXPECT_EQ(place.file_offset, c.file_offset) << image->mapping << " " << c.asked;
        EXPECT_EQ(place.address, c.address) << image->mapping << " " << c.asked;
        // Every address leads back.
        if (*c.address == '\0') continue;
        EXPECT_EQ(place_at(*image, c.rom, c.address).file_offset, c.file_offset) << c.asked;
    }
    const struct {
        const Bytes& rom;
        const char* asked;
        const char* error;
    } wrong[] = {{lorom, "7E:8000", "usage: no ROM stands"},
                 {lorom, "00:1000", "usage: no ROM stands"},
                 {lorom, "40:8000", "usage: 40:8000 lies past"},
                 {lorom, "harbour", "usage: \"harbour\" is no address"},
                 {lorom, "+100000", "usage: +100000 lies past"},
                 {headered, "+100", "usage: +100 lies in the front header"},
                 {game_boy, "00:4000", "usage: no ROM"},
                 {gba, "02000000", "usage: no ROM"},
                 {nes, "00:6000", "usage: no ROM"},
                 {lorom, "", "usage: \"\" is no address"},
                 {lorom, "+", "usage: \"+\" is no address"}};
    for (const auto& w : wrong)
        EXPECT_EQ(refused([&] { place_at(*recognise_cartridge(w.rom), w.rom, w.asked); }).find(w.error), 0U)
            << refused([&] { place_at(*recognise_cartridge(w.rom), w.rom, w.asked); });
    const Bytes n64 = demo::nintendo_64_kelp();
    EXPECT_EQ(refused([&] { place_at(*recognise_cartridge(n64), n64, "80000400"); }).find("unsupported"), 0U);
    EXPECT_EQ(place_at(*recognise_cartridge(n64), n64, "+40").file_offset, 0x40U);
}

TEST(MemoryMap, FreeSpaceIsCutWhereBanksEnd) {
    const Bytes rom = demo::kelp_harbour(1);
    const auto runs = free_runs(*recognise_cartridge(rom), rom);
    ASSERT_FALSE(runs.empty());
    std::uint64_t before = 0;
    for (const FreeRun& run : runs) {
        EXPECT_GE(run.length, 256U);
        EXPECT_GE(run.offset, before);
        before = run.offset + run.length;
        EXPECT_EQ(run.offset / 0x8000, (before - 1) / 0x8000) << "within one bank";
        EXPECT_EQ(run.bank, run.offset / 0x8000);
        EXPECT_TRUE(all_equal(ByteView(rom).subspan(run.offset, run.length)));
    }
    EXPECT_EQ(runs.back().offset, 0xF8000U);
    EXPECT_EQ(runs.back().length, 0x8000U);
    // The same in an interleaved dump, counted as the console reads it.
    const Bytes plain = demo::mega_drive_kelp(), dump = demo::interleaved(plain);
    EXPECT_EQ(free_runs(*recognise_cartridge(dump), dump).back().offset,
              free_runs(*recognise_cartridge(plain), plain).back().offset);
}

TEST(FrontHeader, WhatSpeaksForItDecidesWhetherItIsSure) {
    EXPECT_TRUE(front_header_of(demo::with_front_header(demo::kelp_harbour(0))).sure);
    EXPECT_EQ(front_header_of(demo::kelp_harbour(0)).size, 0U);
    EXPECT_EQ(front_header_of(demo::nes_kelp()).size, 16U);
    EXPECT_EQ(front_header_of(demo::lynx_kelp()).size, 64U);
    const FrontHeader weak = front_header_of(Bytes(1024 + 512, std::byte{7}));
    EXPECT_EQ(weak.size, 512U);
    EXPECT_FALSE(weak.sure);
    const FrontHeader likely = front_header_of(demo::with_front_header(demo::pc_engine_kelp()));
    EXPECT_EQ(likely.size, 512U);
    EXPECT_FALSE(likely.sure) << "five vectors are no certainty";
}

TEST(FrontHeader, NesHeadersAreMadeFromWords) {
    const auto hex_of = [](std::string_view words) { return hex(nes_front_header(words)); };
    EXPECT_EQ(hex_of("prg=32K,chr=8K,mapper=1,mirroring=vertical,battery"), "4e45531a020113000000000000000000");
    EXPECT_EQ(hex_of("prg=16K"), "4e45531a010000000000000000000000");
    EXPECT_EQ(hex_of("prg=512K,chr=0,mapper=66,mirroring=four,trainer"), "4e45531a20002c400000000000000000");
    EXPECT_EQ(hex_of("prg=32K,chr=8K,mapper=289,submapper=3,timing=pal"), "4e45531a020110283100000001000000");
    // 512 units need the high nibbles; 24 KiB is no multiple of 16, but 2^13 * 3 bytes.
    EXPECT_EQ(hex_of("prg=8M,chr=3M"), "4e45531a008000080012000000000000");
    EXPECT_EQ(hex_of("prg=24K,chr=8K"), "4e45531a35010008000f000000000000");
    for (const char* wrong : {"", "chr=8K", "prg=0", "prg=5000", "prg=16K,mapper=4096", "prg=16K,mirroring=sideways",
                              "prg=16K,colour", "prg=lots", "prg=16K,timing=slow"})
        EXPECT_EQ(refused([&] { nes_front_header(wrong); }).find("usage"), 0U) << wrong;
    EXPECT_EQ(copier_front_header("snes"), Bytes(512));
    EXPECT_EQ(refused([] { copier_front_header("gba"); }).find("usage"), 0U);
}

TEST(KnownFiles, ReadsWhatCoreutilsPrintAndCsv) {
    const std::string sha1(40, 'a'), sha256(64, 'B');
    const KnownFiles known = KnownFiles::parse(
        "\xEF\xBB\xBF"
        "# bases\r\n" +
        sha1 + "  Kelp Harbour (Europe).sfc\r\n" + sha256 +
        " *Kelp Harbour (Americas).sfc\n\n6f184ef6,1048576,\"Kelp \"\"Harbour\"\", r1\"\n" + "\\" +
        std::string(40, 'c') + "  odd\\nname");
    ASSERT_EQ(known.files().size(), 4U);
    EXPECT_EQ(known.files()[0].name, "Kelp Harbour (Europe).sfc");
    EXPECT_EQ(known.files()[1].name, "Kelp Harbour (Americas).sfc");
    EXPECT_EQ(known.files()[2].name, "Kelp \"Harbour\", r1");
    EXPECT_TRUE(known.choice().crc32 && known.choice().sha1 && known.choice().sha256 && !known.choice().md5);
    const auto with = [](std::string_view text) {
        Digests digests;
        add_digest(digests, text);
        return digests;
    };
    EXPECT_EQ(known.find(with("sha256:" + sha256))->name, "Kelp Harbour (Americas).sfc");
    EXPECT_EQ(known.find(with("crc32:6f184ef6"))->name, "Kelp \"Harbour\", r1");
    Digests other_size = with("crc32:6f184ef6");
    other_size.size = 7;
    EXPECT_EQ(known.find(other_size), nullptr);
    EXPECT_EQ(known.find(with("size:1048576")), nullptr) << "a size alone names nothing";
    EXPECT_TRUE(KnownFiles::parse("crc32,size,name\n").files().empty());
    for (const char* bad : {"Kelp Harbour\n", "xyz,1,name\n", "6f184ef6,1,\n", "6f184ef6,big,name\n"})
        EXPECT_EQ(refused([&] { KnownFiles::parse(bad); }).find("damaged"), 0U) << bad;
}

TEST(RepresentationOpinion, APatchWithoutChecksShowsWhatItWasMadeFor) {
    const Bytes plain = demo::kelp_harbour(1), headered = demo::with_front_header(plain);
    const auto patch_for = [](const Bytes& source, const Bytes& target) {
        return hotstitch::create(source, target, {.format = PatchFormat::ips});
    };
    const auto opinion = [](const Bytes& patch, const Bytes& file) {
        return opinion_on_representation(*open_patch(patch), file).opinion;
    };
    for (const auto& mod : {demo::night_tides, demo::fog_signals, demo::longer_berths}) {
        const Bytes target = mod(plain), for_plain = patch_for(plain, target),
                    for_headered = patch_for(headered, demo::with_front_header(target));
        EXPECT_FALSE(opinion(for_plain, plain));
        EXPECT_FALSE(opinion(for_headered, headered));
        const auto off = opinion(for_plain, headered), on = opinion(for_headered, plain);
        ASSERT_TRUE(off && on);
        EXPECT_TRUE(off->sure() && on->sure());
        EXPECT_EQ(off->reading.kind, RepresentationKind::without_front_header);
        EXPECT_EQ(on->reading.kind, RepresentationKind::with_front_header);
    }
    // A mod that leaves the checksum stale, and grows: where it ends tells, and is not sure.
    Bytes stale = demo::longer_berths(plain);
    stale[0x7FDE] ^= std::byte{1};
    const auto by_reach = opinion(patch_for(headered, demo::with_front_header(stale)), plain);
    ASSERT_TRUE(by_reach);
    EXPECT_FALSE(by_reach->sure());
    // Records that take in unchanged bytes between changed ones.
    Bytes edited = plain;
    for (std::size_t i = 0; i < 400; i += 2) edited[0x40100 + i] ^= std::byte{0x55};
    const auto by_bytes = opinion(patch_for(headered, demo::with_front_header(edited)), plain);
    ASSERT_TRUE(by_bytes);
    EXPECT_FALSE(by_bytes->sure());
    EXPECT_EQ(by_bytes->ground, RepresentationOpinion::Ground::holds_more_bytes);
    EXPECT_FALSE(opinion(patch_for(plain, demo::fog_signals(plain)), Bytes(plain.size())));
}

/// Counts how often a patch is walked.
class CountingReader final : public PatchReader {
public:
    explicit CountingReader(const PatchReader& patch) : patch_(patch) {}
    const PatchFacts& facts() const noexcept override { return patch_.facts(); }
    std::uint64_t target_size(std::uint64_t size) const noexcept override { return patch_.target_size(size); }
    Flow read(std::uint64_t size, EditSink& sink) const override { return ++walks, patch_.read(size, sink); }
    mutable int walks = 0;

private:
    const PatchReader& patch_;
};

TEST(RepresentationOpinion, OneWalkOverThePatchMakesTheTargetInTheRightRepresentation) {
    const Bytes n64 = demo::nintendo_64_kelp(), drive = demo::mega_drive_kelp();
    const struct {
        Bytes rom;
        Bytes (*dumped)(const Bytes& rom);
        RepresentationKind kind;
    } cases[] = {
        {n64, [](const Bytes& rom) { return demo::with_pairs_swapped(rom); }, RepresentationKind::pairs_swapped},
        {drive, [](const Bytes& rom) { return demo::interleaved(rom); }, RepresentationKind::de_interleaved},
        {demo::kelp_harbour(1), [](const Bytes& rom) { return demo::with_front_header(rom); },
         RepresentationKind::without_front_header}};
    for (const auto& c : cases) {
        const Bytes dump = c.dumped(c.rom);
        const Bytes target = makers::mended(makers::poked(c.rom, 0x4321, 0x77), {{"checksum", {}}});
        const Bytes patch = hotstitch::create(c.rom, target, {.format = PatchFormat::ips});
        const auto opened = open_patch(patch);
        const CountingReader reader(*opened);
        const RepresentationTrial trial = opinion_on_representation(reader, dump);
        ASSERT_TRUE(trial.opinion);
        EXPECT_TRUE(trial.opinion->sure());
        EXPECT_EQ(trial.opinion->reading.kind, c.kind);
        EXPECT_EQ(trial.made, target);
        EXPECT_EQ(reader.walks, 1);
        // As it is where it was made for the dump.
        const Bytes other = c.dumped(target);
        EXPECT_EQ(
            opinion_on_representation(*open_patch(hotstitch::create(dump, other, {.format = PatchFormat::ips})), dump)
                .made,
            other);
    }
}

}  // namespace
}  // namespace hotstitch
