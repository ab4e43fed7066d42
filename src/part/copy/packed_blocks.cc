// SPDX-License-Identifier: MIT
// Copies whose blocks are all packed the same way, behind one list of offsets: raw deflate, LZ4, or zlib with Adler-32.
// Tested by tests/part/copy_test.cc.
#include <fmt/format.h>

#include <array>

#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/copy/copy.h"
#include "source/stretch.h"

namespace hotstitch::copy {
namespace {

std::uint64_t u64le(ByteView b, std::size_t at) {
    return u32le(b, at) | std::uint64_t{u32le(b, at + 4)} << 32;
}

template <std::size_t size>
std::array<std::byte, size> bytes_at(const ByteSource& file, std::uint64_t at) {
    std::array<std::byte, size> bytes;
    read_into(file, at, bytes);
    return bytes;
}

/// What all lists of offsets have to keep: in order, inside the file, no block longer than packing can make it.
void check_order(const BlockIndex& index, std::uint64_t file_size, std::uint64_t first, std::uint64_t entry_at,
                 std::uint64_t entry_size) {
    std::uint64_t end = first;
    for (std::uint64_t i = 0; i < index.blocks(); ++i) {
        const Block b = index.block(i);
        const std::uint64_t place = entry_at + i * entry_size;
        if (b.offset < end || b.length == UINT64_MAX)
            damaged("its blocks lie over each other", place, "offset", "at least " + offset_text(end),
                    offset_text(b.offset));
        if (b.offset > file_size || b.length > file_size - b.offset)
            throw Error(ErrorCode::truncated, "the compressed copy is cut short: a block lies past its end")
                .at(place)
                .in("offset")
                .wanted("at most " + offset_text(file_size))
                .found(offset_text(b.offset))
                .hint("get it again, whole");
        if (b.length > 2 * index.block_size + 4096)
            damaged("a block is longer than a packed one can be", place, "length",
                    counted(2 * index.block_size + 4096, "byte", "bytes"), counted(b.length, "byte", "bytes"));
        if (b.how == Block::How::plain && b.length < std::min(index.block_size, index.size - i * index.block_size))
            damaged("a plain block is too short", place, "length", counted(index.block_size, "byte", "bytes"),
                    counted(b.length, "byte", "bytes"));
        end = b.offset + b.length;
    }
}

void check_size(std::uint64_t size, std::uint64_t block_size, std::uint64_t at) {
    constexpr std::uint64_t least_block = 512, most_block = 16 << 20;
    if (size == 0 || size > largest_disc)
        damaged("it states a size that no disc has", at, "size", "1 to " + counted(largest_disc, "byte", "bytes"),
                counted(size, "byte", "bytes"));
    if (block_size < least_block || block_size > most_block)
        damaged("it states a size that no block has", at, "block size", "512 bytes to 16 MiB",
                counted(block_size, "byte", "bytes"));
}

void check_list(const ByteSource& file, std::uint64_t at, std::uint64_t bytes) {
    if (at > file.size() || bytes > file.size() - at)
        throw Error(ErrorCode::truncated, "the compressed copy is cut short in its list of blocks")
            .at(at)
            .in("list of blocks")
            .wanted(counted(bytes, "byte", "bytes"))
            .found(counted(file.size() - std::min(at, file.size()), "byte", "bytes"))
            .hint("get it again, whole");
}

/// A list of n + 1 numbers of 32 bits: bit 31 says that the block is stored plain, the others where it begins.
class ShortList final : public BlockIndex {
public:
    ShortList(SharedSource file, Block::How how) : file_(std::move(file)), how_(how) {
        constexpr std::size_t header_size = 24;
        check_list(*file_, 0, header_size);
        const auto header = bytes_at<header_size>(*file_, 0);
        size = u64le(header, 8), block_size = u32le(header, 16);
        const unsigned version = u8(header, 20);
        shift_ = u8(header, 21);
        check_size(size, block_size, 8);
        if (version > 1)
            throw Error(ErrorCode::unsupported, "a compressed copy in a later version of its form is not read")
                .in("version")
                .wanted("0 or 1")
                .found(fmt::format("{}", version))
                .hint("save a plain copy with what made this one");
        if (shift_ > 31)
            damaged("its offsets are shifted too far", 21, "alignment", "at most 31", fmt::format("{}", shift_));
        check_list(*file_, header_size, 4 * (blocks() + 1));
        check_order(*this, file_->size(), header_size + 4 * (blocks() + 1), header_size, 4);
    }

