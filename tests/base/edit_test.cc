// SPDX-License-Identifier: MIT
#include "hotstitch/edit.h"

#include <gtest/gtest.h>

#include "edit/target_builder.h"
#include "hotstitch/error.h"
#include "lib/patch_makers.h"

namespace hotstitch {
namespace {

/// A source that is never in memory, so that reads go through scratch.
class ReadingSource final : public ByteSource {
public:
    explicit ReadingSource(ByteView bytes) : bytes_(bytes) {}
    std::uint64_t size() const noexcept override { return bytes_.size(); }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override {
        std::copy_n(bytes_.begin() + static_cast<std::ptrdiff_t>(offset), length, scratch.begin());
        return scratch.first(length);
    }

private:
    ByteView bytes_;
};

/// The obvious way to carry out an edit.
void carry_out(Bytes& target, ByteView source, const Edit& edit) {
    for (std::uint64_t i = 0; i < edit.length; ++i) {
        const auto at_source = [&] { return edit.offset + i < source.size() ? source[edit.offset + i] : std::byte{0}; };
        switch (edit.kind) {
            case EditKind::copy_source: target.push_back(source[edit.offset + i]); break;
            case EditKind::copy_target: target.push_back(Bytes::value_type(target[edit.offset + i])); break;
            case EditKind::literal: target.push_back(edit.bytes[i]); break;
            case EditKind::run: target.push_back(edit.value); break;
            case EditKind::xor_source: target.push_back(edit.bytes[i] ^ at_source()); break;
        }
    }
}

Edit random_edit(makers::Random& random, ByteView source, std::uint64_t made, ByteView literal) {
    const std::uint64_t length = 1 + makers::below(random, makers::below(random, 4) == 0 ? 200'000 : 300);
    const std::uint64_t offset = makers::below(random, source.size());
    switch (makers::below(random, made == 0 ? 4 : 5)) {
        case 0: return Edit::copy_source(offset, std::min<std::uint64_t>(length, source.size() - offset));
        case 1: return Edit::literal(literal.first(length));
        case 2: return Edit::run(static_cast<std::byte>(random()), length);
        case 3: return Edit::xor_source(offset + makers::below(random, 300), literal.first(length));
        default:
            return Edit::copy_target(made - 1 - makers::below(random, std::min<std::uint64_t>(made, 500'000)), length);
    }
}

TEST(TargetBuilder, DoesWhatTheObviousWayDoes) {
    makers::Random random(2);
    const Bytes source = makers::file_like(random, 400'000), literal = makers::file_like(random, 200'300);
    const Progress none;
    for (int round = 0; round < 20; ++round) {
        Bytes wanted;
        std::vector<Edit> edits;
        for (int i = 0; i < 40; ++i) {
            edits.push_back(random_edit(random, source, wanted.size(), literal));
            carry_out(wanted, source, edits.back());
        }
        const MemorySource mapped(source);
        const ReadingSource reading(source);
        for (const ByteSource* from :
             {static_cast<const ByteSource*>(&mapped), static_cast<const ByteSource*>(&reading)}) {
            MemorySink sink;
            TargetBuilder builder(*from, sink, wanted.size(), none, Phase::writing);
            for (const Edit& edit : edits) builder.put(edit);
            builder.finish();
            ASSERT_TRUE(sink.bytes() == wanted) << "round " << round;
        }
    }
}

TEST(TargetBuilder, RefusesWhatReadsOutsideOrMakesTooMuch) {
    const Bytes source(10);
    const Progress none;
    const Edit bad[] = {Edit::copy_source(5, 6), Edit::copy_source(11, 1),    Edit::copy_source(UINT64_MAX, 2),
                        Edit::copy_target(0, 1), Edit::run(std::byte{1}, 21), Edit::run(std::byte{1}, UINT64_MAX)};
    for (const Edit& edit : bad) {
        MemorySink sink;
        const MemorySource from(source);
        TargetBuilder builder(from, sink, 20, none, Phase::writing);
        try {
            builder.put(edit);
            ADD_FAILURE() << "took an edit of kind " << static_cast<int>(edit.kind);
        } catch (const Error& error) {
            EXPECT_EQ(error.code(), ErrorCode::damaged);
        }
    }
    MemorySink sink;
    const MemorySource from(source);
    TargetBuilder builder(from, sink, 20, none, Phase::writing);
    builder.put(Edit::copy_source(0, 10));
    EXPECT_THROW(builder.finish(), Error);
}

}  // namespace
}  // namespace hotstitch
