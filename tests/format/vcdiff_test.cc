// SPDX-License-Identifier: MIT
// docs/formats/vcdiff.md, rule by rule, then against the reference reader.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <map>

#include "format/vcdiff/code_table.h"
#include "hotstitch/apply.h"
#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/fit.h"
#include "hotstitch/patch.h"
#include "lib/reference.h"
#include "lib/vcdiff_makers.h"

namespace hotstitch {
namespace {

using makers::adler, makers::integer, makers::vcdiff_header;
using Window = makers::VcdiffWindow;
using namespace std::string_literals;

// Codes of the default table, as section 4 of the page numbers them.
const std::string run(1, '\0');
std::string add(unsigned size) {
    return size <= 17 ? std::string(1, static_cast<char>(1 + size)) : "\1"s + integer(size);
}
std::string copy(unsigned size, unsigned mode) {
    const bool in_table = size >= 4 && size <= 18;
    const std::string code(1, static_cast<char>(19 + mode * 16 + (in_table ? size - 3 : 0)));
    return in_table ? code : code + integer(size);
}
/// Pads an integer with a leading 80, which is legal.
std::string padded(std::uint64_t value) {
    return integer(value).insert(0, 1, '\x80');
}

struct Row {
    const char* name;
    std::string patch, source, target;
    friend void PrintTo(const Row& row, std::ostream* out) { *out << row.name; }
};

class VcdiffAccepts : public testing::TestWithParam<Row> {};

TEST_P(VcdiffAccepts, AndMakesTheTarget) {
    const Row& row = GetParam();
    const Bytes patch = makers::bytes(row.patch);
    EXPECT_EQ(text_of(hotstitch::apply_in_memory(patch, bytes_of(row.source)).target), row.target);
    const auto reference = reference::apply(patch, bytes_of(row.source), 1 << 20);
    ASSERT_TRUE(reference.has_value());
    EXPECT_EQ(text_of(*reference), row.target);
}

/// A table like the default one but for one entry, as an own table in a header: RUN of size 5 for code 1.
std::string own_table(unsigned near, unsigned same, bool with_second_window = false, std::size_t length = 1536) {
    auto bytes = vcdiff::to_bytes(vcdiff::default_code_table());
    bytes[1] = std::byte{2};
    bytes[512 + 1] = std::byte{5};
    const std::string all(text_of(bytes).substr(0, length));
    std::string stream = vcdiff_header(4, integer(3) + "own");
    const std::size_t cut = with_second_window ? 700 : length;
    for (const auto& part : {all.substr(0, cut), all.substr(cut)}) {
        if (part.empty()) continue;
        Window window{.size = part.size(), .data = part, .instructions = add(static_cast<unsigned>(part.size()))};
        window.adler32 = adler(part);
        stream += window.text();
    }
    const std::string table = std::string(1, static_cast<char>(near)) + static_cast<char>(same) + stream;
    return vcdiff_header(2, integer(table.size()) + table);
}

const std::string harbour = "The harbour master counts the berths by night.";

std::vector<Row> accepted() {
    std::vector<Row> rows{
        {"no window at all", vcdiff_header(), "abc", ""},
        {"an application header", vcdiff_header(4, integer(5) + "notes"), "", ""},
        {"an unused compressor", vcdiff_header(1, "\x63") + Window{1, "x", add(1)}.text(), "", "x"},
        {"add", vcdiff_header() + Window{5, "hello", add(5)}.text(), "", "hello"},
        {"add with its size after it", vcdiff_header() + Window{20, std::string(20, 'q'), add(20)}.text(), "",
         std::string(20, 'q')},
        {"run", vcdiff_header() + Window{300, "z", run + integer(300)}.text(), "", std::string(300, 'z')},
        {"run of nothing and add of nothing",
         vcdiff_header() + Window{1, "zx", run + integer(0) + "\1"s + integer(0) + add(1)}.text(), "", "x"},
        {"copy from the source",
         vcdiff_header() +
             Window{.size = 7, .instructions = copy(7, 0), .addresses = integer(4), .source = {{20, 0}}}.text(),
         harbour, "harbour"},
        {"copy from a segment inside",
         vcdiff_header() +
             Window{.size = 7, .instructions = copy(7, 0), .addresses = integer(1), .source = {{20, 3}}}.text(),
         harbour, "harbour"},
        {"a copy over the segment's end",
         vcdiff_header() + Window{.size = 9,
                                  .data = "XY",
                                  .instructions = add(2) + copy(7, 0),
                                  .addresses = integer(0),
                                  .source = {{3, 4}}}
                               .text(),
         harbour, "XYharXYha"},
        {"a copy over the segment's end at the beginning",
         vcdiff_header() +
             Window{.size = 8, .instructions = copy(8, 0), .addresses = integer(0), .source = {{3, 4}}}.text(),
         harbour, "harharha"},
        {"a copy into itself", vcdiff_header() + Window{6, "ab", add(2) + copy(4, 0), integer(0)}.text(), "", "ababab"},
        {"mode here", vcdiff_header() + Window{8, "abcd", add(4) + copy(4, 1), integer(4)}.text(), "", "abcdabcd"},
        {"a target segment",
         vcdiff_header() + Window{6, "abcdef", add(6)}.text() +
             Window{.size = 4, .instructions = copy(4, 0), .addresses = integer(1), .target = {{5, 1}}}.text(),
         "", "abcdefcdef"s},
        {"a near slot never set is address 0",
         vcdiff_header() + Window{8, "abcd", add(4) + copy(4, 3), integer(0)}.text(), "", "abcdabcd"},
        {"a same slot never set is address 0", vcdiff_header() + Window{8, "abcd", add(4) + copy(4, 7), "\x05"}.text(),
         "", "abcdabcd"},
        {"near and same after a copy",
         vcdiff_header() + Window{.size = 12,
                                  .instructions = copy(4, 0) + copy(4, 2) + copy(4, 6),
                                  .addresses = integer(4) + integer(2) + "\4",
                                  .source = {{40, 0}}}
                               .text(),
         harbour, "harbrbouharb"},
        {"caches are cleared at a window",
         vcdiff_header() +
             Window{.size = 4, .instructions = copy(4, 0), .addresses = integer(4), .source = {{40, 0}}}.text() +
             Window{.size = 4, .instructions = copy(4, 2), .addresses = integer(8), .source = {{40, 0}}}.text(),
         harbour, "harbour "},
        {"add and copy in one code", vcdiff_header() + Window{8, "wxyz", "\xac", integer(0)}.text(), "", "wxyzwxyz"},
        {"copy and add in one code",
         vcdiff_header() +
             Window{.size = 5, .data = "!", .instructions = "\xf7", .addresses = integer(4), .source = {{40, 0}}}
                 .text(),
         harbour, "harb!"},
        {"a right adler32",
         vcdiff_header() + Window{.size = 2, .data = "ok", .instructions = add(2), .adler32 = adler("ok")}.text(), "",
         "ok"},
        {"an empty window", vcdiff_header() + Window{}.text() + Window{1, "a", add(1)}.text(), "", "a"},
        {"an empty segment anywhere",
         vcdiff_header() + Window{.size = 1, .data = "a", .instructions = add(1), .source = {{0, 99}}}.text(), "x",
         "a"},
        {"integers padded with 80",
         vcdiff_header(4, padded(1) + "x") + Window{20, std::string(20, 'p'), "\1"s + padded(20)}.text(), "",
         std::string(20, 'p')},
        {"an own code table", own_table(4, 3) + Window{5, "r", "\1"}.text(), "", "rrrrr"},
        {"an own code table in two windows", own_table(4, 3, true) + Window{5, "r", "\1"}.text(), "", "rrrrr"},
        {"own cache sizes",
         own_table(1, 2) + Window{.size = 12,
                                  .data = "abcd",
                                  .instructions = add(4) + copy(4, 0) + copy(4, 3),
                                  .addresses = integer(0) + "\0"s}
                               .text(),
         "", "abcdabcdabcd"},
        {"no caches at all",
         own_table(0, 0) +
             Window{.size = 8, .data = "abcd", .instructions = add(4) + copy(4, 0), .addresses = integer(0)}.text(),
         "", "abcdabcd"},
    };
    for (const unsigned size : {4U, 18U, 19U})
        rows.push_back(
            {"copies of every length",
             vcdiff_header() +
                 Window{.size = size, .instructions = copy(size, 0), .addresses = integer(0), .source = {{40, 0}}}
                     .text(),
             harbour, harbour.substr(0, size)});
    return rows;
}

INSTANTIATE_TEST_SUITE_P(Rules, VcdiffAccepts, testing::ValuesIn(accepted()), [](const auto& row) {
    return makers::test_name(fmt::format("{}_{}", row.param.name, row.index));
});

struct Damage {
    const char* name;
    std::string patch;
    ErrorCode code;
    const char* says;
    std::uint64_t offset;
    friend void PrintTo(const Damage& row, std::ostream* out) { *out << row.name; }
};

class VcdiffRefuses : public testing::TestWithParam<Damage> {};

TEST_P(VcdiffRefuses, WithWindowAndOffset) {
    const Damage& row = GetParam();
    const Bytes patch = makers::bytes(row.patch);
    Bytes made;
    EXPECT_NE(reference::judge(patch, bytes_of(harbour), 1 << 27, made), reference::Verdict::made);
    try {
        hotstitch::apply_in_memory(patch, bytes_of(harbour));
        FAIL() << "accepted";
    } catch (const Error& error) {
        EXPECT_EQ(error.code(), row.code) << error.what();
        EXPECT_NE(std::string(error.what()).find(row.says), std::string::npos) << error.what();
        EXPECT_EQ(error.offset(), row.offset) << error.what();
    }
}

std::vector<Damage> damaged() {
    const auto D = ErrorCode::damaged, T = ErrorCode::truncated, U = ErrorCode::unsupported;
    const std::string good = Window{1, "a", add(1)}.text();
    const auto one = [](const Window& window) { return vcdiff_header() + window.text(); };
    Window both{.size = 1, .data = "a", .instructions = add(1), .source = {{1, 0}}, .target = {{0, 0}}};
    const std::string no_version("\xD6\xC3\xC4S", 4);
    return {
        {"nothing after the magic", "\xD6\xC3\xC4", T, "ends inside its version", 3},
        {"the interleaved variant", no_version + "\0"s, U, "version of VCDIFF", 3},
        {"unknown header flags", vcdiff_header(8), U, "header flags have bits", 4},
        {"compressor missing", vcdiff_header(1), T, "ends inside its compressor", 5},
        {"application header cut", vcdiff_header(4, integer(9) + "short"), T, "application header", 6},
        {"application header of 2^64", vcdiff_header(4, std::string("\x82\x80\x80\x80\x80\x80\x80\x80\x80\0", 10)), D,
         "larger than 64 bits", 5},
        {"a code table that is cut", vcdiff_header(2, integer(50) + "x"), T, "code table", 6},
        {"a code table too short", own_table(4, 3, false, 1535), D, "makes 1,535 bytes", 9},
        {"a code table that is none", vcdiff_header(2, integer(3) + "\4\3x"), D, "own code table is damaged", 8},
        {"an own table in an own table",
         vcdiff_header(2, integer(2 + own_table(4, 3).size()) + "\4\3"s + own_table(4, 3)), D,
         "own code table is damaged", 14},
        {"unknown window flags", one({.size = 1, .data = "a", .instructions = add(1), .more_flags = 16}), U,
         "window 1: the window flags have", 5},
        {"source and target segment", one(both), D, "window 1: it has a segment of the source and one of the target",
         6},
        {"a target segment past what is made",
         vcdiff_header() + good + Window{.size = 1, .data = "a", .instructions = add(1), .target = {{2, 0}}}.text(), D,
         "window 2: its segment runs past the target", 15},
        {"a segment past 64 bits", one({.size = 1, .data = "a", .instructions = add(1), .source = {{2, UINT64_MAX}}}),
         D, "runs past 64 bits", 6},
        {"a delta length past the end", one({.size = 1, .data = "a", .instructions = add(1), .delta_length_error = 1}),
         T, "window 1: the patch ends inside it", 7},
        {"a delta length too short",
         vcdiff_header() + Window{.size = 1, .data = "a", .instructions = add(1), .delta_length_error = -1}.text() +
             good,
         D, "sections do not fill its length", 7},
        {"a window cut in its header", vcdiff_header() + "\0\1\1"s, T, "ends inside its delta flags", 8},
        {"a window over the limit", one({.size = (64 << 20) + 1}), ErrorCode::limit,
         "window 1: it makes more bytes at once", 7},
        {"unknown delta flags", one({.size = 1, .data = "a", .instructions = add(1), .delta_flags = 8}), U,
         "delta flags have bits", 8},
        {"compressed without a compressor", one({.size = 1, .data = "a", .instructions = add(1), .delta_flags = 1}), D,
         "header names no compressor", 8},
        {"adaptive huffman",
         vcdiff_header(1, "\x10") + Window{.size = 1, .data = "a", .instructions = add(1), .delta_flags = 1}.text(), U,
         "adaptive Huffman codes (compressor 16)", 9},
        {"an unknown compressor",
         vcdiff_header(1, "\x63") + Window{.size = 1, .data = "a", .instructions = add(1), .delta_flags = 1}.text(), U,
         "unknown way (compressor 99)", 9},
        {"more than the window's size", one({.size = 1, .data = "ab", .instructions = add(2)}), D,
         "makes more than the window's size", 15},
        {"less than the window's size", one({.size = 3, .data = "ab", .instructions = add(2)}), D,
         "make less than its size", 15},
        {"data left over", one({.size = 1, .data = "ab", .instructions = add(1)}), D,
         "its data has bytes that no instruction uses", 13},
        {"addresses left over", one({.size = 1, .data = "a", .instructions = add(1), .addresses = "x"}), D,
         "its addresses have bytes", 14},
        {"data missing", one({.size = 2, .data = "a", .instructions = add(2)}), T, "ends inside its data", 12},
        {"a size missing", one({.size = 4, .instructions = "\1"}), T, "instruction's size", 13},
        {"a copy from nothing", one({.size = 4, .instructions = copy(4, 0), .addresses = integer(0)}), D,
         "a copy begins where nothing is yet", 14},
        {"a copy from here",
         one({.size = 5, .data = "a", .instructions = add(1) + copy(4, 1), .addresses = integer(0)}), D,
         "where nothing is yet", 16},
        {"a copy from before the segment",
         one({.size = 5, .data = "a", .instructions = add(1) + copy(4, 1), .addresses = integer(2)}), D,
         "before the segment", 16},
        {"a near address past 64 bits",
         one({.size = 8,
              .instructions = copy(4, 0) + copy(4, 2),
              .addresses = integer(1) + integer(UINT64_MAX),
              .source = {{8, 0}}}),
         D, "passes 64 bits", 27},
        {"an adler32 wrong without a source", one({.size = 1, .data = "a", .instructions = add(1), .adler32 = 1}), D,
         "window 1 of the target does not come out right", 0},
    };
}

INSTANTIATE_TEST_SUITE_P(Rules, VcdiffRefuses, testing::ValuesIn(damaged()), makers::row_name);

TEST(Vcdiff, AWrongSourceShowsInItsWindow) {
    const std::string first = harbour.substr(0, 20), second = harbour.substr(20, 20);
    const auto window = [](const std::string& text, std::uint64_t at) {
        return Window{.size = 20,
                      .instructions = copy(20, 0),
                      .addresses = integer(0),
                      .source = {{20, at}},
                      .adler32 = adler(text)}
            .text();
    };
    const Bytes patch = makers::bytes(vcdiff_header() + window(first, 0) + window(second, 20));
    std::string other = harbour;
    other[30] = '!';
    try {
        hotstitch::apply_in_memory(patch, bytes_of(other));
        FAIL() << "accepted";
    } catch (const Error& error) {
        EXPECT_EQ(error.code(), ErrorCode::wrong_source);
        EXPECT_EQ(error.offset(), 20U);
        EXPECT_NE(std::string(error.what()).find("window 2"), std::string::npos);
    }
    EXPECT_EQ(fit(*open_patch(patch), MemorySource(bytes_of(harbour)), {}).answer, FitAnswer::fits);
    const Fit misfit = fit(*open_patch(patch), MemorySource(bytes_of(other)), {});
    EXPECT_EQ(misfit.answer, FitAnswer::does_not_fit);
    EXPECT_EQ(misfit.mismatches.front().name, "adler32 of window 2");
    EXPECT_EQ(diagnose(*open_patch(patch), bytes_of(other)).reasons.front().code, "right-to-a-point");
    // Too short for its segments is a wrong source as well, told before anything is made.
    const Fit too_short = fit(*open_patch(patch), MemorySource(bytes_of(first)), {});
    EXPECT_EQ(too_short.answer, FitAnswer::does_not_fit);
    EXPECT_EQ(too_short.mismatches.front().name, "reach");
    // With leave to go on, the result is made and the mismatch is reported.
    MemorySink out;
    ApplyOptions options;
    options.allow_source = true;
    const ApplyReport report = hotstitch::apply(MemorySource(patch), MemorySource(bytes_of(other)), out, options);
    EXPECT_EQ(report.overridden.size(), 1U);
    EXPECT_EQ(text_of(out.bytes()), other.substr(0, 40));
    EXPECT_EQ(fit(*open_patch(patch), MemorySource(bytes_of(harbour.substr(0, 40))), {}).answer,
              FitAnswer::fits);  // nothing is changed, so source and target are the same
}

TEST(Vcdiff, SectionsInLzmaStreamsThatLiveThroughTheFile) {
    makers::LzmaSections data, instructions, checked(1 << 16, LZMA_CHECK_CRC32);
    const std::string a(500, 'a'), b = harbour + harbour;
    const auto window = [&](const std::string& text, const std::string& packed, const std::string& codes) {
        Window w{.size = text.size(), .data = packed, .instructions = codes, .delta_flags = 3};
        w.adler32 = adler(text);
        return w.text();
    };
    const auto codes = [&](const std::string& text) {
        return instructions.feed(add(static_cast<unsigned>(text.size())));
    };
    const std::string head = vcdiff_header(1, "\2");
    const std::string first = window(a, data.feed(a), codes(a)),
                      plain = Window{.size = 2, .data = "ok", .instructions = add(2)}.text();
    const std::string second = window(b, data.feed(b), codes(b));
    const Bytes patch = makers::bytes(head + first + plain + second);
    EXPECT_EQ(text_of(hotstitch::apply_in_memory(patch, {}).target), a + "ok" + b);
    EXPECT_EQ(text_of(*reference::apply(patch, {}, 1 << 20)), a + "ok" + b);
    // The second window alone has no stream to go on from.
    Bytes made;
    for (const std::string& broken : {head + second, head + window(a, checked.feed(a, false, a.size() + 1), codes(a)),
                                      head + first.substr(0, 40)}) {
        EXPECT_EQ(reference::judge(makers::bytes(broken), {}, 1 << 20, made), reference::Verdict::refused);
        EXPECT_THROW(hotstitch::apply_in_memory(makers::bytes(broken), {}), Error);
    }
    // A dictionary over the limit, and a section that unpacks to more than its window can use.
    makers::LzmaSections huge(512 << 20), bomb;
    const std::string zeros(1 << 20, '\0');
    for (const std::string& greedy : {huge.feed(a), bomb.feed(zeros)}) {
        try {
            hotstitch::apply_in_memory(
                makers::bytes(head +
                              Window{.size = 500, .data = greedy, .instructions = add(500), .delta_flags = 1}.text()),
                {});
            FAIL() << "accepted";
        } catch (const Error& error) {
            EXPECT_EQ(error.code(), ErrorCode::limit) << error.what();
        }
    }
}

TEST(Vcdiff, SectionsInGroupedHuffmanCodes) {
    makers::Random random(41);
    for (int round = 0; round < 400; ++round) {
        const unsigned groups = 1 + static_cast<unsigned>(makers::below(random, 8));
        const Bytes bytes = makers::file_like(random, makers::below(random, 3000));
        const std::string text(text_of(bytes));
        const auto pack = [&](const std::string& section) {
            return makers::huffman_section(random, section, groups, static_cast<unsigned>(makers::below(random, 32)));
        };
        const unsigned which = 1 + static_cast<unsigned>(makers::below(random, 3));
        const std::string codes = add(static_cast<unsigned>(text.size()));
        Window window{.size = text.size(),
                      .data = (which & 1) != 0 ? pack(text) : text,
                      .instructions = (which & 2) != 0 ? pack(codes) : codes,
                      .delta_flags = which};
        window.adler32 = adler(text);
        const Bytes patch = makers::bytes(vcdiff_header(1, "\1") + window.text());
        ASSERT_EQ(text_of(*reference::apply(patch, {}, 1 << 20)), text) << round;
        ASSERT_EQ(text_of(hotstitch::apply_in_memory(patch, {}).target), text) << round;
    }
}

/// Numbers of so many bits each, as a Huffman section holds them.
std::string bits(std::initializer_list<std::pair<unsigned, unsigned>> numbers, std::size_t bytes) {
    std::string out(bytes, '\0');
    std::size_t at = 0;
    for (const auto& [value, width] : numbers)
        for (unsigned bit = width; bit-- != 0; ++at)
            if ((value >> bit & 1) != 0) out[at / 8] = static_cast<char>(out[at / 8] | 1 << at % 8);
    return out;
}

TEST(Vcdiff, DamagedSectionsHaveTheirOwnWords) {
    makers::Random random(46);
    makers::LzmaSections stream, more, less, cut;
    const std::string text(500, 'a');
    const std::string whole_lzma = cut.feed(text);
    struct {
        char compressor;
        std::string packed;
        const char* says;
    } const rows[] = {
        {'\1', integer(500), "Huffman-compressed bytes end too early"},
        {'\1', integer(500) + bits({{0, 3}, {15, 4}, {0x1111, 16}, {0x1111, 16}}, 30), "code with too many words"},
        {'\1', integer(500) + bits({{0, 3}, {15, 4}}, 40), "bits that are no code word"},
        {'\1', integer(500) + bits({{0, 3}, {0, 4}, {0, 4}, {1, 4}}, 40), "repeat a value past the end"},
        {'\1', makers::huffman_section(random, text, 3, 2) + "xx", "go on after their end"},
        {'\2', integer(500) + "Harbour master", "are no LZMA stream"},
        {'\2', more.feed(text, false, 499), "unpack to more than their size"},
        {'\2', less.feed(text, false, 501), "are cut short or damaged"},
        {'\2', whole_lzma.substr(0, whole_lzma.size() - 6), "are cut short or damaged"},
    };
    for (const auto& row : rows) {
        const Window window{.size = 500, .data = row.packed, .instructions = add(500), .delta_flags = 1};
        const Bytes patch = makers::bytes(vcdiff_header(1, std::string(1, row.compressor)) + window.text());
        Bytes made;
        EXPECT_EQ(reference::judge(patch, {}, 1 << 20, made), reference::Verdict::refused) << row.says;
        try {
            hotstitch::apply_in_memory(patch, {});
            FAIL() << "accepted: " << row.says;
        } catch (const Error& error) {
            EXPECT_EQ(error.code(), ErrorCode::damaged) << row.says;
            EXPECT_NE(std::string(error.what()).find("window 1: its "), std::string::npos) << error.what();
            EXPECT_NE(std::string(error.what()).find(row.says), std::string::npos) << error.what();
            EXPECT_GE(error.offset().value_or(0), 12U) << row.says;
        }
    }
}

CreateOptions options_of(makers::Random& random) {
    CreateOptions options{.format = PatchFormat::vcdiff};
    options.vcdiff.window = std::uint64_t{64} << makers::below(random, 9);
    options.vcdiff.lzma = makers::below(random, 2) == 0;
    options.vcdiff.window_checks = makers::below(random, 4) != 0;
    return options;
}

TEST(Vcdiff, RandomRoundTripsInWindowsOfEverySize) {
    makers::Random random(42);
    std::uint64_t windows = 0;
    for (int round = 0; round < 800; ++round) {
        const Bytes source = makers::file_like(random, makers::below(random, round % 50 == 0 ? 300'000 : 3'000));
        const Bytes target = makers::modified(random, source);
        const Bytes patch = hotstitch::create(source, target, options_of(random));
        ASSERT_TRUE(hotstitch::apply_in_memory(patch, source).target == target) << round;
        const auto reader = open_patch(patch);
        windows += reader->facts().windows;
        if (source.size() < 4'000) {
            ASSERT_TRUE(reference::apply(patch, source, 1 << 24) == target) << round;
        }
    }
    EXPECT_GT(windows, 1'500U);
}

TEST(Vcdiff, LzmaIsUsedWhereItMakesThePatchSmaller) {
    std::string text;
    for (int i = 0; text.size() < 200'000; ++i)
        text += fmt::format("Berth {}: ferry {} waits for the tide.\n", i, i * 7919 % 1000);
    CreateOptions options{.format = PatchFormat::vcdiff};
    options.vcdiff.window = 16 << 10;
    const Bytes small = hotstitch::create({}, bytes_of(text), options);
    options.vcdiff.lzma = false;
    const Bytes plain = hotstitch::create({}, bytes_of(text), options);
    EXPECT_LT(small.size(), plain.size() / 2);
    EXPECT_EQ(open_patch(small)->facts().compressor, "LZMA");
    EXPECT_TRUE(open_patch(plain)->facts().compressor.empty());
    for (const Bytes& patch : {small, plain}) {
        EXPECT_EQ(text_of(hotstitch::apply_in_memory(patch, {}).target), text);
        EXPECT_EQ(text_of(*reference::apply(patch, {}, 1 << 20)), text);
    }
    // Noise gains nothing, so its patch names no compressor and any strict reader takes it.
    makers::Random random(44);
    Bytes noise(100'000);
    for (std::byte& b : noise) b = static_cast<std::byte>(random());
    EXPECT_TRUE(open_patch(hotstitch::create({}, noise, {.format = PatchFormat::vcdiff}))->facts().compressor.empty());
}

TEST(Vcdiff, LongCopiesAndRepeatsOfThem) {
    // Long copies go past the window's buffer; copies of them, of their seams and of what follows must still find them.
    makers::Random random(45);
    Bytes source(400'000);
    for (std::byte& b : source) b = static_cast<std::byte>(random());
    for (int round = 0; round < 60; ++round) {
        std::string patch = vcdiff_header(), target;
        for (int number = 0; number < 3; ++number) {
            Window window{.source = {{source.size(), 0}}};
            const std::size_t begin = target.size();
            const auto put_copy = [&](std::uint64_t address, std::size_t length) {
                window.instructions += '\x13';
                window.instructions += integer(length);
                window.addresses += integer(address);
                for (std::size_t i = 0; i < length; ++i)
                    target += address + i < source.size() ? text_of(source)[address + i]
                                                          : target[begin + (address + i - source.size())];
            };
            put_copy(makers::below(random, 200'000), 100'000);
            for (int op = 0; op < 6; ++op) {
                const std::size_t made = target.size() - begin;
                const bool repeat = makers::below(random, 3) != 0;
                const std::size_t length = 1 + makers::below(random, repeat && op % 2 == 0 ? 30 : 90'000);
                put_copy(repeat ? source.size() + makers::below(random, made) : makers::below(random, 300'000), length);
            }
            window.size = target.size() - begin;
            window.adler32 = adler(std::string_view(target).substr(begin));
            patch += window.text();
        }
        ASSERT_TRUE(text_of(hotstitch::apply_in_memory(makers::bytes(patch), source).target) == target) << round;
        ASSERT_EQ(fit(*open_patch(makers::bytes(patch)), MemorySource(source), {}).answer, FitAnswer::fits);
    }
}

TEST(Vcdiff, AgreesWithTheReferenceOnDamagedPatches) {
    makers::Random random(43);
    std::map<reference::Verdict, int> seen;
    for (int round = 0; round < 12'000 && !HasFailure(); ++round) {
        const Bytes source = makers::file_like(random, 1 + makers::below(random, 300));
        const Bytes good = hotstitch::create(source, makers::modified(random, source), options_of(random));
        const Bytes patch = makers::damaged(random, good, good);
        if (recognise_patch(patch) != PatchFormat::vcdiff) continue;
        Bytes wanted, made;
        const reference::Verdict outcome = reference::judge(patch, source, 1 << 20, wanted);
        ++seen[outcome];
        ApplyOptions options;
        options.limits.output = 1 << 20;
        try {
            MemorySink sink;
            const ApplyReport report = hotstitch::apply(MemorySource(patch), MemorySource(source), sink, options);
            // A source that has the checksums of the target is taken for it, whatever the instructions say.
            if (report.fit.answer == FitAnswer::already_patched) continue;
            made = sink.take();
            EXPECT_EQ(outcome, reference::Verdict::made) << hex(patch);
            EXPECT_TRUE(made == wanted) << hex(patch);
        } catch (const Error& error) {
            EXPECT_NE(outcome, reference::Verdict::made) << error.what() << hex(patch);
            EXPECT_EQ(error.code() == ErrorCode::limit, outcome == reference::Verdict::too_large)
                << error.what() << hex(patch);
            EXPECT_EQ(error.code() == ErrorCode::wrong_source, outcome == reference::Verdict::wrong_source)
                << error.what() << hex(patch);
        }
    }
    EXPECT_GT(seen[reference::Verdict::made], 100);
    EXPECT_GT(seen[reference::Verdict::refused], 2'000);
    EXPECT_GT(seen[reference::Verdict::wrong_source], 100);
}

}  // namespace
}  // namespace hotstitch
