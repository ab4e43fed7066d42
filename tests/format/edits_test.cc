// SPDX-License-Identifier: MIT
// Edit lists as a patch format: what they say, write, refuse; fields across editions; the same change in other formats.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include "data_files.h"
#include "disc.h"
#include "hotstitch/apply.h"
#include "hotstitch/create.h"
#include "hotstitch/edit_list.h"
#include "hotstitch/error.h"
#include "hotstitch/fields.h"
#include "hotstitch/fit.h"
#include "hotstitch/part.h"
#include "hotstitch/recast.h"
#include "kelp_harbour.h"
#include "lib/patch_makers.h"

namespace hotstitch {
namespace {

constexpr std::string_view list_begins = "hotstitch-edits = 1\n";

std::string list_of(std::string_view edits) {
    return fmt::format("{}{}", list_begins, edits);
}

/// What applying a list to a file throws, with all that the error says; empty: nothing.
std::string complaint_of_list(const std::string& text, ByteView source, ErrorCode code) {
    try {
        hotstitch::apply_in_memory(bytes_of(text), source);
        return {};
    } catch (const Error& error) {
        EXPECT_EQ(error.code(), code) << error.what();
        return fmt::format("{} | {} | {} | {} | {}", error.what(), error.field(), error.wanted(), error.found(),
                           error.hint());
    }
}

TEST(Edits, ByEveryKindOfPlace) {
    const Bytes source = makers::bytes("Kelp Harbour: the tide turns.");
    const std::pair<std::string, std::string> rows[] = {
        {"[[edit]]\nat = 14\nold = \"74 68 65\"\nnew = \"61 6C 6C\"\n", "Kelp Harbour: all tide turns."},
        {"[[edit]]\nat = 0x0e\nold = \"74 68 65 20\"\nnew = \"\"\n", "Kelp Harbour: tide turns."},
        {"[[edit]]\nat = 29\nold = \"\"\nnew = \"21\"\n[[edit]]\nat = 0\nold = \"\"\nnew = \"2a\"\n",
         "*Kelp Harbour: the tide turns.!"},
        {"[[edit]]\nat = 0\nnew = \"6B\"\n", "kelp Harbour: the tide turns."},
        {"[[edit]]\nfind = \"74 69 ?? 65\"\nplus = 1\nold = \"69\"\nnew = \"6F\"\n", "Kelp Harbour: the tode turns."},
        // Side by side is fine, and the order of the list says nothing.
        {"[[edit]]\nat = 2\nold = \"6C\"\nnew = \"4C\"\n[[edit]]\nat = 1\nold = \"65\"\nnew = \"45\"\n",
         "KELp Harbour: the tide turns."},
        {"[[edit]]\nat = 0\nold = \"\"\"\n4B 65\n6C 70\"\"\"\nnew = \"\"\"4B 45\n4C 50\"\"\"\n",
         "KELP Harbour: the tide turns."},
    };
    for (const auto& [edits, wanted] : rows)
        EXPECT_EQ(text_of(hotstitch::apply_in_memory(bytes_of(list_of(edits)), source).target), wanted) << edits;
    const Bytes rom = demo::kelp_harbour(1);
    const Bytes made =
        hotstitch::apply_in_memory(bytes_of(list_of("[[edit]]\nat = \"00:FFD9\"\nold = \"02\"\nnew = \"01\"\n")), rom)
            .target;
    EXPECT_EQ(differing_ranges(rom, made), (std::vector<ByteRange>{{0x7FD9, 1}}));
    const Bytes commented = makers::bytes("\xEF\xBB\xBF# by hand\n\n" + list_of("[[edit]]\nat = 0\nnew = \"6B\"\n"));
    EXPECT_EQ(recognise_patch(commented), PatchFormat::edits);
    EXPECT_EQ(text_of(hotstitch::apply_in_memory(commented, source).target).front(), 'k');
}

TEST(Edits, SayWhatIsWrongWithThem) {
    const Bytes source = makers::bytes("AABBAABB");
    struct Row {
        std::string text;
        ErrorCode code;
        std::vector<std::string> says;
    };
    const ErrorCode damaged = ErrorCode::damaged, other = ErrorCode::wrong_source;
    const Row rows[] = {
        {list_of("[[edit]]\nat = 0\n"), damaged, {"line 2", "no new"}},
        {list_of("[[edit]]\nnew = \"41\"\n"), damaged, {"line 2", "no place"}},
        {list_of("[[edit]]\nat = 0\nnew = \"4\"\n"), damaged, {"line 4", "two hexadecimal digits"}},
        {list_of("[[edit]]\nat = 0\nnew = \"41\"\nlod = \"42\"\n"), damaged, {"line 5", "lod", "did you mean old?"}},
        {list_of("[[edit]]\nat = 0\nold = \"\"\nnew = \"\"\n"), damaged, {"line 5", "changes nothing"}},
        {list_of("[[edit]]\nfind = \"zz\"\nnew = \"41\"\n"), damaged, {"line 3", "byte pattern"}},
        {list_of("[[edit]]\nat = 0\nold = \"4141\"\nnew = \"42\"\n[[edit]]\nat = 1\nold = \"41\"\nnew = \"42\"\n"),
         damaged,
         {"line 6", "overlaps"}},
        {list_of("[[edit]]\nat = 9223372036854775807\nnew = \"42\"\n"), damaged, {"line 2", "offset"}},
        {list_of("[source]\ncrc = \"00000000\"\n"), damaged, {"line 3", "crc32"}},
        {"hotstitch-edits = 3\n", damaged, {"line 1"}},
        {list_of("[[edit]]\nat = 0\nold = \"42\"\nnew = \"43\"\n"), other, {"line 2", "at 0x000000", "42", "41"}},
        {list_of("[[edit]]\nat = 7\nold = \"4242\"\nnew = \"43\"\n"),
         other,
         {"2 bytes at 0x000007", "ends at 0x000008"}},
        {list_of("[[edit]]\nfind = \"41 41\"\nnew = \"43\"\n"), other, {"exactly once", "0x000000 and 0x000004"}},
        {list_of("[[edit]]\nfind = \"43\"\nnew = \"43\"\n"), other, {"nowhere"}},
        {list_of("[source]\nsize = 9\n[[edit]]\nat = 0\nnew = \"43\"\n"), other, {"size", "9", "8"}},
        {list_of("[[edit]]\npart = \"content\"\nat = 0\nnew = \"43\"\n"), ErrorCode::usage, {"no part \"content\""}},
        {list_of("[[edit]]\nmap = \"kelp.map.toml\"\nfield = \"berth[0].depth\"\nnew = 4\n"),
         ErrorCode::usage,
         {"line 2", "kelp.map.toml", "bring it"}},
    };
    for (const Row& row : rows) {
        const std::string said = complaint_of_list(row.text, source, row.code);
        EXPECT_FALSE(said.empty()) << row.text;
        for (const std::string& word : row.says) EXPECT_NE(said.find(word), std::string::npos) << word << "\n" << said;
    }
}

TEST(Edits, AllOldValuesAreTold) {
    const Bytes source = makers::bytes("ABCDEF");
    const std::string text = list_of(
        "[[edit]]\nat = 0\nold = \"41\"\nnew = \"61\"\n[[edit]]\nat = 1\nold = \"43\"\nnew = \"63\"\n[[edit]]\nat = "
        "2\nold = \"63\"\nnew = \"43\"\n[[edit]]\nat = 4\nnew = \"65\"\n");
    const auto reader = open_patch(bytes_of(text));
    const MemorySource memory(source);
    const Fit found = fit(*reader, memory);
    EXPECT_EQ(found.answer, FitAnswer::does_not_fit);
    ASSERT_EQ(found.mismatches.size(), 2U);
    EXPECT_NE(found.mismatches[1].found.find("the new value already"), std::string::npos);
    EXPECT_EQ(reader->facts().without_old, 1U);
    // Nothing is written unless all is right or allowed.
    MemorySink sink;
    EXPECT_THROW(hotstitch::apply(*reader, memory, sink), Error);
    EXPECT_TRUE(sink.bytes().empty());
    const ApplyReport made = hotstitch::apply(*reader, memory, sink, {.allow_source = true});
    EXPECT_EQ(made.overridden.size(), 2U);
    EXPECT_EQ(text_of(sink.bytes()), "acCDeF");
    // An edit that has no place is never left out, whatever is allowed.
    for (const char* const nowhere :
         {"[[edit]]\nfind = \"5A\"\nnew = \"41\"\n", "[[edit]]\nat = 6\nold = \"41\"\nnew = \"42\"\n"}) {
        sink.clear();
        EXPECT_THROW(hotstitch::apply(*open_patch(bytes_of(text + nowhere)), memory, sink,
                                      {.allow_source = true, .allow_target = true}),
                     Error);
    }
}

/// Edits made by hand of what changes there are, which the format then has to give back.
TEST(Edits, CreateAndApplyAreTheIdentity) {
    makers::Random random(11);
    for (int round = 0; round < 150; ++round) {
        const Bytes source = makers::file_like(random, makers::below(random, 6000));
        const Bytes target = round % 7 == 0 ? source : makers::modified(random, source);
        const Bytes patch = create(source, target, {.format = PatchFormat::edits});
        EXPECT_EQ(hotstitch::apply_in_memory(patch, source).target, target);
        // The text says the same once it is read and written again.
        EXPECT_EQ(edit_list_text(read_edit_list(text_of(patch))), text_of(patch));
        // Of files of one size, each edit keeps the size, and none touches another.
        if (source.size() != target.size()) continue;
        std::uint64_t end = 0;
        for (const ListedEdit& edit : read_edit_list(text_of(patch)).edits) {
            EXPECT_EQ(edit.removed(), edit.new_bytes.size());
            EXPECT_TRUE(end == 0 || edit.at >= end + 8);
            end = edit.at + edit.removed();
        }
    }
}

TEST(Edits, AnInsertionMovesWhatFollows) {
    makers::Random random(12);
    const Bytes source = makers::file_like(random, 20'000);
    Bytes target = source;
    target.insert(target.begin() + 9'000, 100, std::byte{0x77});
    target.erase(target.begin() + 15'000, target.begin() + 15'040);
    const EditList list = read_edit_list(text_of(create(source, target, {.format = PatchFormat::edits})));
    std::size_t bytes = 0;
    for (const ListedEdit& edit : list.edits) bytes += edit.new_bytes.size();
    EXPECT_LE(list.edits.size(), 4U);
    EXPECT_LE(bytes, 300U);
}

TEST(Edits, RefuseWhatIsTooLargeForAList) {
    const Bytes source(3 << 20), target(3 << 20, std::byte{1});
    try {
        create(source, target, {.format = PatchFormat::edits});
        FAIL();
    } catch (const Error& error) {
        EXPECT_EQ(error.code(), ErrorCode::usage);
        EXPECT_NE(error.hint().find("bps"), std::string::npos);
        EXPECT_NE(error.found().find("3,145,728"), std::string::npos) << error.found();
    }
    Bytes many(3 << 20);
    for (std::size_t i = 0; i < many.size(); i += 64) many[i] = std::byte{1};
    EXPECT_THROW(create(source, many, {.format = PatchFormat::edits}), Error);
}

TEST(Edits, RecastAndBackMakesTheSameFile) {
    makers::Random random(13);
    for (int round = 0; round < 20; ++round) {
        const Bytes source = makers::file_like(random, 3000), target = makers::modified(random, source);
        const Bytes edits = create(source, target, {.format = PatchFormat::edits});
        const MemorySource memory(source);
        for (const PatchFormat format : {PatchFormat::bps, PatchFormat::ups, PatchFormat::vcdiff}) {
            MemorySink there, back;
            recast(MemorySource(edits), memory, format, there);
            recast(MemorySource(there.bytes()), memory, PatchFormat::edits, back);
            EXPECT_EQ(hotstitch::apply_in_memory(back.bytes(), source).target, target);
        }
    }
}

class LongerBerths : public testing::Test {
protected:
    LongerBerths() {
        auto maps = std::make_shared<Maps>();
        for (const bool there : {false, true})
            maps->add(read_map(demo::map_of(there), there ? "kelp-americas.map.toml" : "kelp-europe.map.toml",
                               [](const std::string&) { return makers::bytes(demo::letters()); }));
        limits.maps = maps;
    }
    Bytes made(const std::string& text, const Bytes& source) const {
        return hotstitch::apply_in_memory(bytes_of(text), source, {.limits = limits}).target;
    }
    std::string value(const Bytes& file, const std::string& selector) const {
        const MemorySource memory(file);
        return FileFields(borrowed(memory), limits).show({selector}).at(0).records.at(0).values.at(0).text;
    }
    Limits limits;
};

TEST_F(LongerBerths, FitsBothEditionsByTheirOwnMaps) {
    for (const bool americas : {false, true}) {
        const Bytes source = demo::harbour_data(americas), target = made(demo::longer_berths_edits(), source);
        EXPECT_EQ(value(target, "berth[Old Pier].depth"), "14");
        EXPECT_EQ(value(target, "berth[Ferry Stage].weather"), "calm");
        EXPECT_EQ(value(target, "tide[March].low"), "-2");
        unsigned sum = 0;
        for (std::size_t i = 0x20; i < target.size(); ++i) sum += std::to_integer<unsigned>(target[i]);
        EXPECT_EQ(sum & 0xFFFF, std::to_integer<unsigned>(target[0x10]) | std::to_integer<unsigned>(target[0x11]) << 8)
            << "its checksum";
        const auto reader = open_patch(bytes_of(demo::longer_berths_edits()), limits);
        EXPECT_EQ(fit(*reader, MemorySource(target)).answer, FitAnswer::already_patched);
        EXPECT_EQ(fit(*reader, MemorySource(source)).answer, FitAnswer::fits);
        // The same change as BPS, and back as edits at offsets.
        MemorySink bps;
        const MemorySource memory(source);
        recast(MemorySource(bytes_of(demo::longer_berths_edits())), memory, PatchFormat::bps, bps, {.limits = limits});
        EXPECT_EQ(hotstitch::apply_in_memory(bps.bytes(), source).target, target);
    }
}

TEST_F(LongerBerths, BytesAndFieldsTogetherKeepTheChecksumRight) {
    const Bytes source = demo::harbour_data(false);
    const std::string text = demo::longer_berths_edits() + "\n[[edit]]\nat = 0xF00\nold = \"00\"\nnew = \"07\"\n";
    const Bytes target = made(text, source);
    unsigned sum = 0;
    for (std::size_t i = 0x20; i < target.size(); ++i) sum += std::to_integer<unsigned>(target[i]);
    EXPECT_EQ(sum & 0xFFFF, std::to_integer<unsigned>(target[0x10]) | std::to_integer<unsigned>(target[0x11]) << 8);
    EXPECT_EQ(target[0xF00], std::byte{7});
    // Two edits of one field, one by its name and one by its place.
    try {
        made(demo::longer_berths_edits() + "\n[[edit]]\nat = 0x230\nold = \"0a\"\nnew = \"07\"\n", source);
        FAIL();
    } catch (const Error& error) {
        EXPECT_EQ(error.code(), ErrorCode::damaged);
        EXPECT_EQ(std::string(error.what()), "bytes of a field are edited twice");
        EXPECT_EQ(error.offset(), 0x230U);
    }
    const std::string members = "[[edit]]\npart = \"sounds/HORN\"\nat = 0\nnew = \"55\"\n";
    const Bytes louder = made(demo::longer_berths_edits() + members, source);
    EXPECT_EQ(louder[0x800], std::byte{0x55});
}

TEST_F(LongerBerths, InsideOfADisc) {
    const Bytes disc = demo::disc(demo::kelp_harbour_files(1));
    const Bytes target = made(list_of("[[edit]]\npart = \"DATA/BERTHS.BIN\"\nat = 3\nnew = \"2A\"\n[[edit]]\npart = "
                                      "\"SYSTEM.CNF\"\nat = 0\nnew = \"62\"\n"),
                              disc);
    const MemorySource memory(target);
    const auto container = open_container(memory);
    MemorySink table;
    extract_part(*container, "DATA/BERTHS.BIN", table);
    EXPECT_EQ(table.bytes()[3], std::byte{0x2A});
    EXPECT_EQ(differing_ranges(disc, target).size(), 2U);
}

}  // namespace
}  // namespace hotstitch
