// SPDX-License-Identifier: MIT
// Mends of fields and sizes; those of checks and byte orders are in image_test.cc.
#include "hotstitch/mend.h"

#include <gtest/gtest.h>

#include "cartridges.h"
#include "hotstitch/error.h"
#include "lib/rom_makers.h"

namespace hotstitch {
namespace {

using makers::poked;

/// The error of a plan that cannot be, as "code: message / wanted".
std::string refusal(const Bytes& rom, const std::vector<MendRequest>& requests, const MendOptions& options = {}) {
    try {
        plan_mends(rom, requests, options);
        return "none";
    } catch (const Error& error) {
        return std::string(name_of(error.code())) + ": " + error.what() + " / " + error.wanted();
    }
}

TEST(Mend, FieldsTakeWordsAndCodesAndTheChecksFollow) {
    const Bytes snes = demo::kelp_harbour(1), game_boy = demo::game_boy_kelp(), gba = demo::game_boy_advance_kelp(),
                n64 = demo::nintendo_64_kelp(), mega_drive = demo::mega_drive_kelp(), sms = demo::master_system_kelp();
    const struct {
        const char* what;
        const Bytes& rom;
        MendRequest request;
        std::size_t at;
        std::string field;
    } cases[] = {
        {"SNES region by word", snes, {"region", "americas"}, 0x7FD9, "\1"},
        {"SNES region by code", snes, {"region", "0x11"}, 0x7FD9, "\x11"},
        {"SNES title", snes, {"title", "Night Tides"}, 0x7FC0, "Night Tides          "},
        {"SNES katakana", snes, {"title", "\xEF\xBD\xB1\xEF\xBE\x9F"}, 0x7FC0, "\xB1\xDF                   "},
        {"Game Boy region", game_boy, {"region", "Japan"}, 0x14A, std::string(1, '\0')},
        {"Game Boy title, 11 with a colour flag",
         game_boy,
         {"title", "FOG"},
         0x134,
         std::string("FOG\0\0\0\0\0\0\0\0AKHE", 15)},
        {"GBA region by letter", gba, {"region", "e"}, 0xAC, "AKHE77"},
        {"GBA title", gba, {"title", "FOG"}, 0xA0, std::string("FOG\0\0\0\0\0\0\0\0\0", 12)},
        {"N64 region by word", n64, {"region", "Japan"}, 0x3B, "NKHJ"},
        {"Mega Drive regions", mega_drive, {"region", "Japan+Europe"}, 0x1F0, "JE "},
        {"Mega Drive region letters", mega_drive, {"region", "JUE"}, 0x1F0, "JUE"},
        {"Mega Drive title", mega_drive, {"title", "FOG SIGNALS"}, 0x150, "FOG SIGNALS" + std::string(37, ' ')},
        {"Master System region keeps the size", sms, {"region", "6"}, 0x7FFF, "\x6C"},
    };
    for (const auto& c : cases) {
        const MendPlan plan = plan_mends(c.rom, {{"checksum", {}}, c.request});
        ASSERT_EQ(plan.steps.size(), 2U);
        EXPECT_EQ(plan.steps[0].name, c.request.name) << "fields before checks: " << c.what;
        const Bytes made = changed(c.rom, plan.change);
        EXPECT_EQ(text_of(ByteView(made).subspan(c.at, c.field.size())), c.field) << c.what;
        EXPECT_TRUE(all_checks_right(*recognise_cartridge(made))) << c.what;
        EXPECT_EQ(made.size(), c.rom.size());
        // The ranges say exactly what differs.
        Bytes rebuilt = c.rom;
        for (const MendStep& step : plan.steps)
            for (const ByteRange& range : step.ranges)
                std::copy_n(made.begin() + static_cast<std::ptrdiff_t>(range.offset), range.length,
                            rebuilt.begin() + static_cast<std::ptrdiff_t>(range.offset));
        EXPECT_EQ(rebuilt, made) << c.what;
    }
}

TEST(Mend, SizesGrowAndShrinkWithoutLosingData) {
    const Bytes snes = demo::kelp_harbour(1), gba = demo::game_boy_advance_kelp(), ds = demo::nintendo_ds_kelp();
    const MendPlan grown = plan_mends(snes, {{"rom-size", {}}, {"checksum", {}}, {"expand", "2M"}});
    EXPECT_EQ(grown.steps.front().name, "expand");
    EXPECT_EQ(grown.steps.front().ranges.back().offset, snes.size());
    const Bytes larger = changed(snes, grown.change);
    EXPECT_EQ(larger.size(), 2U << 20);
    EXPECT_EQ(larger.back(), std::byte{0xFF}) << "what the file ends with already";
    const auto image = recognise_cartridge(larger);
    EXPECT_EQ(image->declared_size, 2U << 20);
    EXPECT_TRUE(all_checks_right(*image));
    // The half of the GBA image that is 00 goes, and comes again; the stale checks are pointed out.
    const Bytes trimmed = makers::mended(gba, {{"trim", {}}});
    EXPECT_EQ(trimmed.size(), gba.size() / 2);
    EXPECT_EQ(makers::mended(trimmed, {{"expand", "128K"}}).size(), gba.size());
    // What a DS header says is used stays, although it is followed by the same bytes.
    EXPECT_EQ(makers::mended(ds, {{"trim", {}}}).size(), 100'352U);
    EXPECT_EQ(makers::mended(ds, {{"trim", "100000"}}).size(), 100'000U);
    EXPECT_EQ(makers::mended(makers::mended(ds, {{"trim", {}}}), {{"pad", {}}}), ds);
    EXPECT_FALSE(plan_mends(ds, {{"pad", {}}}).changes());
    const Bytes full = makers::hirom(1 << 20);
    EXPECT_FALSE(plan_mends(full, {{"trim", {}}}).changes());
    // A title that hides the header from whoever looks for one does not lose it within one call.
    const Bytes hidden =
        makers::mended(poked(poked(snes, 0x7FDC, 0), 0x7FDE, 0), {{"title", "1234"}, {"checksum", {}}});
    EXPECT_EQ(text_of(ByteView(hidden).subspan(0x7FC0, 5)), "1234 ");
    const Bytes odd = makers::mended(snes, {{"expand", "1536K"}, {"checksum", {}}, {"rom-size", {}}});
    EXPECT_TRUE(all_checks_right(*recognise_cartridge(odd)));
    // What was right stays right, unless that is not wanted.
    const MendPlan kept = plan_mends(snes, {{"region", "Japan"}});
    EXPECT_TRUE(kept.steps.back().added);
    EXPECT_TRUE(all_checks_right(*recognise_cartridge(changed(snes, kept.change))));
    EXPECT_NE(plan_mends(snes, {{"region", "Japan"}}, {.keep_checks = false})
                  .steps.back()
                  .warnings.at(0)
                  .find("stale now: checksum, complement"),
              std::string::npos);
    EXPECT_FALSE(plan_mends(poked(snes, 0x7FDE, 0), {{"region", "Japan"}}).steps.back().added) << "it was wrong before";
    // Padding: the stated size is right where the checks say so, and only that much may go.
    Bytes padded = snes;
    padded.resize(2U << 20, std::byte{0xFF});
    for (const MendOffer& offer : mends_for(padded)) EXPECT_FALSE(offer.needed) << offer.name;
    EXPECT_EQ(makers::mended(padded, {{"trim", {}}}), snes);
    EXPECT_FALSE(plan_mends(snes, {{"trim", {}}}).changes()) << "the checksum counts the end";
}

TEST(Mend, FieldsThatOnlyNeedLookingAt) {
    const Bytes snes = demo::kelp_harbour(1), game_boy = demo::game_boy_kelp(), wonderswan = demo::wonderswan_kelp();
    EXPECT_EQ(makers::mended(poked(snes, 0x7FD7, 9), {{"rom-size", {}}}), snes);
    EXPECT_EQ(makers::mended(poked(game_boy, 0x148, 7), {{"rom-size", {}}}), game_boy);
    Bytes other_size = poked(wonderswan, wonderswan.size() - 6, 1);  // and its sum with it
    other_size[wonderswan.size() - 2] =
        static_cast<std::byte>(std::to_integer<unsigned>(wonderswan[wonderswan.size() - 2]) + 1);
    EXPECT_EQ(makers::mended(other_size, {{"checksum", {}}, {"rom-size", {}}}), wonderswan);
    const Bytes mega_drive = demo::mega_drive_kelp();
    EXPECT_EQ(makers::mended(poked(mega_drive, 0x1A5, 0x0F), {{"rom-end", {}}}), mega_drive);
    Bytes junk = demo::nes_kelp();
    for (std::size_t i = 7; i < 16; ++i) junk[i] = std::byte{'K'};
    const MendPlan cleaned = plan_mends(junk, {{"header-junk", {}}});
    EXPECT_EQ(changed(junk, cleaned.change), demo::nes_kelp());
    EXPECT_NE(cleaned.steps[0].warnings.at(0).find("mapper"), std::string::npos);
    EXPECT_FALSE(plan_mends(demo::nes_kelp(), {{"header-junk", {}}}).changes());
}

TEST(Mend, RefusalsSayWhatThereIs) {
    const Bytes snes = demo::kelp_harbour(1), nes = demo::nes_kelp(), n64 = demo::nintendo_64_kelp();
    Bytes short_gba = demo::game_boy_advance_kelp();  // nothing in it after the game code
    std::fill(short_gba.begin() + 0xB8, short_gba.end(), std::byte{0});
    const struct {
        const Bytes& rom;
        std::vector<MendRequest> requests;
        const char* part;
    } cases[] = {
        {snes,
         {{"header-junk", {}}},
         "usage: a Super Nintendo (SNES) ROM has no mend \"header-junk\" / expand, trim, pad, rom-size, region, title, "
         "checksum"},
        {snes, {{"region", {}}}, "needs a value / region=VALUE"},
        {snes, {{"checksum", "1234"}}, "takes no value"},
        {snes, {{"checksum", {}}, {"checksum", {}}}, "named twice"},
        {snes, {{"region", "Atlantis"}}, "knows no region \"Atlantis\" / Japan (00), Americas (01)"},
        {snes, {{"title", std::string(22, 'K')}}, "too long for this platform's header / up to 21"},
        {snes, {{"title", "K\xC3\xA4lp"}}, "cannot hold / printable ASCII or half-width katakana"},
        {snes, {{"title", "  "}}, "empty"},
        {snes,
         {{"expand", "5M"}},
         "usage: a Super Nintendo (SNES) ROM of mapping LoROM cannot be so large / at most 4 MiB"},
        {snes, {{"expand", "512K"}}, "larger already"},
        {snes, {{"expand", "many"}}, "no size"},
        {snes, {{"expand", "99999999999999999999"}}, "no size"},
        {snes, {{"trim", "1K"}}, "would cut data off"},
        {short_gba, {{"trim", "185"}}, "no Game Boy Advance (GBA) ROM any more"},
        {nes, {{"expand", "1M"}}, "has no mend \"expand\" / header-junk"},
        {n64, {{"byte-order", "sideways"}}, "/ big-endian, pairs-swapped, little-endian"},
        {Bytes(4096), {{"checksum", {}}}, "unsupported: the file is no ROM"},
    };
    for (const auto& c : cases)
        EXPECT_NE(refusal(c.rom, c.requests).find(c.part), std::string::npos) << refusal(c.rom, c.requests);
    EXPECT_NE(refusal(snes, {{"checksum", {}}}, {.boot_code = "6102"}).find("no boot code"), std::string::npos);
    Limits tight;
    tight.output = 1 << 20;
    EXPECT_NE(refusal(snes, {{"expand", "2M"}}, {.boot_code = {}, .limits = tight}).find("limit"), std::string::npos);
}

TEST(Mend, OffersSayWhatWouldBeDone) {
    for (const MendOffer& offer : mends_for(poked(demo::kelp_harbour(1), 0x7FDE, 0))) {
        if (offer.name == "checksum") {
            ASSERT_TRUE(offer.step);
            EXPECT_TRUE(offer.step->changes());
        }
        EXPECT_EQ(offer.present, offer.name == "region" ? "Europe" : offer.name == "title" ? "KELP HARBOUR" : "");
        EXPECT_EQ(offer.needs_value, offer.name == "region" || offer.name == "title" || offer.name == "expand");
    }
    EXPECT_TRUE(mends_for(Bytes(100)).empty());
    Bytes unknown = poked(demo::nintendo_64_kelp(), 0x50, 0);
    const auto offers = mends_for(unknown);
    EXPECT_TRUE(std::any_of(offers.begin(), offers.end(), [](const MendOffer& o) { return !o.cannot.empty(); }));
}

}  // namespace
}  // namespace hotstitch