    Block block(std::uint64_t number) const override {
        const auto entries = bytes_at<8>(*file_, 24 + 4 * number);
        const std::uint32_t first = u32le(entries, 0), next = u32le(entries, 4);
        const std::uint64_t begin = std::uint64_t{first & 0x7FFFFFFF} << shift_,
                            end = std::uint64_t{next & 0x7FFFFFFF} << shift_;
        // The last one may end anywhere in its alignment.
        std::uint64_t stop = end;
        if (end > file_->size() && end - file_->size() < std::uint64_t{1} << shift_) stop = file_->size();
        return {first >> 31 != 0 ? Block::How::plain : how_, begin, stop < begin ? UINT64_MAX : stop - begin, {}};
    }

private:
    const SharedSource file_;
    const Block::How how_;
    unsigned shift_ = 0;
};

/// Offsets of 64 bits that count from behind the lists, then an Adler-32 of each block as it is stored.
class LongList final : public BlockIndex {
public:
    explicit LongList(SharedSource file) : file_(std::move(file)) {
        check_list(*file_, 0, header_size);
        const auto header = bytes_at<header_size>(*file_, 0);
        packed_ = u64le(header, 8), size = u64le(header, 16), block_size = u32le(header, 24);
        check_size(size, block_size, 16);
        if (u32le(header, 28) != blocks())
            damaged("it states another number of blocks than its size has", 28, "blocks", grouped(blocks()),
                    grouped(u32le(header, 28)));
        check_list(*file_, header_size, 12 * blocks());
        data_ = header_size + 12 * blocks();
        check_order(*this, file_->size(), data_, header_size, 8);
    }

    Block block(std::uint64_t number) const override {
        constexpr std::uint64_t plain = std::uint64_t{1} << 63;
        const std::uint64_t place = header_size + 8 * number, first = u64le(bytes_at<8>(*file_, place), 0);
        const std::uint64_t next = number + 1 < blocks() ? u64le(bytes_at<8>(*file_, place + 8), 0) : packed_;
        const std::uint64_t begin = first & ~plain, end = next & ~plain;
        const std::uint64_t adler_at = header_size + 8 * blocks() + 4 * number;
        if (begin > file_->size()) return {Block::How::zlib, begin, 0, {}};
        return {(first & plain) != 0 ? Block::How::plain : Block::How::zlib, data_ + begin,
                end < begin ? UINT64_MAX : end - begin, u32le(bytes_at<4>(*file_, adler_at), 0)};
    }

private:
    static constexpr std::size_t header_size = 32;
    const SharedSource file_;
    std::uint64_t packed_ = 0, data_ = 0;
};

bool begins_short(ByteView head, std::string_view word) {
    return head.size() >= 24 && text_at(head, 0, 4) == word && (u32le(head, 4) == 0x18 || u32le(head, 4) == 0);
}

}  // namespace

constinit const CopyForm deflate_blocks{.name = "ciso",
                                        .title = "a compressed copy of a disc (blocks of deflate)",
                                        .begins = [](ByteView head) { return begins_short(head, "CISO"); },
                                        .read = [](const SharedSource& file) -> std::unique_ptr<BlockIndex> {
                                            return std::make_unique<ShortList>(file, Block::How::deflate);
                                        }};
constinit const CopyForm lz4_blocks{.name = "ziso",
                                    .title = "a compressed copy of a disc (blocks of LZ4)",
                                    .begins = [](ByteView head) { return begins_short(head, "ZISO"); },
                                    .read = [](const SharedSource& file) -> std::unique_ptr<BlockIndex> {
                                        return std::make_unique<ShortList>(file, Block::How::lz4);
                                    }};
constinit const CopyForm zlib_blocks{
    .name = "zlib-blocks",
    .title = "a compressed copy of a disc (blocks of zlib)",
    .begins = [](ByteView head) { return head.size() >= 32 && u32le(head, 0) == 0xB10BC001; },
    .read = [](const SharedSource& file) -> std::unique_ptr<BlockIndex> { return std::make_unique<LongList>(file); }};

}  // namespace hotstitch::copy
