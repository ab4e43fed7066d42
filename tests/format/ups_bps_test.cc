// SPDX-License-Identifier: MIT
// docs/formats/ups.md and bps.md, rule by rule, then against the reference readers.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <map>

#include "base/vlv.h"
#include "hotstitch/apply.h"
#include "hotstitch/create.h"
#include "hotstitch/patch.h"
#include "hotstitch/summary.h"
#include "lib/patch_makers.h"
#include "lib/reference.h"

namespace hotstitch {
namespace {

using makers::bps_action, makers::bps_move, makers::vlv, makers::with_footer;
using namespace std::string_literals;

TEST(Vlv, HasOneEncodingForEachValueUpTo64Bits) {
    for (const std::uint64_t value : {std::uint64_t{0}, std::uint64_t{127}, std::uint64_t{128}, std::uint64_t{16511},
                                      std::uint64_t{16512}, UINT64_MAX - 1, UINT64_MAX}) {
        Bytes out;
        put_vlv(out, value);
        EXPECT_EQ(text_of(out), vlv(value));
        EXPECT_EQ(vlv_length(value), out.size());
        Cursor cursor(out);
        EXPECT_EQ(take_vlv(cursor, "value"), value);
    }
    EXPECT_EQ(vlv(UINT64_MAX), "\x7f" + std::string(8, '\x7e') + "\x80");
    for (const std::string& wide : {"\0\x7f"s + std::string(7, '\x7e') + "\x80", std::string(9, '\x7f') + "\xff",
                                    std::string(30, '\0') + "\x80"}) {
        Cursor cursor(bytes_of(wide));
        EXPECT_THROW(take_vlv(cursor, "value"), Error) << hex(bytes_of(wide));
    }
}

struct Row {
    const char* name;
    std::string body, source, target;
    friend void PrintTo(const Row& row, std::ostream* out) { *out << row.name; }
};

class ChecksummedAccepts : public testing::TestWithParam<Row> {};

TEST_P(ChecksummedAccepts, AndMakesTheTarget) {
    const Row& row = GetParam();
    const Bytes patch = with_footer(row.body, bytes_of(row.source), bytes_of(row.target));
    EXPECT_EQ(text_of(hotstitch::apply_in_memory(patch, bytes_of(row.source)).target), row.target);
    const auto reference = reference::apply(patch, bytes_of(row.source), 1 << 20);
    ASSERT_TRUE(reference.has_value());
    EXPECT_EQ(text_of(*reference), row.target);
}

std::string ups(std::uint64_t source, std::uint64_t target, const std::string& hunks) {
    return "UPS1" + vlv(source) + vlv(target) + hunks;
}
std::string bps(std::uint64_t source, std::uint64_t target, const std::string& actions,
                const std::string& metadata = {}) {
    return "BPS1" + vlv(source) + vlv(target) + vlv(metadata.size()) + metadata + actions;
}

INSTANTIATE_TEST_SUITE_P(Ups, ChecksummedAccepts,
                         testing::ValuesIn(std::vector<Row>{
                             {"ups nothing", ups(3, 3, ""), "abc", "abc"},
                             {"ups empty", ups(0, 0, ""), "", ""},
                             {"ups one byte", ups(3, 3, vlv(1) + "\x01\0"s), "abc", "acc"},
                             {"ups the terminator takes a position", ups(5, 5, vlv(0) + "\x01\0"s + vlv(0) + "\x01\0"s),
                              "aaaaa", "`a`aa"},
                             {"ups grows", ups(2, 4, vlv(2) + "cd\0"s), "ab", "abcd"},
                             {"ups grows with 00", ups(2, 4, ""), "ab", "ab\0\0"s},
                             {"ups shrinks", ups(4, 2, vlv(2) + "cd\0"s), "abcd", "ab"},
                             {"ups the last terminator at the end", ups(2, 2, vlv(1) + "\x01\0"s), "ab", "ac"},
                             {"ups a hunk of only its terminator", ups(2, 2, vlv(1) + "\0"s), "ab", "ab"},
                             {"ups only a terminator at the end", ups(2, 2, vlv(2) + "\0"s), "ab", "ab"},
                         }),
                         makers::row_name);

INSTANTIATE_TEST_SUITE_P(
    Bps, ChecksummedAccepts,
    testing::ValuesIn(std::vector<Row>{
        {"bps empty", bps(0, 0, ""), "", ""},
        {"bps source read", bps(3, 3, bps_action(0, 3)), "abc", "abc"},
        {"bps literal", bps(0, 3, bps_action(1, 3) + "xyz"), "", "xyz"},
        {"bps source copies, cursor lives on",
         bps(4, 4, bps_action(2, 1) + bps_move(3) + bps_action(2, 2) + bps_move(-3) + bps_action(2, 1) + bps_move(0)),
         "abcd", "dbcd"},
        {"bps minus nothing", bps(2, 2, bps_action(2, 2) + vlv(1)), "ab", "ab"},
        {"bps target copy as a run", bps(0, 6, bps_action(1, 1) + "z" + bps_action(3, 5) + bps_move(0)), "", "zzzzzz"},
        {"bps target copy into itself", bps(0, 7, bps_action(1, 3) + "abc" + bps_action(3, 4) + bps_move(0)), "",
         "abcabca"},
        {"bps target cursor lives on",
         bps(0, 5, bps_action(1, 3) + "abc" + bps_action(3, 1) + bps_move(1) + bps_action(3, 1) + bps_move(0)), "",
         "abcbc"},
        {"bps metadata that is no UTF-8", bps(1, 1, bps_action(0, 1), "\xff\xfe\0x"s), "a", "a"},
    }),
    makers::row_name);

struct Damage {
    const char* name;
    std::string body;
    const char* says;
    friend void PrintTo(const Damage& row, std::ostream* out) { *out << row.name; }
};

class ChecksummedRefuses : public testing::TestWithParam<Damage> {};

TEST_P(ChecksummedRefuses, WithOffsetAndWords) {
    const Damage& row = GetParam();
    const Bytes patch = with_footer(row.body, {}, {});
    EXPECT_FALSE(reference::apply(patch, bytes_of("ab"), 1 << 20).has_value());
    try {
        open_patch(patch);
        FAIL() << "accepted";
    } catch (const Error& error) {
        EXPECT_TRUE(error.code() == ErrorCode::damaged || error.code() == ErrorCode::truncated) << error.what();
        EXPECT_TRUE(error.offset().has_value());
        EXPECT_NE(std::string(error.what()).find(row.says), std::string::npos) << error.what();
    }
}

INSTANTIATE_TEST_SUITE_P(
    Rules, ChecksummedRefuses,
    testing::ValuesIn(std::vector<Damage>{
        {"ups too short", "UPS1", "too short"},
        {"ups no sizes", "UPS1\1\1", "ends inside its source size"},
        {"ups skip past the end", ups(2, 2, vlv(3) + "\0"s), "skip runs past"},
        {"ups skip far past the end", ups(2, 2, vlv(0) + "\x01\0"s + vlv(UINT64_MAX) + "\0"s), "skip runs past"},
        {"ups byte past the end", ups(2, 2, vlv(1) + "xy\0"s), "hunk runs past"},
        {"ups byte at the end", ups(2, 2, vlv(2) + "x\0"s), "hunk runs past"},
        {"ups a hunk after the last terminator", ups(2, 2, vlv(2) + "\0"s + vlv(0) + "\0"s), "skip runs past"},
        {"ups no terminator", ups(2, 2, vlv(0) + "x"), "no terminator"},
        {"ups a size over 64 bits", "UPS1" + std::string(12, '\x7f') + "\x80" + vlv(1), "larger than 64 bits"},
        {"bps too short", "BPS1\x80", "too short"},
        {"bps metadata past the end", "BPS1" + vlv(0) + vlv(0) + vlv(99), "ends inside its metadata"},
        {"bps metadata of 2^64", "BPS1" + vlv(0) + vlv(0) + vlv(UINT64_MAX), "ends inside its metadata"},
        {"bps makes more", bps(2, 1, bps_action(0, 2)), "makes more than"},
        {"bps makes far more", bps(2, 1, vlv(UINT64_MAX)), "makes more than"},
        {"bps makes less", bps(2, 3, bps_action(0, 2)), "make less than"},
        {"bps reads past the source", bps(2, 3, bps_action(0, 3)), "outside the source"},
        {"bps literal past the patch", bps(2, 30, bps_action(1, 30) + "xy"), "ends inside its literal"},
        {"bps source cursor before 0", bps(2, 2, bps_action(2, 1) + bps_move(-1)), "moves its cursor"},
        {"bps source copy past the end", bps(2, 2, bps_action(2, 2) + bps_move(1)), "outside the source"},
        {"bps source cursor at the end", bps(2, 2, bps_action(2, 1) + bps_move(2)), "outside the source"},
        {"bps target copy from nothing", bps(2, 2, bps_action(3, 1) + bps_move(0)), "outside the target"},
        {"bps target copy from ahead", bps(2, 2, bps_action(1, 1) + "a" + bps_action(3, 1) + bps_move(1)),
         "outside the target"},
        {"bps action without its move", bps(2, 2, bps_action(2, 2)), "ends inside its source move"},
        {"bps a move over 64 bits", bps(2, 2, bps_action(2, 2) + std::string(12, '\x7f') + "\x80"),
         "larger than 64 bits"},
    }),
    makers::row_name);

TEST(Checksummed, AWrongPatchCrcIsDamageBeforeAnythingElse) {
    for (const char* body : {"UPS1\x89\x89", "BPS1\x89\x89\x80"}) {
        Bytes patch = with_footer(body, {}, {});
        patch[4] ^= std::byte{1};
        try {
            hotstitch::apply_in_memory(patch, bytes_of("neither size fits"));
            FAIL() << "accepted";
        } catch (const Error& error) {
            EXPECT_EQ(error.code(), ErrorCode::damaged);
            EXPECT_EQ(error.field(), "crc32 of the patch");
        }
    }
}

TEST(Checksummed, SourceAndTargetAreChecked) {
    const std::string source = "The ferry waits at berth seven.", target = "The barge waits at berth nine!";
    for (const PatchFormat format : {PatchFormat::ups, PatchFormat::bps}) {
        const Bytes patch = hotstitch::create(bytes_of(source), bytes_of(target), {.format = format});
        const auto reader = open_patch(patch);
        EXPECT_EQ(fit(*reader, MemorySource(bytes_of(source)), {}).answer, FitAnswer::fits);
        EXPECT_EQ(fit(*reader, MemorySource(bytes_of("something else entirely, no?")), {}).answer,
                  FitAnswer::does_not_fit);
        const Fit given_target = fit(*reader, MemorySource(bytes_of(target)), {});
        EXPECT_EQ(given_target.reversible, format == PatchFormat::ups);
        EXPECT_EQ(given_target.answer, FitAnswer::already_patched);
        // Backwards only when that is asked for; otherwise a copy.
        EXPECT_EQ(text_of(hotstitch::apply_in_memory(patch, bytes_of(target)).target), target);
        EXPECT_EQ(text_of(hotstitch::apply_in_memory(patch, bytes_of(target), {.backwards = true}).target),
                  format == PatchFormat::ups ? source : target);
        try {
            hotstitch::apply_in_memory(patch, bytes_of("The ferry waits at berth eight."));
            FAIL() << "took a wrong source";
        } catch (const Error& error) {
            EXPECT_EQ(error.code(), ErrorCode::wrong_source);
        }
    }
    // A right source and a patch that says the wrong target: damage.
    const Bytes lying = with_footer(bps(1, 1, bps_action(0, 1)), bytes_of("a"), bytes_of("b"));
    try {
        hotstitch::apply_in_memory(lying, bytes_of("a"));
        FAIL() << "believed it";
    } catch (const Error& error) {
        EXPECT_EQ(error.code(), ErrorCode::damaged);
    }
}

TEST(Checksummed, RandomRoundTripsInEveryFormatAndUpsBackwards) {
    makers::Random random(11);
    for (int round = 0; round < 2000; ++round) {
        const Bytes source = makers::file_like(random, makers::below(random, round % 50 == 0 ? 300'000 : 900));
        const Bytes target = makers::modified(random, source);
        for (const PatchFormat format : {PatchFormat::ups, PatchFormat::bps}) {
            const Bytes patch = hotstitch::create(source, target, {.format = format});
            ASSERT_TRUE(hotstitch::apply_in_memory(patch, source).target == target);
            ASSERT_TRUE(reference::apply(patch, source, 1 << 24) == target);
            const bool backwards = format == PatchFormat::ups;
            ASSERT_TRUE(!backwards || hotstitch::apply_in_memory(patch, target, {.backwards = true}).target == source);
        }
    }
}

using reference::Verdict;

TEST(Checksummed, AgreesWithTheReferenceOnDamagedPatchesWithRightCrcs) {
    makers::Random random(12);
    std::map<Verdict, int> seen;
    for (int round = 0; round < 30'000 && !HasFailure(); ++round) {
        const Bytes source = makers::file_like(random, 1 + makers::below(random, 300));
        const PatchFormat format = round % 2 == 0 ? PatchFormat::ups : PatchFormat::bps;
        const Bytes good = hotstitch::create(source, makers::modified(random, source), {.format = format});
        // Damage between magic and footer, then right CRCs, so that the rules themselves are tried.
        const ByteView inner = ByteView(good).subspan(4, good.size() - 16);
        const Bytes bad = makers::damaged(random, inner, inner);
        const Bytes patch =
            with_footer(std::string(text_of(good).substr(0, 4)) + std::string(text_of(bad)), source, {});
        Bytes wanted, made;
        const Verdict outcome = reference::judge(patch, source, 1 << 20, wanted);
        ++seen[outcome];
        ApplyOptions options;
        options.allow_source = options.allow_target = true;
        options.limits.output = 1 << 20;
        try {
            made = hotstitch::apply_in_memory(patch, source, options).target;
            EXPECT_EQ(outcome, Verdict::made) << hex(patch);
            EXPECT_TRUE(made == wanted) << hex(patch);
        } catch (const Error& error) {
            EXPECT_NE(outcome, Verdict::made) << error.what() << hex(patch);
            EXPECT_EQ(error.code() == ErrorCode::limit, outcome == Verdict::too_large) << error.what() << hex(patch);
        }
    }
    EXPECT_GT(seen[Verdict::made], 2'000);
    EXPECT_GT(seen[Verdict::refused], 5'000);
}

}  // namespace
}  // namespace hotstitch
