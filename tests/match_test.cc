// SPDX-License-Identifier: MIT
#include "match/match.h"

#include <gtest/gtest.h>

#include "edit/target_builder.h"
#include "hotstitch/create.h"
#include "lib/patch_makers.h"

namespace hotstitch {
namespace {

Bytes rebuilt(ByteView source, ByteView target, const MatchOptions& options) {
    const Progress none;
    MemorySink sink;
    const MemorySource from(source);
    TargetBuilder builder(from, sink, target.size(), none, Phase::writing);
    Meter meter(none, Phase::comparing, target.size());
    match(source, target, options, builder, meter);
    builder.finish();
    return sink.take();
}

TEST(Match, EditsMakeTheTarget) {
    makers::Random random(8);
    for (int round = 0; round < 1500; ++round) {
        const Bytes source = makers::file_like(random, makers::below(random, round % 100 == 0 ? 300'000 : 2000));
        Bytes target = makers::modified(random, source);
        if (makers::below(random, 2) == 0 && !source.empty())  // something moved and repeated
            target.insert(target.begin() + static_cast<std::ptrdiff_t>(makers::below(random, target.size() + 1)),
                          source.begin(),
                          source.begin() + static_cast<std::ptrdiff_t>(makers::below(random, source.size())));
        const Effort effort = round % 3 == 0 ? Effort::quick : round % 3 == 1 ? Effort::normal : Effort::best;
        for (const bool anywhere : {false, true})
            for (const std::uint64_t memory : {1U << 20, 1U << 13})  // the second thins the index out
                ASSERT_TRUE(rebuilt(source, target, {.anywhere = anywhere, .effort = effort, .memory = memory}) ==
                            target)
                    << round;
    }
}

struct Shape {
    const char* name;
    std::function<Bytes(const Bytes&)> modify;
    std::size_t most;  ///< bytes of the BPS patch
};

TEST(Match, FindsWhatAModDoes) {
    makers::Random random(9);
    Bytes source(1 << 20);
    for (std::byte& b : source) b = static_cast<std::byte>(random());
    const auto insert = [](Bytes bytes, std::size_t at, const Bytes& what) {
        bytes.insert(bytes.begin() + static_cast<std::ptrdiff_t>(at), what.begin(), what.end());
        return bytes;
    };
    const Shape shapes[] = {
        {"nothing", [](const Bytes& s) { return s; }, 40},
        {"three bytes in front", [&](const Bytes& s) { return insert(s, 0, Bytes(3)); }, 50},
        {"a block moved",
         [&](const Bytes& s) {
             return insert(Bytes(s.begin() + 5000, s.end()), 400'000, Bytes(s.begin(), s.begin() + 5000));
         },
         60},
        {"doubled",
         [](const Bytes& s) {
             Bytes t = s;
             t.insert(t.end(), s.begin(), s.end());
             return t;
         },
         50},
        {"new data twice",
         [&](const Bytes& s) {
             Bytes n(1000);
             for (auto& b : n) b = static_cast<std::byte>(random());
             return insert(insert(s, 9, n), 500'000, n);
         },
         1100},
        {"a filled stretch",
         [](const Bytes& s) {
             Bytes t = s;
             std::fill_n(t.begin() + 777, 60'000, std::byte{0xFF});
             return t;
         },
         50},
        {"a byte in every 64",
         [](const Bytes& s) {
             Bytes t = s;
             for (std::size_t i = 0; i < 64 * 1000; i += 64) t[i] ^= std::byte{1};
             return t;
         },
         5'200},
    };
    for (const Shape& shape : shapes) {
        const Bytes target = shape.modify(source);
        EXPECT_LE(hotstitch::create(source, target).size(), shape.most) << shape.name;
    }
}

TEST(Match, HardInputsStayLinear) {
    // Each would be quadratic for a matcher that follows every chain to its end; the test's time limit notices.
    const std::size_t size = 4 << 20;
    Bytes equal(size, std::byte{'a'}), period(size), blocks(size);
    makers::Random random(10);
    const Bytes block = makers::file_like(random, 64);
    for (std::size_t i = 0; i < size; ++i)
        period[i] = static_cast<std::byte>(i % 3),
        blocks[i] = block[i % 64] ^ static_cast<std::byte>(i % 1021 == 0 ? 1 : 0);
    for (const Bytes* source : {&equal, &period, &blocks})
        for (const Bytes* target : {&equal, &period, &blocks})
            ASSERT_TRUE(rebuilt(*source, *target, {.anywhere = true}) == *target);
}

}  // namespace
}  // namespace hotstitch
