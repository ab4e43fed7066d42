// SPDX-License-Identifier: MIT
#include "match/match.h"

#include <gtest/gtest.h>

#include <cstring>

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

/// Several stretches of code-like bytes, most of them moved and edited.
std::pair<Bytes, Bytes> long_pair(std::size_t size = 2'300'000) {
    makers::Random random(11);
    Bytes source(size);
    for (std::byte& b : source) b = static_cast<std::byte>(random() % 3 == 0 ? random() : random() % 16);
    Bytes target = source;
    for (std::size_t i = 700; i < target.size(); i += 50 + random() % 400) target[i] ^= std::byte{7};
    // Short pieces that take turns at several distances: what one stretch left behind would show in the next.
    for (std::size_t at = 0; at + 100 < target.size(); at += 2000 * (1 + random() % 3)) {
        const std::size_t length = 25 + random() % 40,
                          from = (at + 40'000 * (1 + random() % 5)) % (source.size() - 100);
        std::copy_n(source.begin() + static_cast<std::ptrdiff_t>(from), length,
                    target.begin() + static_cast<std::ptrdiff_t>(at));
    }
    target.insert(target.begin() + 999'999, source.begin() + 2'000'000, source.begin() + 2'300'000);
    std::fill_n(target.begin() + 2'000'000, 200'000, std::byte{0xFF});
    return {source, target};
}

TEST(Match, SameEditsForAnyNumberOfThreads) {
    const auto [source, target] = long_pair(4'300'000);  // two stretches for each thread, or there is one thread only
    for (const CostModel costs : {CostModel::bps, CostModel::vcdiff, CostModel::vcdiff_lzma})
        for (const Effort effort : {Effort::quick, Effort::normal, Effort::best}) {
            std::vector<Edit> first;
            for (const unsigned threads : {1U, 3U}) {
                struct : EditSink {
                    Flow put(const Edit& edit) override { return edits.push_back(edit), Flow::go_on; }
                    std::vector<Edit> edits;
                } seen;
                const Progress none;
                Meter meter(none, Phase::comparing, target.size());
                const MatchOptions how{.anywhere = true,
                                       .effort = effort,
                                       .costs = costs,
                                       .window = costs == CostModel::bps ? 0U : 300'000U,
                                       .threads = threads};
                match(source, target, how, seen, meter);
                if (first.empty()) first = seen.edits;
                const auto same = [](const Edit& a, const Edit& b) {
                    return a.kind == b.kind && a.length == b.length && a.offset == b.offset && a.value == b.value;
                };
                ASSERT_TRUE(std::equal(first.begin(), first.end(), seen.edits.begin(), seen.edits.end(), same))
                    << threads;
            }
        }
}

TEST(Match, LongPairsInEveryFormatAndWindow) {
    const auto [source, target] = long_pair();
    for (const std::uint64_t window : {4096U, 8U << 20})
        for (const bool lzma : {false, true}) {
            const Bytes patch = hotstitch::create(
                source, target, {.format = PatchFormat::vcdiff, .vcdiff = {.window = window, .lzma = lzma}});
            EXPECT_LT(patch.size(), 120'000U) << window;
        }
    EXPECT_LT(hotstitch::create(source, target).size(), 100'000U);
}

TEST(Match, FindsNewBytesThatStandFarApart) {
    makers::Random random(12);
    const auto noise = [&](std::size_t size) {
        Bytes bytes(size);
        for (std::byte& b : bytes) b = static_cast<std::byte>(random());
        return bytes;
    };
    const Bytes source = noise(100'000), news = noise(50'000), between = noise(2'500'000);
    Bytes target = news;
    target.insert(target.end(), between.begin(), between.end());
    target.insert(target.end(), news.begin(), news.end());
    EXPECT_LT(hotstitch::create(source, target).size(), news.size() + between.size() + 1000);
    EXPECT_LT(hotstitch::create(source, target, {.format = PatchFormat::vcdiff}).size(),
              news.size() + between.size() + 1000);
}

TEST(Match, StopsWhenTheCallbackSaysSo) {
    const auto [source, target] = long_pair();
    for (const Phase phase : {Phase::indexing, Phase::comparing})
        for (const unsigned threads : {1U, 2U}) try {
                hotstitch::create(source, target,
                                  {.effort = Effort::best, .threads = threads, .progress = [&](const ProgressState& s) {
                                       return s.phase != phase || s.done == 0;
                                   }});
                // Indexing of so small a source may pass between two looks of another thread.
                EXPECT_TRUE(phase == Phase::indexing && threads == 2);
            } catch (const Error& error) {
                EXPECT_EQ(error.code(), ErrorCode::cancelled);
            }
}

struct Shape {
    const char* name;
    std::function<Bytes(const Bytes&)> modify;
    std::size_t most;  ///< bytes of the BPS patch, at every effort
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
        {"records of nine bytes, one of them changed, in blocks that were moved on",
         [&](const Bytes& s) {
             // So little is the same in a row that a thin index finds a block late: what was passed counts then.
             Bytes t;
             for (std::size_t at = 0, k = 0; at + 3000 < s.size(); at += 3000 + 100 * (k++ % 7)) {
                 const std::size_t from = t.size();
                 t.insert(t.end(), s.begin() + static_cast<std::ptrdiff_t>(at),
                          s.begin() + static_cast<std::ptrdiff_t>(at + 3000));
                 for (std::size_t i = from; i < t.size(); i += 9) t[i] ^= std::byte{0x55};
             }
             return t;
         },
         430'000},
    };
    for (const Shape& shape : shapes) {
        const Bytes target = shape.modify(source);
        for (const Effort effort : {Effort::quick, Effort::normal, Effort::best})
            EXPECT_LE(hotstitch::create(source, target, {.effort = effort}).size(), shape.most)
                << shape.name << static_cast<int>(effort);
    }
}

/// Windows of eight bytes that the index's hash cannot tell apart: the hash, backwards.
Bytes windows_of_one_bucket(std::size_t size) {
    const auto inverse = [](std::uint64_t odd) {
        std::uint64_t found = odd;
        for (int i = 0; i < 6; ++i) found *= 2 - odd * found;
        return found;
    };
    Bytes bytes(size);
    for (std::size_t at = 0; at < size; at += 8) {
        std::uint64_t value = (0x1234567890000000 + at / 8) * inverse(0xBF58476D1CE4E5B9);
        value ^= value >> 29 ^ value >> 58;
        value *= inverse(0x9E3779B97F4A7C15);
        std::memcpy(bytes.data() + at, &value, 8);
    }
    return bytes;
}

TEST(Match, HardInputsStayLinear) {
    // Each would be quadratic for a matcher that follows every chain to its end; the test's time limit notices.
    const std::size_t size = 3 << 18;
    Bytes equal(size, std::byte{'a'}), period(size), blocks(size);
    makers::Random random(10);
    const Bytes block = makers::file_like(random, 64);
    for (std::size_t i = 0; i < size; ++i)
        period[i] = static_cast<std::byte>(i % 3),
        blocks[i] = block[i % 64] ^ static_cast<std::byte>(i % 1021 == 0 ? 1 : 0);
    Bytes bits(size);
    for (std::byte& b : bits) b = static_cast<std::byte>(random() % 2);
    Bytes colliding = windows_of_one_bucket(size), reversed = [&] {
        Bytes other;
        for (std::size_t at = colliding.size(); at != 0; at -= 8)
            other.insert(other.end(), colliding.begin() + static_cast<std::ptrdiff_t>(at - 8),
                         colliding.begin() + static_cast<std::ptrdiff_t>(at));
        return other;
    }();
    for (const Bytes* source : {&equal, &period, &blocks, &bits, &colliding})
        for (const Bytes* target : {&equal, &period, &blocks, &bits, &reversed})
            for (const auto& [effort, costs] : {std::pair{Effort::normal, CostModel::bps},
                                                {Effort::normal, CostModel::vcdiff_lzma},
                                                {Effort::quick, CostModel::vcdiff}})
                ASSERT_TRUE(rebuilt(*source, *target, {.anywhere = true, .effort = effort, .costs = costs}) == *target);
}

}  // namespace
}  // namespace hotstitch
