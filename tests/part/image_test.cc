// SPDX-License-Identifier: MIT
// Every platform: the right image, each of its checks spoiled, each representation it goes around in; recognised, and
// mended to the exact bytes expected.
#include "hotstitch/cartridge.h"

#include <gtest/gtest.h>

#include <functional>

#include "cartridges.h"
#include "hotstitch/error.h"
#include "hotstitch/mend.h"
#include "lib/rom_makers.h"

namespace hotstitch {
namespace {

using makers::poked;
using namespace std::string_literals;

struct Row {
    const char* platform;
    Bytes rom;
    const char* edition;
    std::vector<std::size_t> check_places;  ///< a byte of each check that can be mended
    bool copier_header = false;
    std::vector<std::size_t> unmendable{};  ///< spoiling these is reported and not mended
};

std::vector<Row> rows() {
    const Bytes wonderswan = demo::wonderswan_kelp();
    return {
        {"snes", demo::kelp_harbour(1), "KELP HARBOUR, Europe, revision 1", {0x7FDE, 0x7FDC}, true},
        {"snes", makers::hirom(1 << 20), "KELP HARBOUR, Americas, revision 0", {0xFFDE, 0xFFDD}, true},
        {"snes", makers::hirom(0x1C0000), "KELP HARBOUR, Americas, revision 0", {0xFFDE, 0xFFDD}, true},
        {"snes", makers::ex_hirom(6 << 20), "KELP HARBOUR, Americas, revision 0", {0x40FFDE}, true},
        {"snes", makers::ex_lorom(6 << 20), "KELP HARBOUR, Americas, revision 0", {0x407FDE}, true},
        {"nes", demo::nes_kelp(), "Nintendo Entertainment System (NES)", {}},
        {"nes-disk", demo::nes_disk_kelp(), "KLP, revision 1", {}},
        {"nes-disk", makers::headered_disk(demo::nes_disk_kelp()), "KLP, revision 1", {}},
        {"game-boy",
         demo::game_boy_kelp(),
         "KELPHARBOUR, outside Japan, revision 1",
         {0x14D, 0x14E, 0x14F},
         true,
         {0x110}},
        {"gba", demo::game_boy_advance_kelp(), "KELP HARBOUR, Europe, revision 1", {0xBD, 0xB2}, false, {0x20}},
        {"nds", demo::nintendo_ds_kelp(), "KELP HARBOUR, Europe, revision 1", {0x15E}},
        {"n64", demo::nintendo_64_kelp(), "KELP HARBOUR, Europe, revision 1", {0x10, 0x17}},
        {"mega-drive", demo::mega_drive_kelp(), "KELP HARBOUR, Europe", {0x18E, 0x18F}, true},
        {"master-system",
         demo::master_system_kelp(),
         "Master System / Game Gear, export (Master System), revision 1",
         {0x7FFA},
         true},
        {"pc-engine", demo::pc_engine_kelp(), "PC Engine / TurboGrafx-16", {}, true},
        {"lynx", demo::lynx_kelp(), "KELP HARBOUR", {}},
        {"atari-7800", demo::atari_7800_kelp(), "KELP HARBOUR, PAL", {}},
        {"wonderswan", wonderswan, "WonderSwan, revision 1", {wonderswan.size() - 1, wonderswan.size() - 2}},
    };
}

std::size_t wrong_checks(const Identity& image) {
    return static_cast<std::size_t>(std::count_if(image.checks.begin(), image.checks.end(), [](const auto& check) {
        return check.state == CheckState::wrong && check.mendable;
    }));
}

TEST(Cartridge, EveryPlatformIsRecognisedAndItsChecksAreRight) {
    for (const Row& row : rows()) {
        const auto image = recognise_cartridge(row.rom);
        ASSERT_TRUE(image) << row.platform;
        EXPECT_EQ(image->platform, row.platform);
        EXPECT_EQ(edition_of(*image), row.edition);
        EXPECT_EQ(wrong_checks(*image), 0U) << row.platform;
        EXPECT_EQ(all_checks_right(*image), !row.check_places.empty()) << row.platform;
        EXPECT_TRUE(image->warnings.empty()) << row.platform << ": " << image->warnings.front();
        EXPECT_TRUE(image->also_like.empty()) << row.platform << " also like " << image->also_like.front();
        EXPECT_EQ(image->size + image->front_header, row.rom.size()) << row.platform;
    }
}

TEST(Cartridge, SpoiledChecksAreFoundAndMendedToTheExactBytes) {
    for (const Row& row : rows()) {
        for (const std::size_t place : row.check_places) {
            const Bytes spoiled = poked(row.rom, place, 0x5A);
            const auto image = recognise_cartridge(spoiled);
            ASSERT_TRUE(image) << row.platform << " at " << place;
            EXPECT_EQ(image->platform, row.platform);
            EXPECT_GT(wrong_checks(*image), 0U) << row.platform << " at " << place;
            const MendPlan plan = plan_mends(spoiled, {{"checksum", {}}});
            EXPECT_EQ(changed(spoiled, plan.change), row.rom) << row.platform << " at " << place;
            ASSERT_TRUE(plan.changes());
            const auto& ranges = plan.steps.front().ranges;
            EXPECT_TRUE(std::any_of(ranges.begin(), ranges.end(), [&](const ByteRange& r) {
                return place >= r.offset && place < r.offset + r.length;
            })) << row.platform;
            EXPECT_FALSE(plan_mends(row.rom, {{"checksum", {}}}).changes()) << row.platform;
        }
        for (const std::size_t place : row.unmendable) {
            const auto image = recognise_cartridge(poked(row.rom, place, 0x5A));
            ASSERT_TRUE(image) << row.platform;
            EXPECT_TRUE(std::any_of(image->checks.begin(), image->checks.end(), [](const auto& check) {
                return check.name == "logo" && check.state == CheckState::wrong && !check.mendable;
            })) << row.platform;
        }
    }
}

TEST(Cartridge, FrontHeadersAreFoundAndStayWhereTheyAre) {
    for (const Row& row : rows()) {
        if (!row.copier_header) continue;
        Bytes header(512, std::byte{0});
        header[0] = std::byte{0x77};
        const auto headered = [&](const Bytes& rom) { return makers::joined(header, rom); };
        const auto image = recognise_cartridge(headered(row.rom));
        ASSERT_TRUE(image) << row.platform;
        EXPECT_EQ(image->platform, row.platform);
        EXPECT_EQ(image->front_header, 512U);
        EXPECT_FALSE(image->header_describes);
        EXPECT_EQ(image->size, row.rom.size());
        ASSERT_TRUE(image->reading);
        EXPECT_EQ(image->reading->kind, RepresentationKind::without_front_header);
        for (const std::size_t place : row.check_places)
            EXPECT_EQ(makers::mended(headered(poked(row.rom, place, 0x5A)), {{"checksum", {}}}), headered(row.rom))
                << row.platform;
    }
}

TEST(Cartridge, ByteOrdersAreRecognisedMendedInPlaceAndTurned) {
    const Bytes right = demo::nintendo_64_kelp(), spoiled = poked(right, 0x11, 0x5A);
    const std::pair<const char*, std::function<Bytes(Bytes)>> orders[] = {{"big-endian", [](Bytes rom) { return rom; }},
                                                                          {"pairs-swapped", demo::with_pairs_swapped},
                                                                          {"little-endian", demo::with_words_reversed}};
    for (const auto& [name, order] : orders) {
        const auto image = recognise_cartridge(order(right));
        ASSERT_TRUE(image) << name;
        EXPECT_EQ(image->order, name);
        EXPECT_EQ(image->title, "KELP HARBOUR");
        EXPECT_TRUE(all_checks_right(*image)) << name;
        EXPECT_EQ(makers::mended(order(spoiled), {{"checksum", {}}}), order(right)) << name;
        EXPECT_EQ(makers::mended(order(right), {{"byte-order", {}}}), right) << name;
        EXPECT_EQ(makers::mended(order(spoiled), {{"checksum", {}}, {"byte-order", {}}}), right) << name;
        for (const auto& [other, other_order] : orders)
            EXPECT_EQ(makers::mended(order(right), {{"byte-order", other}}), other_order(right)) << name << other;
    }
}

TEST(Cartridge, InterleavedDumpsAreRecognisedMendedInPlaceAndPutInOrder) {
    const Bytes right = demo::mega_drive_kelp(), spoiled = poked(right, 0x18E, 0x5A);
    const auto image = recognise_cartridge(demo::interleaved(right));
    ASSERT_TRUE(image);
    EXPECT_EQ(image->order, "interleaved in blocks of 16 KiB");
    EXPECT_EQ(image->front_header, 512U);
    EXPECT_TRUE(all_checks_right(*image));
    EXPECT_EQ(makers::mended(demo::interleaved(right), {{"de-interleave", {}}}), right);
    EXPECT_EQ(makers::mended(demo::interleaved(spoiled), {{"checksum", {}}}), demo::interleaved(right));
    EXPECT_EQ(makers::mended(demo::interleaved(spoiled), {{"checksum", {}}, {"de-interleave", {}}}), right);
}

TEST(Cartridge, CheckWordsOfEveryBootCodeVariant) {
    Bytes rom = demo::nintendo_64_kelp();
    std::fill(rom.begin() + 0x1000, rom.begin() + 0x101000, std::byte{0});
    rom[0x50] ^= std::byte{1};  // no variant that is known
    ASSERT_EQ(recognise_cartridge(rom)->checks.at(0).state, CheckState::unknown);
    EXPECT_THROW(plan_mends(rom, {{"checksum", {}}}), Error);
    // Published words for an empty area.
    const std::pair<const char*, std::string> vectors[] = {{"6102", "\xF8\xCA\x4D\xDC\x30\x3A\x4D\xDC"s},
                                                           {"6101", "\xF8\xCA\x4D\xDC\x30\x3A\x4D\xDC"s},
                                                           {"6106", "\x04\x10\x0F\x9E\x89\xF8\x0F\x9E"s}};
    for (const auto& [variant, words] : vectors) {
        const Bytes made = makers::mended(rom, {{"checksum", {}}}, {.boot_code = variant});
        EXPECT_EQ(text_of(ByteView(made).subspan(0x10, 8)), words) << variant;
    }
    for (const char* variant : {"7102", "6103", "6105"})
        EXPECT_NO_THROW(plan_mends(rom, {{"checksum", {}}}, {.boot_code = variant})) << variant;
    EXPECT_THROW(plan_mends(rom, {{"checksum", {}}}, {.boot_code = "6104"}), Error);
    EXPECT_EQ(recognise_cartridge(Bytes(rom.begin(), rom.begin() + 0x100000))->checks.at(0).state, CheckState::unknown);
}

/// The way of each kind, one after the other, of what bytes a header may claim.
TEST(Cartridge, HeadersThatClaimTheImpossibleAreReportedAndHarmless) {
    const struct {
        const char* what;
        Bytes rom;
        const char* warning;  ///< a part of it; "" where there is none to give
    } cases[] = {
        {"NES, more than there is", poked(demo::nes_kelp(), 4, 0x40), "ends"},
        {"NES, less than there is", poked(demo::nes_kelp(), 5, 0), "follow"},
        {"NES, no PRG", poked(demo::nes_kelp(), 4, 0), "no PRG"},
        {"NES, junk", poked(demo::nes_kelp(), 12, 'K'), "junk"},
        {"NES, weak junk", poked(demo::nes_kelp(), 10, 'K'), "weak evidence"},
        {"Game Boy, cut short", Bytes(makers::first(demo::game_boy_kelp(), 40'000)), "ends"},
        {"DS, cut short", Bytes(makers::first(demo::nintendo_ds_kelp(), 90'000)), "ends"},
        {"Lynx, no pages", poked(demo::lynx_kelp(), 5, 0), "claims 0 bytes"},
        {"7800, other size", poked(demo::atari_7800_kelp(), 0x31, 0x7F), "claims"},
        {"Mega Drive, end outside", poked(demo::mega_drive_kelp(), 0x1A4, 0xFF), "ROM's end"},
        {"Mega Drive, end before its begin", poked(poked(demo::mega_drive_kelp(), 0x1A5, 0), 0x1A6, 0), "ROM's end"},
        {"Master System, unknown range", poked(demo::master_system_kelp(), 0x7FFF, 0x4D), ""},
        {"Master System, range past the end", poked(demo::master_system_kelp(), 0x7FFF, 0x42), ""},
    };
    for (const auto& c : cases) {
        const auto image = recognise_cartridge(c.rom);
        ASSERT_TRUE(image) << c.what;
        const bool warned = std::any_of(image->warnings.begin(), image->warnings.end(),
                                        [&](const std::string& w) { return w.find(c.warning) != std::string::npos; });
        EXPECT_EQ(warned, *c.warning != '\0') << c.what;
        EXPECT_NO_THROW(mends_for(c.rom)) << c.what;
    }
    // Every platform, cut at every place that could hurt.
    for (const Row& row : rows())
        for (std::size_t size = 0; size < std::min<std::size_t>(row.rom.size(), 0x210); ++size)
            recognise_cartridge(makers::first(row.rom, size));
}

TEST(Cartridge, NewNesLayoutAndItsHugeSizes) {
    Bytes rom = demo::nes_kelp();
    const auto header = [&](std::initializer_list<unsigned> bytes) {
        Bytes out = rom;
        std::size_t at = 4;
        for (const unsigned b : bytes) out[at++] = static_cast<std::byte>(b);
        return out;
    };
    const auto fact = [](const Bytes& file, std::string_view key) {
        const auto image = recognise_cartridge(file);
        for (const IdentityFact& d : image->facts)
            if (d.key == key) return d.text;
        return image->mapping;
    };
    const Bytes fresh = header({2, 1, 0x13, 0x28, 0x31, 0, 0, 0, 1});
    EXPECT_EQ(fact(fresh, "layout"), "the new one");
    EXPECT_EQ(fact(fresh, "mapping"), "mapper 289.3");
    EXPECT_EQ(recognise_cartridge(fresh)->region, "PAL");
    // 2^15 * 1 bytes of PRG, by exponent; one exponent more is more than the file has, so the old layout is meant.
    EXPECT_EQ(fact(header({15 << 2, 1, 0x13, 0x08, 0, 0x0F}), "prg"), "32 KiB");
    EXPECT_EQ(fact(header({16 << 2, 1, 0x13, 0x08, 0, 0x0F}), "layout"), "the old one");
    EXPECT_EQ(fact(header({0xFF, 0xFF, 0x13, 0x08, 0, 0xFF}), "layout"), "the old one");
}

TEST(Cartridge, SeveralChecksumsOfTheMegaDriveAreToldApart) {
    Bytes rom = demo::mega_drive_kelp();
    // The game sums to its stated end; what follows is padding of another kind.
    Bytes longer = makers::joined(rom, Bytes(4096, std::byte{0x11}));
    EXPECT_EQ(recognise_cartridge(longer)->checks.at(0).note, "to the ROM end that the header states");
    EXPECT_EQ(recognise_cartridge(longer)->checks.at(0).state, CheckState::right);
    const MendPlan plan = plan_mends(longer, {{"checksum", {}}, {"rom-end", {}}});
    EXPECT_EQ(plan.steps.front().name, "rom-end");
    const Bytes made = changed(longer, plan.change);
    EXPECT_EQ(recognise_cartridge(made)->checks.at(0).note, "to the file's end");
    EXPECT_TRUE(all_checks_right(*recognise_cartridge(made)));
    // An odd last byte counts as the high half.
    longer.push_back(std::byte{0x22});
    EXPECT_TRUE(all_checks_right(*recognise_cartridge(makers::mended(longer, {{"rom-end", {}}, {"checksum", {}}}))));
}

TEST(Cartridge, TwoPlatformsThatBothLookRightAreBothNamed) {
    const Bytes snes = demo::kelp_harbour(1), game_boy = demo::game_boy_kelp();
    Bytes both = makers::first(snes, 64 << 10);
    std::copy(game_boy.begin() + 0x100, game_boy.begin() + 0x150, both.begin() + 0x100);
    both[0x7FD7] = std::byte{6};  // 64 KiB
    // The four bytes of the SNES always add up to 1FE, so the Game Boy's sum does not hang on them, but the other way
    // round.
    const auto sum = [&] {
        unsigned all = 0;
        for (const std::byte b : both) all += std::to_integer<unsigned>(b);
        return all;
    };
    const auto put = [&](std::size_t at, unsigned low, unsigned high) {
        both[at] = static_cast<std::byte>(low);
        both[at + 1] = static_cast<std::byte>(high);
    };
    put(0x14E, 0, 0), put(0x7FDC, 0xFF, 0xFF), put(0x7FDE, 0, 0);
    put(0x14E, sum() >> 8, sum());
    const unsigned right = sum();
    put(0x7FDC, ~right, ~right >> 8), put(0x7FDE, right, right >> 8);
    const auto image = recognise_cartridge(both);
    ASSERT_TRUE(image);
    ASSERT_EQ(image->also_like.size(), 1U);
    EXPECT_TRUE((image->platform == "snes" && image->also_like[0] == "Game Boy") ||
                (image->platform == "game-boy" && image->also_like[0] == "Super Nintendo (SNES)"));
    EXPECT_TRUE(all_checks_right(*image));
}

TEST(Cartridge, FilesThatAreNoRomsAreData) {
    std::size_t looked_at = 0;
    for (const auto& [name, bytes] : makers::other_files()) {
        ++looked_at;
        const auto image = recognise_cartridge(bytes);
        EXPECT_FALSE(image) << name << " looks like " << image->platform << ", " << image->evidence_bits << " bits";
    }
    EXPECT_GE(looked_at, 200U);
}

}  // namespace
}  // namespace hotstitch
