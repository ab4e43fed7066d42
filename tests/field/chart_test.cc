// SPDX-License-Identifier: MIT
// Charts: what lies where, counted the same from two files and from every kind of patch between them.
#include "hotstitch/chart.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <numeric>

#include "data_files.h"
#include "disc.h"
#include "hotstitch/change_list.h"
#include "hotstitch/create.h"
#include "hotstitch/fields.h"
#include "hotstitch/map.h"
#include "kelp_harbour.h"
#include "lib/patch_makers.h"

namespace hotstitch {
namespace {

/// "header 4 in 1, bank 0 10 in 5"
std::string told(const Chart& chart) {
    std::string text;
    for (const ChartRegion* const region : changed_regions(chart, 99))
        text +=
            fmt::format("{}{} {} in {}", text.empty() ? "" : ", ", words_for(*region), region->changed, region->places);
    return text;
}

std::uint64_t sum(const std::vector<std::uint64_t>& cells) {
    return std::accumulate(cells.begin(), cells.end(), std::uint64_t{0});
}

TEST(Chart, NamesTheRegionsOfACartridge) {
    const Bytes rom = demo::kelp_harbour(1);
    Bytes changed_rom = rom;
    for (const std::size_t at : {0x7FD9U, 0x7FDCU, 0x8123U, 0x10000U, 0x10001U}) changed_rom[at] ^= std::byte{0x55};
    const MemorySource source(rom), target(changed_rom);
    const Chart chart = chart_of(source, target, {.places = 3});
    EXPECT_EQ(told(chart), "header 2 in 2, bank 1 1 in 1, bank 2 2 in 1");
    EXPECT_EQ(chart.changed, 5U);
    EXPECT_EQ(sum(chart.cells), 5U);
    EXPECT_EQ(chart.first.size(), 3U);
    EXPECT_EQ(chart.first[1].source, (ByteRange{0x7FDC, 1}));
    // The same from a patch that writes just these bytes.
    const auto patch = create(rom, changed_rom, {.format = PatchFormat::edits});
    std::uint64_t places = 0;
    for (const ChartRegion& region : chart_of(source, *open_patch(patch)).regions) places += region.places;
    EXPECT_EQ(places, 4U) << "what differs, not what the patch writes along";
}

TEST(Chart, CountsTheSameWhateverTheCells) {
    makers::Random random(5);
    for (int round = 0; round < 100; ++round) {
        const Bytes source = makers::file_like(random, 1 + makers::below(random, 5000)),
                    target = makers::modified(random, source);
        const MemorySource a(source), b(target);
        const auto ranges = differing_ranges(source, target);
        std::uint64_t inside = 0, grown = 0;
        for (const ByteRange& range : ranges) {
            const std::uint64_t there =
                std::min(range.length, source.size() - std::min<std::uint64_t>(range.offset, source.size()));
            inside += there, grown += range.length - there;
        }
        for (const std::size_t cells : {std::size_t{1}, std::size_t{7}, std::size_t{1024}}) {
            const Chart chart = chart_of(a, b, {.cells = cells, .region_cells = cells, .places = 5000});
            EXPECT_EQ(chart.changed, inside);
            EXPECT_EQ(chart.grown, grown);
            EXPECT_EQ(chart.places, ranges.size());
            EXPECT_EQ(sum(chart.cells), inside);
            std::uint64_t of_regions = 0;
            for (const ChartRegion& region : chart.regions) of_regions += region.changed;
            EXPECT_EQ(of_regions, inside);
            for (std::size_t i = 0; i < chart.first.size(); ++i)
                EXPECT_EQ(chart.first[i].source.offset, std::min<std::uint64_t>(ranges[i].offset, source.size()));
        }
        for (const PatchFormat format : {PatchFormat::ips32, PatchFormat::bps, PatchFormat::ups, PatchFormat::vcdiff}) {
            if (format == PatchFormat::ips32 && target.size() < source.size()) continue;
            const Chart chart = chart_of(a, *open_patch(create(source, target, {.format = format})));
            EXPECT_EQ(chart.target_size, target.size());
            EXPECT_EQ(chart.places == 0, source == target);
        }
    }
}

TEST(Chart, AnInsertionIsOnePlace) {
    makers::Random random(6);
    const Bytes source = makers::file_like(random, 50'000);
    Bytes target = source;
    target.insert(target.begin() + 20'000, 64, std::byte{0x99});
    const MemorySource a(source);
    const Chart chart = chart_of(a, *open_patch(create(source, target)), {.places = 4});
    EXPECT_LE(chart.places, 2U);
    EXPECT_LE(chart.changed, 100U);
    EXPECT_NEAR(static_cast<double>(chart.first.at(0).source.offset), 20'000, 64);
}

TEST(Chart, DiscsWhoseFilesHaveMovedAreComparedByFiles) {
    const Bytes disc = demo::disc(demo::kelp_harbour_files(0)), later = demo::disc(demo::kelp_harbour_files(1));
    const MemorySource a(disc), b(later);
    const Chart chart = chart_of(a, b);
    EXPECT_TRUE(chart.by_files);
    ASSERT_EQ(chart.added.size(), 1U);
    EXPECT_EQ(chart.added[0].first, "FILMS/TIDE.BIN");
    EXPECT_NE(told(chart).find("DATA/BERTHS.BIN 2 in 2"), std::string::npos) << told(chart);
    // The same for images in whole sectors.
    const Bytes raw = demo::in_sectors(disc, 2), raw_later = demo::in_sectors(later, 2);
    EXPECT_EQ(told(chart_of(MemorySource(raw), MemorySource(raw_later))), told(chart));
    Bytes touched = raw;
    touched[(0x020800 / 2048) * 2352 + 24 + 5] ^= std::byte{1};
    EXPECT_NE(told(chart_of(MemorySource(raw), MemorySource(touched))).find("DATA/BERTHS.BIN 1 in 1"),
              std::string::npos);
}

TEST(Chart, TablesAreNamedByTheirFields) {
    Limits limits;
    auto maps = std::make_shared<Maps>();
    maps->add(read_map(demo::map_of(false), "kelp", [](const std::string&) { return makers::bytes(demo::letters()); }));
    limits.maps = maps;
    const Bytes file = demo::harbour_data(false);
    Bytes other = file;
    other[0x200 + 32 + 16] = std::byte{9};
    other[0x500 + 4 * 2] = std::byte{1};
    other[0xF80] = std::byte{1};
    const MemorySource a(file), b(other);
    const Chart chart = chart_of(a, b, {.limits = limits});
    EXPECT_EQ(told(chart), "elsewhere 1 in 1, berth 1 in 1, tide 1 in 1");
    EXPECT_EQ(changed_regions(chart, 1).size(), 1U);
    for (const ChartRegion& region : chart.regions)
        if (region.name == "berth") {
            EXPECT_EQ(region.names, std::vector<std::string>{"berth[Old Pier]: depth"});
        }
}

TEST(Chart, ThePictureIsWellFormedAndSaysItAll) {
    const Bytes rom = demo::kelp_harbour(1), mod = demo::night_tides(rom);
    const MemorySource a(rom), b(mod);
    const Chart chart = chart_of(a, b);
    const std::string svg = chart_svg(chart, "A <title> & \"more\"\x1b");
    EXPECT_TRUE(svg.starts_with("<svg ") && svg.ends_with("</svg>\n"));
    EXPECT_NE(svg.find("A &lt;title&gt; &amp; &quot;more&quot;\\x1b"), std::string::npos);
    EXPECT_EQ(std::count(svg.begin(), svg.end(), '<'), std::count(svg.begin(), svg.end(), '>'));
    for (const ChartRegion* const region : changed_regions(chart, 40))
        EXPECT_NE(svg.find(">" + region->name + "<"), std::string::npos) << region->name;
    EXPECT_GT(chart.in_free_space, 1000U);
    const MemorySource nothing{ByteView()};
    EXPECT_NE(chart_svg(chart_of(nothing, nothing), "empty").find("0 bytes changed"), std::string::npos);
    EXPECT_EQ(chart_of(nothing, b).grown, mod.size());
}

}  // namespace
}  // namespace hotstitch
