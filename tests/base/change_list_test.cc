// SPDX-License-Identifier: MIT
// Change lists against the obvious: bytes cut and joined by hand.
#include "hotstitch/change_list.h"

#include <gtest/gtest.h>

#include "edit/target_builder.h"
#include "hotstitch/apply.h"
#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "lib/patch_makers.h"

namespace hotstitch {
namespace {

using makers::below, makers::bytes;

/// Some splices at random places of a source of this size.
ChangeList random_list(makers::Random& random, std::uint64_t size) {
    ChangeList list(size);
    for (std::uint64_t tries = below(random, 8); tries != 0; --tries) {
        const std::uint64_t offset = below(random, size + 1),
                            removed = below(random, std::min<std::uint64_t>(size - offset, 20) + 1);
        const std::uint64_t from = below(random, size + 1), length = below(random, 20);
        try {
            switch (below(random, 3)) {
                case 0: list.put(offset, removed, makers::file_like(random, length)); break;
                case 1: list.fill(offset, removed, std::byte{0xEE}, length); break;
                default: list.copy(offset, removed, from, std::min(length, size - from));
            }
        } catch (const Error& error) {
            EXPECT_EQ(error.code(), ErrorCode::usage) << "it touched another";
        }
    }
    return list;
}

/// The slow way: from the last splice to the first, so that offsets stay those of the source.
Bytes by_hand(const Bytes& source, const ChangeList& list) {
    Bytes out = source;
    for (auto splice = list.splices().rbegin(); splice != list.splices().rend(); ++splice) {
        const auto begin = out.begin() + static_cast<std::ptrdiff_t>(splice->offset);
        out.erase(begin, begin + static_cast<std::ptrdiff_t>(splice->removed));
        Bytes in;
        for (const Piece& piece : splice->in)
            for (std::uint64_t i = 0; i < piece.length; ++i)
                in.push_back(piece.kind == Piece::Kind::run      ? piece.value
                             : piece.kind == Piece::Kind::source ? source[piece.offset + i]
                                                                 : (*piece.bytes)[piece.offset + i]);
        out.insert(out.begin() + static_cast<std::ptrdiff_t>(splice->offset), in.begin(), in.end());
    }
    return out;
}

TEST(ChangeList, MakesReadsTellsAndComposesAsByHand) {
    makers::Random random(11);
    for (int round = 0; round < 3000; ++round) {
        const Bytes source = makers::file_like(random, below(random, 80));
        const MemorySource memory(source);
        const ChangeList first = random_list(random, source.size());
        const Bytes once = by_hand(source, first);
        ASSERT_EQ(changed(source, first), once);
        ASSERT_EQ(first.result_size(), once.size());
        // Any stretch, as the next step reads it.
        const ChangedSource view(memory, first);
        const std::uint64_t offset = below(random, once.size() + 1);
        Bytes scratch(static_cast<std::size_t>(below(random, once.size() - offset + 1)));
        const ByteView part = view.read(offset, scratch.size(), scratch);
        ASSERT_TRUE(std::equal(part.begin(), part.end(), once.begin() + static_cast<std::ptrdiff_t>(offset)));
        // As edits.
        MemorySink built;
        const Progress silent;
        TargetBuilder builder(memory, built, once.size(), silent, Phase::writing);
        first.tell(builder);
        builder.finish();
        ASSERT_EQ(built.bytes(), once);
        // One after the other, and both as one.
        const ChangeList second = random_list(random, once.size()), both = first.then(second);
        ASSERT_EQ(changed(source, both), by_hand(once, second)) << round;
        std::uint64_t end = 0;
        for (const Splice& splice : both.splices()) {
            ASSERT_GE(splice.offset, end);
            end = splice.offset + splice.removed;
        }
        // What is found by comparing makes the same.
        ASSERT_EQ(changed(source, differences(source, once)), once);
    }
}

TEST(ChangeList, BecomesAPatchInEveryFormatWithoutMatching) {
    makers::Random random(12);
    for (int round = 0; round < 60; ++round) {
        const Bytes source = makers::file_like(random, 1 + below(random, 5000));
        const ChangeList list = random_list(random, source.size());
        const Bytes target = by_hand(source, list);
        for (const FormatTraits& format : patch_formats()) {
            MemorySink patch;
            create(MemorySource(source), list, patch, {.format = format.id});
            ASSERT_EQ(hotstitch::apply_in_memory(patch.bytes(), source).target, target) << format.name;
        }
    }
}

TEST(ChangeList, RefusesWhatOverlapsOrPassesTheEnd) {
    const auto refused = [](const std::function<void(ChangeList&)>& change) {
        ChangeList list(100);
        list.put(10, 10, bytes("harbour"));
        try {
            change(list);
        } catch (const Error& error) {
            return error.code() == ErrorCode::usage && list.splices().size() == 1;
        }
        return false;
    };
    EXPECT_TRUE(refused([](ChangeList& list) { list.put(19, 1, bytes("x")); }));
    EXPECT_TRUE(refused([](ChangeList& list) { list.put(5, 6, {}); }));
    EXPECT_TRUE(refused([](ChangeList& list) { list.fill(0, 100, std::byte{0}, 1); }));
    EXPECT_TRUE(refused([](ChangeList& list) { list.put(101, 0, bytes("x")); }));
    EXPECT_TRUE(refused([](ChangeList& list) { list.put(90, 11, {}); }));
    EXPECT_TRUE(refused([](ChangeList& list) { list.put(1, UINT64_MAX, {}); }));
    EXPECT_TRUE(refused([](ChangeList& list) { list.copy(30, 1, 90, 11); }));
    EXPECT_THROW(ChangeList(100).then(ChangeList(99)), Error);
    ChangeList beside(100);
    beside.put(10, 10, bytes("a")), beside.put(20, 10, bytes("b")), beside.put(100, 0, bytes("c"));
    EXPECT_EQ(beside.ranges(), (std::vector<ByteRange>{{10, 10}, {20, 10}, {100, 0}}));
    EXPECT_EQ(beside.result_size(), 83U);
}

}  // namespace
}  // namespace hotstitch
