// SPDX-License-Identifier: MIT
// What fields and edit lists stand on: a source that is written into, copies that stay in order, changes inside of
// parts, maps that go along into them.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include "data_files.h"
#include "disc.h"
#include "edit/ordered_copies.h"
#include "edit/overlay.h"
#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/map.h"
#include "hotstitch/part.h"
#include "lib/patch_makers.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

TEST(Overlay, IsTheFileWithWhatWasWrittenLast) {
    makers::Random random(21);
    for (int round = 0; round < 60; ++round) {
        const Bytes below = makers::file_like(random, 1 + makers::below(random, 20'000));
        const MemorySource source(below);
        Overlay overlay(source);
        Bytes wanted = below;
        for (std::uint64_t n = makers::below(random, 30); n > 0; --n) {
            const std::size_t at = makers::below(random, wanted.size());
            Bytes bytes(1 + makers::below(random, std::min<std::uint64_t>(wanted.size() - at, 6000)));
            // Now and then what stands there already.
            for (std::size_t i = 0; i < bytes.size(); ++i)
                bytes[i] = makers::below(random, 3) == 0 ? wanted[at + i] : static_cast<std::byte>(random());
            overlay.write(at, bytes);
            std::copy(bytes.begin(), bytes.end(), wanted.begin() + static_cast<std::ptrdiff_t>(at));
            const std::size_t from = makers::below(random, wanted.size()),
                              length = makers::below(random, wanted.size() - from + 1);
            Bytes scratch(length);
            const ByteView read = overlay.read(from, length, scratch);
            EXPECT_TRUE(std::equal(read.begin(), read.end(), wanted.begin() + static_cast<std::ptrdiff_t>(from)));
        }
        const ChangeList changes = overlay.changes();
        EXPECT_EQ(changed(below, changes), wanted);
        EXPECT_EQ(changes.ranges(), differing_ranges(below, wanted)) << "only what differs, run by run";
        EXPECT_EQ(WholeView(overlay).bytes().size(), wanted.size());
    }
}

/// The most bytes that can stay in order, by trying every subset.
std::uint64_t most_by_trying(const std::vector<SameStretch>& copies) {
    std::uint64_t best = 0;
    for (unsigned chosen = 0; chosen < (1U << copies.size()); ++chosen) {
        std::uint64_t bytes = 0, end = 0;
        bool in_order = true;
        for (std::size_t i = 0; i < copies.size() && in_order; ++i) {
            if ((chosen >> i & 1) == 0) continue;
            in_order = copies[i].source >= end;
            end = copies[i].source + copies[i].length;
            bytes += copies[i].length;
        }
        if (in_order) best = std::max(best, bytes);
    }
    return best;
}

TEST(OrderedCopies, KeepAsMuchAsAnyChoiceCould) {
    makers::Random random(22);
    for (int round = 0; round < 400; ++round) {
        OrderedCopies copies;
        std::vector<SameStretch> told;
        std::uint64_t at = 0;
        for (std::uint64_t n = makers::below(random, 9); n > 0; --n) {
            // Whole blocks, so that two never overlap by a few bytes only.
            const std::uint64_t length = 200 * (1 + makers::below(random, 3)), from = 200 * makers::below(random, 20);
            if (makers::below(random, 3) == 0) {
                copies.put(Edit::run(std::byte{1}, 50));
                at += 50;
            }
            copies.put(Edit::copy_source(from, length));
            const bool goes_on = !told.empty() && told.back().source + told.back().length == from &&
                                 told.back().target + told.back().length == at;
            if (goes_on)
                told.back().length += length;
            else
                told.push_back({from, at, length});
            at += length;
        }
        std::uint64_t kept = 0, source = 0, target = 0;
        for (const SameStretch& stretch : copies.heaviest_chain()) {
            EXPECT_GE(stretch.source, source);
            EXPECT_GE(stretch.target, target);
            source = stretch.source + stretch.length, target = stretch.target + stretch.length;
            kept += stretch.length;
        }
        EXPECT_GE(kept, most_by_trying(told));
        EXPECT_EQ(copies.target_size(), at);
    }
}

TEST(OrderedCopies, AFewSharedBytesBreakNothing) {
    OrderedCopies copies;
    copies.put(Edit::copy_source(0, 1000));
    copies.put(Edit::literal(Bytes(10)));
    copies.put(Edit::copy_source(997, 1000));  // both hold three bytes of the source
    const auto chain = copies.heaviest_chain();
    ASSERT_EQ(chain.size(), 2U);
    EXPECT_EQ(chain[1].source, 1000U);
    EXPECT_EQ(chain[1].target, 1013U);
    EXPECT_EQ(chain[1].length, 997U);
}

TEST(ChangeInside, GoesThroughAllThatIsAround) {
    // A cartridge of the demo in a disc, which lies in nothing else: two storeys.
    const Bytes disc = demo::disc({{"GAME/KELP.DAT", demo::harbour_data(false)}, {"A.TXT", makers::bytes("tide")}});
    Limits limits;
    auto maps = std::make_shared<Maps>();
    maps->add(read_map(demo::map_of(false), "kelp", [](const std::string&) { return makers::bytes(demo::letters()); }));
    limits.maps = maps;
    const MemorySource source(disc);
    const Bytes louder(100, std::byte{0x5A});
    const ChangeList change = change_inside(
        borrowed(source), {"GAME/KELP.DAT", "sounds/HORN"},
        [&](const SharedSource& content, const Limits&) {
            EXPECT_EQ(content->size(), 100U);
            return differences(*content, MemorySource(louder));
        },
        {}, limits);
    const Bytes made = changed(disc, change);
    const MemorySource after(made);
    MemorySink data;
    extract_part(*open_container(after), "GAME/KELP.DAT", data);
    EXPECT_TRUE(std::equal(louder.begin(), louder.end(), data.bytes().begin() + 0x800));
    unsigned sum = 0;
    for (std::size_t i = 0x20; i < data.bytes().size(); ++i) sum += std::to_integer<unsigned>(data.bytes()[i]);
    EXPECT_EQ(sum & 0xFFFF,
              std::to_integer<unsigned>(data.bytes()[0x10]) | std::to_integer<unsigned>(data.bytes()[0x11]) << 8)
        << "the map's checksum follows";
    const auto nothing = [](const SharedSource& content, const Limits&) { return ChangeList(content->size()); };
    EXPECT_TRUE(change_inside(borrowed(source), {"A.TXT"}, nothing, {}, limits).empty());
    for (const std::vector<std::string>& names :
         {std::vector<std::string>{"B.TXT"}, {"A.TXT", "content"}, {"GAME/KELP.DAT", "sounds/DRUM"}})
        EXPECT_THROW(change_inside(borrowed(source), names, nothing, {}, limits), Error) << names.back();
}

TEST(Maps, GoAlongIntoTheirParts) {
    const Bytes rom = demo::harbour_data(false);
    const MemorySource file(rom);
    const Identity identity = identify(file);
    const auto map = [](const std::string& lines) { return read_map("hotstitch-map = 1\n[file]\n" + lines, lines); };
    Maps maps;
    maps.add(map("kind = \"data\"\npart = \"a.bin:content\"\n"));
    maps.add(map("kind = \"disc\"\npart = \"a.bin\"\n"));  // for another file around
    maps.add(map("kind = \"snes\"\n"));                    // for files of a kind, wherever they are
    maps.add(map(""));                                     // for what it is handed in with
    EXPECT_EQ(maps.for_file(identity, file).size(), 1U) << "only the one that asks for nothing";
    const auto inside = maps.inside(identity, file, "A.BIN");
    const auto for_file = [&](const std::shared_ptr<const KnownParts>& known) {
        Limits limits;
        limits.maps = known;
        return maps_in(limits)->for_file(identity, file);
    };
    EXPECT_TRUE(for_file(inside).empty());
    const auto content = inside->inside(identity, file, "content");
    ASSERT_EQ(for_file(content).size(), 1U) << "whatever the part itself is";
    EXPECT_TRUE(for_file(inside->inside(identity, file, "stored")).empty());
    EXPECT_TRUE(for_file(maps.inside(identity, file, "b.bin")->inside(identity, file, "content")).empty());
}

}  // namespace
}  // namespace hotstitch
