// SPDX-License-Identifier: MIT
#include "hotstitch/source.h"

#include <gtest/gtest.h>

#include <random>

#include "cartridges.h"
#include "hotstitch/cartridge.h"
#include "hotstitch/change_list.h"
#include "hotstitch/digest.h"
#include "hotstitch/error.h"
#include "hotstitch/mend.h"
#include "hotstitch/part.h"
#include "hotstitch/patch.h"
#include "kelp_harbour.h"

namespace hotstitch {
namespace {

/// A source that is not in memory, says how much was read of it, and may shrink.
class CountingSource final : public ByteSource {
public:
    explicit CountingSource(std::uint64_t size, Bytes head = {}) : size_(size), head_(std::move(head)) {}
    std::uint64_t size() const noexcept override { return size_; }
    ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override {
        read_ += length;
        for (std::size_t i = 0; i < length; ++i)
            scratch[i] = offset + i < head_.size() ? head_[static_cast<std::size_t>(offset + i)] : std::byte{0};
        return scratch.first(length);
    }
    void check_intact() const override {
        if (shrunk) throw Error(ErrorCode::io, "the file became shorter");
    }
    std::uint64_t bytes_read() const noexcept { return read_; }
    bool shrunk = false;

private:
    std::uint64_t size_;
    Bytes head_;
    mutable std::uint64_t read_ = 0;
};

Bytes numbered(std::size_t size) {
    Bytes bytes(size);
    for (std::size_t i = 0; i < size; ++i) bytes[i] = static_cast<std::byte>(i * 7 + i / 251);
    return bytes;
}

Bytes all_of(const ByteSource& source) {
    MemorySink sink;
    write_source(source, sink);
    return sink.take();
}

/// What each representation makes, said once more byte by byte.
Bytes by_hand(const Bytes& file, const Representation& as) {
    const std::ptrdiff_t n = static_cast<std::ptrdiff_t>(as.bytes);
    Bytes out = file;
    const auto swap_in_groups = [&](std::size_t group, std::size_t mask) {
        for (std::size_t i = 0; i + group <= file.size(); i += group)
            for (std::size_t k = 0; k < group; ++k) out[i + k] = file[i + (k ^ mask)];
    };
    constexpr std::size_t block = 16384, half = 8192;
    switch (as.kind) {
        case RepresentationKind::without_front_header: return {file.begin() + n, file.end()};
        case RepresentationKind::with_front_header: return out.insert(out.begin(), as.bytes, std::byte{0}), out;
        case RepresentationKind::pairs_swapped: return swap_in_groups(2, 1), out;
        case RepresentationKind::words_reversed: return swap_in_groups(4, 3), out;
        case RepresentationKind::halves_swapped: return swap_in_groups(4, 2), out;
        case RepresentationKind::without_padding: return {file.begin(), file.end() - n};
        case RepresentationKind::with_padding: return out.insert(out.end(), as.bytes, as.fill), out;
        case RepresentationKind::de_interleaved:
            out.erase(out.begin(), out.begin() + n);
            for (std::size_t i = 0; i + block <= out.size(); i += block)
                for (std::size_t k = 0; k < half; ++k) {
                    out[i + 2 * k + 1] = file[as.bytes + i + k];
                    out[i + 2 * k] = file[as.bytes + i + half + k];
                }
            return out;
        case RepresentationKind::interleaved:
            for (std::size_t i = 0; i + block <= file.size(); i += block)
                for (std::size_t k = 0; k < half; ++k) {
                    out[i + k] = file[i + 2 * k + 1];
                    out[i + half + k] = file[i + 2 * k];
                }
            return out;
        case RepresentationKind::user_data:
        case RepresentationKind::data_track:
        case RepresentationKind::in_whole_sectors:  // tests/part/disc_test.cc
        case RepresentationKind::line_ends_restored: break;
    }
    return out;
}

TEST(Source, RepresentationsAreReadFromAnyPlace) {
    const Bytes file = numbered(3 * 16384 + 515);
    std::mt19937 random(4);
    for (const Representation& as :
         {Representation{RepresentationKind::without_front_header, 512},
          Representation{RepresentationKind::with_front_header, 512}, Representation{RepresentationKind::pairs_swapped},
          Representation{RepresentationKind::words_reversed}, Representation{RepresentationKind::halves_swapped},
          Representation{RepresentationKind::de_interleaved, 512}, Representation{RepresentationKind::de_interleaved},
          Representation{RepresentationKind::interleaved}, Representation{RepresentationKind::without_padding, 1000},
          Representation{RepresentationKind::with_padding, 77, std::byte{0xFF}}}) {
        const Bytes wanted = by_hand(file, as);
        const CountingSource unmapped(file.size(), file);
        const auto view = read_as(ByteView(file), as), copied = read_as(unmapped, as);
        ASSERT_EQ(all_of(*view), wanted) << code_of(as);
        for (int round = 0; round < 200; ++round) {
            const std::size_t offset = random() % wanted.size(), length = random() % (wanted.size() - offset) + 1;
            Bytes scratch(length);
            const ByteView got = copied->read(offset, length, scratch);
            ASSERT_TRUE(std::equal(got.begin(), got.end(), wanted.begin() + static_cast<std::ptrdiff_t>(offset)))
                << code_of(as) << " " << offset << " " << length;
        }
        const auto back = representation_from(code_of(as));
        ASSERT_TRUE(back && back->kind == as.kind && back->bytes == as.bytes && back->fill == as.fill) << code_of(as);
    }
    for (const char* none : {"", "sideways", "with-padding x", "with-padding 1 100", "interleaved 1 2 3"})
        EXPECT_FALSE(representation_from(none)) << none;
}

TEST(Source, ComposesAndPassesFailuresOn) {
    const Bytes file = numbered(5000);
    CountingSource source(file.size(), file);
    // The middle of a file behind itself, with a gap, and changed.
    const auto middle = std::make_shared<SliceSource>(borrowed(source), 1000, 3000);
    const JoinedSource joined({middle, std::make_shared<FilledSource>(std::byte{9}, 10), middle});
    MemorySink by_hand;
    for (const Bytes& piece : {Bytes(file.begin() + 1000, file.begin() + 4000), Bytes(10, std::byte{9}),
                               Bytes(file.begin() + 1000, file.begin() + 4000)})
        by_hand.write(piece);
    const Bytes& wanted = by_hand.bytes();
    EXPECT_EQ(all_of(joined), wanted);
    ChangeList change(joined.size());
    change.put(2999, 12, Bytes{std::byte{1}, std::byte{2}});
    EXPECT_EQ(all_of(ChangedSource(joined, change)), changed(wanted, change));
    EXPECT_TRUE(is_filled(joined, 3000, 10, std::byte{9}));
    EXPECT_FALSE(is_filled(joined, 3000, 11, std::byte{9}));
    EXPECT_EQ(head_of(joined, 3), Bytes(wanted.begin(), wanted.begin() + 3));
    source.shrunk = true;
    EXPECT_THROW(all_of(joined), Error);
}

TEST(Source, WhatIsReadAheadComesInOrderAndStopsWithWhoReads) {
    Bytes content(5'000'001);
    std::mt19937 random(4);
    for (std::byte& b : content) b = static_cast<std::byte>(random());
    const CountingSource source(content.size(), content);
    EXPECT_EQ(all_of(source), content);
    EXPECT_EQ(digest(source, {.crc32 = true}).crc32, digest(MemorySource(content), {.crc32 = true}).crc32);
    class Refusing final : public ByteSink {
    public:
        void write(ByteView) override {
            if (++writes_ == 3) throw Error(ErrorCode::io, "the disk is full");
        }
        int writes_ = 0;
    } sink;
    EXPECT_THROW(write_source(source, sink), Error);
    class Failing final : public ByteSource {
    public:
        std::uint64_t size() const noexcept override { return 4 << 20; }
        ByteView read(std::uint64_t offset, std::size_t length, MutableByteView scratch) const override {
            if (offset >= 2 << 20) throw Error(ErrorCode::damaged, "a block does not unpack");
            return scratch.first(length);
        }
    };
    MemorySink made;
    EXPECT_THROW(write_source(Failing(), made), Error);
    EXPECT_EQ(made.bytes().size(), 2U << 20);
}

TEST(Source, LargeFilesAreKnownByAFewBytes) {
    const CountingSource disc(std::uint64_t{6} << 30);
    EXPECT_FALSE(recognise_cartridge(disc));
    EXPECT_EQ(identify(disc).kind.id, KindId::data);
    EXPECT_EQ(front_header_of(disc).size, 0U);
    EXPECT_TRUE(mends_for(disc).empty());
    EXPECT_LE(disc.bytes_read(), 32'768U) << "its begin, and where discs have their descriptors";
    // A cartridge that is not in memory is one all the same.
    const Bytes rom = demo::kelp_harbour(0);
    const CountingSource unmapped(rom.size(), rom);
    EXPECT_EQ(identify(unmapped).kind.id, KindId::cartridge);
    EXPECT_TRUE(open_container(unmapped));
}

}  // namespace
}  // namespace hotstitch
