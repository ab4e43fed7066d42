// SPDX-License-Identifier: MIT
#include "hotstitch/summary.h"

#include <gtest/gtest.h>

#include <set>

#include "lib/patch_makers.h"

namespace hotstitch {
namespace {

/// Collects the literals of a patch.
class Literals final : public EditSink {
public:
    Flow put(const Edit& edit) override {
        if (edit.kind == EditKind::literal) all.emplace_back(text_of(edit.bytes));
        return Flow::go_on;
    }
    std::vector<std::string> all;
};

/// By the definition: literal bytes inside some 16-byte stretch that also stands in the source.
std::uint64_t counted_slowly(const PatchReader& patch, std::string_view source) {
    std::set<std::string_view> stretches;
    for (std::size_t i = 0; i + shared_stretch <= source.size(); ++i)
        stretches.insert(source.substr(i, shared_stretch));
    Literals literals;
    patch.read(source.size(), literals);
    std::uint64_t count = 0;
    for (const std::string& text : literals.all) {
        std::vector<bool> covered(text.size());
        for (std::size_t i = 0; i + shared_stretch <= text.size(); ++i)
            if (stretches.contains(std::string_view(text).substr(i, shared_stretch)))
                std::fill_n(covered.begin() + static_cast<std::ptrdiff_t>(i), shared_stretch, true);
        count += static_cast<std::uint64_t>(std::count(covered.begin(), covered.end(), true));
    }
    return count;
}

TEST(SharedBytes, CountsWhatTheDefinitionCounts) {
    makers::Random random(6);
    std::uint64_t total = 0;
    for (int round = 0; round < 300; ++round) {
        const Bytes source = makers::file_like(random, makers::below(random, 3000));
        std::string patch = "PATCH";
        for (int records = 0; records < 3; ++records) {
            Bytes data = makers::file_like(random, makers::below(random, 20));
            if (source.size() > 100) {
                const std::size_t from = makers::below(random, source.size() - 60);
                const std::size_t length = 10 + makers::below(random, 50);
                for (std::size_t i = 0; i < length; ++i) data.push_back(source[from + i]);
            }
            data.push_back(std::byte{1});
            patch += makers::ips_record(static_cast<std::uint64_t>(records) * 100, text_of(data));
        }
        patch += "EOF";
        const auto reader = open_patch(bytes_of(patch));
        const SharedBytes shared = count_shared(*reader, MemorySource(source));
        ASSERT_TRUE(shared.counted);
        ASSERT_EQ(shared.shared, counted_slowly(*reader, text_of(source)));
        ASSERT_EQ(shared.literal, summarise(*reader, source.size()).literal.bytes);
        total += shared.shared;
    }
    EXPECT_GT(total, 10'000U);
}

TEST(SharedBytes, SaysWhenItCannotCount) {
    const Bytes source(4096);
    const std::string patch = "PATCH" + makers::ips_record(0, std::string(5000, 'x')) + "EOF";
    EXPECT_FALSE(count_shared(*open_patch(bytes_of(patch)), MemorySource(source), {.memory = 1000}).counted);
}

}  // namespace
}  // namespace hotstitch
