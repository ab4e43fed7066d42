// SPDX-License-Identifier: MIT
// docs/formats/ips.md, rule by rule, then against the reference reader.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include "hotstitch/apply.h"
#include "hotstitch/error.h"
#include "hotstitch/patch.h"
#include "hotstitch/summary.h"
#include "lib/patch_makers.h"
#include "lib/reference.h"

namespace hotstitch {
namespace {

using makers::big_endian, makers::ips_record, makers::ips_run;
using namespace std::string_literals;

struct Accepted {
    const char* name;
    std::string patch, source, target;
    friend void PrintTo(const Accepted& row, std::ostream* out) { *out << row.name; }
};

class IpsAccepts : public testing::TestWithParam<Accepted> {};

TEST_P(IpsAccepts, AndMakesTheTarget) {
    const Accepted& row = GetParam();
    const Bytes target = hotstitch::apply_in_memory(bytes_of(row.patch), bytes_of(row.source)).target;
    EXPECT_EQ(text_of(target), row.target);
    const auto reference = reference::apply_ips(bytes_of(row.patch), bytes_of(row.source));
    ASSERT_TRUE(reference.has_value());
    EXPECT_EQ(text_of(*reference), row.target);
}

const std::string json = R"({"title":"Fog Signals"})";
const std::string record_at_eof = ips_record(0x454F46, "x");  // its offset reads "EOF"

std::vector<Accepted> accepted() {
    std::string grown(0x454F46, '\0');
    return {
        {"no records", "PATCHEOF", "abc", "abc"},
        {"no records, no source", "PATCHEOF", "", ""},
        {"one record", "PATCH" + ips_record(1, "X") + "EOF", "abc", "aXc"},
        {"a run", "PATCH" + ips_run(1, 2, 'r') + "EOF", "abcd", "arrd"},
        {"grows", "PATCH" + ips_record(3, "def") + "EOF", "abc", "abcdef"},
        {"a gap is filled with 00", "PATCH" + ips_record(5, "f") + "EOF", "abc", "abc\0\0f"s},
        {"a run grows", "PATCH" + ips_run(2, 4, 'r') + "EOF", "abc", "abrrrr"},
        {"out of order", "PATCH" + ips_record(2, "Z") + ips_record(0, "X") + "EOF", "abc", "XbZ"},
        {"the last one wins", "PATCH" + ips_record(0, "1111") + ips_record(1, "22") + "EOF", "abcd", "1221"},
        {"an earlier one shows behind", "PATCH" + ips_record(1, "22") + ips_record(0, "33") + "EOF", "abcd", "332d"},
        {"three deep", "PATCH" + ips_record(0, "111111") + ips_run(1, 4, '2') + ips_record(2, "33") + "EOF", "abcdef",
         "123321"},
        {"cut", "PATCHEOF" + big_endian(2, 3), "abc", "ab"},
        {"cut to nothing", "PATCHEOF" + big_endian(0, 3), "abc", ""},
        {"a cut never lengthens", "PATCHEOF" + big_endian(9, 3), "abc", "abc"},
        {"a cut inside a record", "PATCH" + ips_record(1, "XYZ") + "EOF" + big_endian(3, 3), "abcd", "aXY"},
        {"a cut before a record", "PATCH" + ips_record(5, "XYZ") + "EOF" + big_endian(3, 3), "abcd", "abc"},
        {"three bytes are always a length", "PATCHEOF{ }", "abc", "abc"},
        {"metadata", "PATCHEOF" + json, "abc", "abc"},
        {"metadata and white space", "PATCHEOF" + json + "\r\n", "abc", "abc"},
        {"a length and metadata", "PATCHEOF" + big_endian(2, 3) + json, "abc", "ab"},
        {"the end marker as an offset", "PATCH" + record_at_eof + "EOF", "", grown + "x"},
        {"that offset, then a cut", "PATCH" + record_at_eof + "EOF" + big_endian(2, 3), "abc", "ab"},
        {"where both readings parse, the marker wins", "PATCHEOF" + big_endian(1, 2) + "x", "abc", "abc"},
        {"IPS32", "IPS32" + ips_record(1, "X", 4) + "EEOF", "abc", "aXc"},
        {"IPS32 with a four-byte length", "IPS32EEOF" + big_endian(1, 4), "abc", "a"},
        {"IPS32 with a three-byte length", "IPS32EEOF" + big_endian(1, 3), "abc", "a"},
        {"IPS32 with length and metadata", "IPS32EEOF" + big_endian(1, 4) + json, "abc", "a"},
        {"IPS32 with a short length and metadata", "IPS32EEOF" + big_endian(1, 3) + json, "abc", "a"},
    };
}

INSTANTIATE_TEST_SUITE_P(Rules, IpsAccepts, testing::ValuesIn(accepted()), makers::row_name);

struct Refused {
    const char* name;
    std::string patch;
    ErrorCode code;
    std::uint64_t offset;
    const char* says;
    friend void PrintTo(const Refused& row, std::ostream* out) { *out << row.name; }
};

class IpsRefuses : public testing::TestWithParam<Refused> {};

TEST_P(IpsRefuses, WithCodeOffsetAndWords) {
    const Refused& row = GetParam();
    EXPECT_FALSE(reference::apply_ips(bytes_of(row.patch), {}).has_value());
    try {
        open_patch(bytes_of(row.patch));
        FAIL() << "accepted";
    } catch (const Error& error) {
        EXPECT_EQ(error.code(), row.code) << error.what();
        EXPECT_EQ(error.offset(), row.offset);
        EXPECT_NE(std::string(error.what()).find(row.says), std::string::npos) << error.what();
    }
}

INSTANTIATE_TEST_SUITE_P(
    Rules, IpsRefuses,
    testing::ValuesIn(std::vector<Refused>{
        {"only the magic", "PATCH", ErrorCode::truncated, 5, "without its end marker"},
        {"no end marker", "PATCH" + ips_record(1, "X"), ErrorCode::truncated, 11, "without its end marker"},
        {"ends in an offset", "PATCH\1\2"s, ErrorCode::truncated, 5, "offset"},
        {"ends in a size", "PATCH" + ips_record(1, "X") + "\0\0\1\0"s, ErrorCode::truncated, 14, "size"},
        {"a record past the end", "PATCH" + big_endian(1, 3) + big_endian(9, 2) + "XEOF", ErrorCode::truncated, 10,
         "record 1 runs past"},
        {"a run without a length", "PATCH" + big_endian(1, 3) + big_endian(0, 2) + "\1", ErrorCode::truncated, 10,
         "run length"},
        {"a run without a value", "PATCH" + big_endian(1, 3) + big_endian(0, 2) + big_endian(7, 2),
         ErrorCode::truncated, 12, "run value"},
        {"a run of nothing", "PATCH" + ips_run(1, 0, 'x') + "EOF", ErrorCode::damaged, 10, "run of no bytes"},
        {"one byte after the marker", "PATCHEOFx", ErrorCode::damaged, 8, "neither a length nor"},
        {"text after the marker", "PATCHEOF" + big_endian(2, 3) + "hello", ErrorCode::damaged, 8,
         "neither a length nor"},
        {"broken metadata", "PATCHEOF{\"a\":}", ErrorCode::damaged, 8, "neither a length nor"},
        {"metadata that is no object", "PATCHEOF[1,2,3]", ErrorCode::damaged, 8, "neither a length nor"},
        {"another variant's magic", "IPS33EEOF", ErrorCode::not_this_format, 0, "not a patch"},
        {"a web page", "<!DOCTYPE html><html>", ErrorCode::not_this_format, 0, "a web page"},
        {"a zip", "PK\3\4....", ErrorCode::not_this_format, 0, "a zip archive"},
        {"another kind of patch", "KELPATCH\1\2", ErrorCode::not_this_format, 0, "a format that is not read here"},
        {"nothing", "", ErrorCode::not_this_format, 0, "an empty file"},
    }),
    makers::row_name);

TEST(IpsReader, TellsFactsAndMetadata) {
    const std::string patch = "PATCH" + ips_record(4, "XY") + ips_run(0, 3, 'r') + "EOF" + big_endian(5, 3) + json;
    const auto reader = open_patch(bytes_of(patch), {.metadata = 8});
    const PatchFacts& facts = reader->facts();
    EXPECT_EQ(facts.records, 2U);
    EXPECT_EQ(facts.reach, 6U);
    EXPECT_EQ(facts.cut, 5U);
    EXPECT_TRUE(facts.overlapping);
    EXPECT_EQ(facts.metadata, json.substr(0, 8));
    EXPECT_EQ(facts.metadata_size, json.size());
    const PatchSummary summary = summarise(*reader);
    EXPECT_EQ(summary.run.bytes, 3U);
    EXPECT_EQ(summary.literal.bytes, 1U);
    ASSERT_EQ(summary.touched_ranges, 2U);
    EXPECT_EQ(summary.first_ranges[1].offset, 4U);
}

TEST(IpsReader, HostileEndMarkersAreALimitAndNotAHang) {
    // Each record reads as an end marker whose JSON string runs to the end of the patch.
    std::string patch = "PATCH";
    for (int i = 0; i < 600; ++i) patch += "EOF" + big_endian(0x7B22, 2) + std::string(0x7B22, 'a');
    patch += "}";
    try {
        open_patch(bytes_of(patch));
        FAIL() << "accepted";
    } catch (const Error& error) {
        EXPECT_EQ(error.code(), ErrorCode::limit);
    }
}

TEST(IpsReader, OverlapIndexKeepsToTheMemoryBudget) {
    std::string patch = "PATCH";
    for (int i = 0; i < 1000; ++i) patch += ips_record(static_cast<std::uint64_t>(1000 - i), "ab");
    patch += "EOF";
    Limits limits;
    limits.memory = 10'000;
    const auto reader = open_patch(bytes_of(patch), limits);
    EXPECT_THROW(summarise(*reader), Error);
}

// Every short patch over a small alphabet, and then damaged valid ones: made with the same bytes exactly
// when the reference accepts, otherwise an error with a code and, where there is one, an offset.
constexpr std::uint64_t most = 1 << 20;

using reference::Verdict;

Verdict expect_agreement(ByteView patch, ByteView source) {
    Bytes wanted;
    const Verdict verdict = reference::judge(patch, source, most, wanted);
    const std::string shown = hex(patch.first(std::min<std::size_t>(patch.size(), 64)));
    try {
        ApplyOptions options;
        options.limits.output = most;
        const Bytes made = hotstitch::apply_in_memory(patch, source, options).target;
        EXPECT_EQ(verdict, Verdict::made) << "accepted " << shown;
        EXPECT_TRUE(made == wanted) << shown;
    } catch (const Error& error) {
        const bool limit = error.code() == ErrorCode::limit;
        EXPECT_EQ(verdict, limit ? Verdict::too_large : Verdict::refused) << error.what() << " " << shown;
        const bool about_patch = error.code() == ErrorCode::damaged || error.code() == ErrorCode::truncated ||
                                 error.code() == ErrorCode::not_this_format;
        EXPECT_TRUE(limit || (about_patch && error.offset().has_value())) << error.what();
    }
    return verdict;
}

TEST(IpsReader, AgreesWithTheReferenceOnAllShortTails) {
    const std::string source = "abcdefgh";
    const std::string_view alphabet("\0\1{}EOF\"", 8);
    std::string tail(5, ' ');
    for (std::uint64_t n = 0; n < 8 * 8 * 8 * 8 * 8; ++n) {
        std::size_t least = 0;  // shorter ones had their turn
        for (std::size_t i = 0, rest = n; i < 5; ++i, rest /= 8)
            if (tail[i] = alphabet[rest % 8]; rest != 0) least = i + 1;
        for (std::size_t length = least; length <= 5; ++length) {
            expect_agreement(bytes_of("PATCH" + tail.substr(0, length) + "EOF"), bytes_of(source));
            expect_agreement(bytes_of("PATCHEOF" + tail.substr(0, length)), bytes_of(source));
            if (HasFailure()) return;
        }
    }
}

TEST(IpsReader, AgreesWithTheReferenceOnFiftyThousandDamagedPatches) {
    makers::Random random(3);
    int accepted = 0;
    Bytes other = makers::random_ips(random);
    for (int round = 0; round < 50'000 && !HasFailure(); ++round) {
        const Bytes patch = makers::random_ips(random);
        const Bytes source = makers::file_like(random, makers::below(random, 600));
        EXPECT_EQ(expect_agreement(patch, source), Verdict::made);
        accepted += expect_agreement(makers::damaged(random, patch, other), source) == Verdict::made ? 1 : 0;
        other = patch;
    }
    // Both outcomes have to be common, or the comparison says little.
    EXPECT_GT(accepted, 5'000);
    EXPECT_LT(accepted, 45'000);
}

}  // namespace
}  // namespace hotstitch
