// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>

#include "hotstitch/apply.h"
#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/patch.h"
#include "lib/patch_makers.h"
#include "lib/reference.h"

namespace hotstitch {
namespace {

const CreateOptions as_ips{.format = PatchFormat::ips};
using namespace std::string_literals;
using makers::big_endian, makers::ips_record, makers::ips_run;

struct Written {
    const char* name;
    std::string source, target, patch;
    friend void PrintTo(const Written& row, std::ostream* out) { *out << row.name; }
};

class IpsWrites : public testing::TestWithParam<Written> {};

TEST_P(IpsWrites, ExactlyThis) {
    const Written& row = GetParam();
    EXPECT_EQ(text_of(hotstitch::create(bytes_of(row.source), bytes_of(row.target), as_ips)), row.patch);
}

const std::string abc = "abcdefghijklmnopqrstuvwxyz";

INSTANTIATE_TEST_SUITE_P(
    Rules, IpsWrites,
    testing::ValuesIn(std::vector<Written>{
        {"nothing", abc, abc, "PATCHEOF"},
        {"one byte", abc, "abXdefghijklmnopqrstuvwxyz", "PATCH" + ips_record(2, "X") + "EOF"},
        {"a gap of four is carried", abc, "aXcdefYhijklmnopqrstuvwxyz", "PATCH" + ips_record(1, "XcdefY") + "EOF"},
        {"a gap of six is not", abc, "aXcdefghYjklmnopqrstuvwxyz",
         "PATCH" + ips_record(1, "X") + ips_record(8, "Y") + "EOF"},
        {"a run of four", abc, "abZZZZghijklmnopqrstuvwxyz", "PATCH" + ips_run(2, 4, 'Z') + "EOF"},
        {"a run inside a change", abc + abc, "1234" + std::string(20, 'Z') + "5678" + abc.substr(2),
         "PATCH" + ips_record(0, "1234") + ips_run(4, 20, 'Z') + ips_record(24, "5678") + "EOF"},
        {"a short run stays literal", abc, "1234ZZZZZ5678nopqrstuvwxyz",
         "PATCH" + ips_record(0, "1234ZZZZZ5678") + "EOF"},
        {"a run across unchanged bytes", "aZZZZZZZZZZb", "ZZZZZZZZZZZZ", "PATCH" + ips_run(0, 12, 'Z') + "EOF"},
        {"growth", "abc", "abcdef", "PATCH" + ips_record(3, "def") + "EOF"},
        {"a tail of 00 is written", "abc", "abc"s + std::string(100, '\0'), "PATCH" + ips_run(3, 100, '\0') + "EOF"},
        {"a gap of 00 is written", "abc", "abc"s + std::string(100, '\0') + "d",
         "PATCH" + ips_run(3, 100, '\0') + ips_record(103, "d") + "EOF"},
        {"cutting", abc, "abc", "PATCHEOF" + big_endian(3, 3)},
        {"cutting to nothing", abc, "", "PATCHEOF" + big_endian(0, 3)},
    }),
    makers::row_name);

/// The least bytes any patch of records in order without overlap can have, by trying all ways.
std::size_t least_size(const std::string& source, const std::string& target) {
    const std::size_t n = target.size();
    std::vector<std::size_t> least(n + 1, SIZE_MAX / 2);
    least[0] = 0;
    for (std::size_t i = 0; i < n; ++i) {
        const bool must = i >= source.size() || source[i] != target[i];
        if (!must) least[i + 1] = std::min(least[i + 1], least[i]);
        for (std::size_t j = i + 1; j <= n; ++j) {
            least[j] = std::min(least[j], least[i] + 5 + (j - i));
            if (target.find_first_not_of(target[i], i) >= j) least[j] = std::min(least[j], least[i] + 8);
        }
    }
    return 8 + least[n] + (target.size() < source.size() ? 3 : 0);
}

TEST(IpsWriter, NoPatchOfItsKindIsSmaller) {
    makers::Random random(4);
    for (int round = 0; round < 4000; ++round) {
        const std::string source(text_of(makers::file_like(random, makers::below(random, 120))));
        const Bytes changed = makers::modified(random, bytes_of(source));
        const std::string target(text_of(ByteView(changed)));
        ASSERT_EQ(hotstitch::create(bytes_of(source), changed, as_ips).size(), least_size(source, target))
            << hex(bytes_of(source)) << " -> " << hex(changed);
    }
}

/// Source and target around the offset that reads as the end marker, changed in [from, to).
struct AroundMarker {
    std::int64_t from, to;
    bool as_run;
    std::int64_t also_before;  ///< another change that ends right at the marker, this long
};

TEST(IpsWriter, NeverStartsARecordAtTheEndMarker) {
    const Bytes source(0x454F46 + 0x20000, std::byte{0x11});
    const std::vector<AroundMarker> rows = {{0, 1, false, 0},        {0, 300, false, 0},   {0, 300, true, 0},
                                            {0, 1, true, 0},         {0, 300, true, 1},    {0, 300, true, 40},
                                            {0, 70'000, false, 0},   {0, 70'000, true, 0}, {-0xFFFF, 100, false, 0},
                                            {-0xFFFF, 100, true, 0}, {-1, 2, false, 0},    {0, 3, true, 9}};
    for (const AroundMarker& row : rows) {
        Bytes target = source;
        const auto at = [&](std::int64_t i) -> std::byte& { return target[static_cast<std::size_t>(0x454F46 + i)]; };
        for (std::int64_t i = row.from; i < row.to; ++i)
            at(i) = row.as_run ? std::byte{0x77} : static_cast<std::byte>(0x80 | (i * 7 & 0x7F));
        for (std::int64_t i = -row.also_before; i < 0; ++i) at(i) = static_cast<std::byte>(0x30 + (i & 7));
        const Bytes patch = hotstitch::create(source, target, as_ips);
        EXPECT_EQ(text_of(patch).substr(5).find("EOF"), patch.size() - 8) << row.from << ".." << row.to;
        EXPECT_TRUE(reference::apply_ips(patch, source) == target) << row.from << ".." << row.to;
        EXPECT_FALSE(open_patch(patch)->facts().overlapping);
    }
}

/// A target whose changes end at `end`, for a source of `source_size` bytes.
Bytes changed_up_to(const Bytes& source, std::size_t end) {
    Bytes target = source;
    target.resize(std::max(target.size(), end));
    target[end - 1] = std::byte{0x55};
    return target;
}

TEST(IpsWriter, ReachesAsFarAsTheFormatAndNoFurther) {
    constexpr std::size_t mib16 = 0x1000000;
    const Bytes source(mib16 + 0x20000);
    for (const std::size_t end : {mib16 - 1, mib16, mib16 + 1, mib16 + 0xFFFE}) {
        const Bytes target = changed_up_to(source, end);
        EXPECT_TRUE(hotstitch::apply_in_memory(hotstitch::create(source, target, as_ips), source).target == target)
            << end;
    }
    for (const std::size_t end : {mib16 + 0xFFFF, mib16 + 0x10000}) {
        const Bytes target = changed_up_to(source, end);
        try {
            hotstitch::create(source, target, as_ips);
            ADD_FAILURE() << "wrote past its reach";
        } catch (const Error& error) {
            EXPECT_EQ(error.code(), ErrorCode::usage);
            EXPECT_NE(error.hint().find("ips32"), std::string::npos);
        }
        EXPECT_TRUE(
            hotstitch::apply_in_memory(hotstitch::create(source, target, {.format = PatchFormat::ips32}), source)
                .target == target);
    }
    const ByteView cut = ByteView(source).first(mib16);
    EXPECT_THROW(hotstitch::create(source, cut, as_ips), Error);
    EXPECT_EQ(hotstitch::apply_in_memory(hotstitch::create(source, cut.first(mib16 - 1), as_ips), source).target.size(),
              mib16 - 1);
    EXPECT_EQ(hotstitch::apply_in_memory(hotstitch::create(source, cut, {.format = PatchFormat::ips32}), source)
                  .target.size(),
              mib16);
}

TEST(IpsWriter, RandomRoundTripsThroughReaderAndReference) {
    makers::Random random(5);
    for (int round = 0; round < 3000; ++round) {
        const Bytes source = makers::file_like(random, makers::below(random, round % 50 == 0 ? 200'000 : 900));
        const Bytes target = makers::modified(random, source);
        for (const PatchFormat format : {PatchFormat::ips, PatchFormat::ips32}) {
            const Bytes patch = hotstitch::create(source, target, {.format = format});
            ASSERT_TRUE(hotstitch::apply_in_memory(patch, source).target == target);
            ASSERT_TRUE(reference::apply_ips(patch, source) == target);
        }
    }
}

}  // namespace
}  // namespace hotstitch
