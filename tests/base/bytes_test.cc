// SPDX-License-Identifier: MIT
#include "hotstitch/bytes.h"

#include <gtest/gtest.h>

#include "base/cursor.h"
#include "hotstitch/error.h"
#include "hotstitch/limits.h"
#include "lib/patch_makers.h"

namespace hotstitch {
namespace {

TEST(CommonPrefix, FindsEveryPlaceOfDifference) {
    const Bytes a(9000, std::byte{7});
    for (const std::size_t place : {0U, 1U, 7U, 8U, 15U, 4095U, 4096U, 4099U, 8191U, 8999U}) {
        Bytes b = a;
        b[place] = std::byte{8};
        EXPECT_EQ(common_prefix(a, b), place);
        EXPECT_EQ(all_equal(b), false) << place;
    }
    EXPECT_EQ(common_prefix(a, ByteView(a).first(100)), 100U);
    EXPECT_TRUE(all_equal(a));
    EXPECT_TRUE(all_equal({}));
}

TEST(Cursor, NamesTheFieldAndOffsetWhereBytesEnd) {
    const Bytes bytes = makers::bytes("\x01\x02\x03");
    Cursor cursor(bytes);
    EXPECT_EQ(cursor.big_endian(2, "first"), 0x0102U);
    try {
        cursor.take(2, "second");
        FAIL() << "took what is not there";
    } catch (const Error& error) {
        EXPECT_EQ(error.code(), ErrorCode::truncated);
        EXPECT_EQ(error.offset(), 2U);
        EXPECT_EQ(error.field(), "second");
        EXPECT_EQ(error.wanted(), "2 bytes");
        EXPECT_EQ(error.found(), "1 byte");
    }
    EXPECT_THROW(cursor.take(UINT64_MAX, "huge"), Error);
}

TEST(Error, NumbersNeverChange) {
    const std::pair<ErrorCode, int> pinned[] = {{ErrorCode::usage, 1},           {ErrorCode::io, 2},
                                                {ErrorCode::not_this_format, 3}, {ErrorCode::damaged, 4},
                                                {ErrorCode::truncated, 5},       {ErrorCode::unsupported, 6},
                                                {ErrorCode::limit, 7},           {ErrorCode::wrong_source, 8},
                                                {ErrorCode::wrong_target, 9},    {ErrorCode::cancelled, 10}};
    for (const auto& [code, number] : pinned) EXPECT_EQ(static_cast<int>(code), number) << name_of(code);
}

TEST(Limits, OutputBudgetFollowsTheInputs) {
    constexpr std::uint64_t gib = 1 << 30;
    EXPECT_EQ(Limits{}.output_for(0, 0), gib);
    EXPECT_EQ(Limits{}.output_for(gib, gib), 128 * gib);
    EXPECT_EQ(Limits{}.output_for(UINT64_MAX, UINT64_MAX), 1024 * gib);
    EXPECT_EQ(Limits{.output = 5}.output_for(gib, gib), 5U);
}

}  // namespace
}  // namespace hotstitch
