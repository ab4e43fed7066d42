// SPDX-License-Identifier: MIT
// Copies that leave unused blocks out and store the others plain: a map of which are there, or a list of where they
// are in a loader's container. Neither says how large the disc was. Tested by tests/part/copy_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <vector>

#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/copy/copy.h"
#include "source/stretch.h"

namespace hotstitch::copy {
namespace {

constexpr std::uint64_t drive_sector = 0x8000;

Bytes bytes_at(const ByteSource& file, std::uint64_t at, std::uint64_t length, std::string_view what) {
    if (at > file.size() || length > file.size() - at)
        throw Error(ErrorCode::truncated, fmt::format("the copy of a disc is cut short in {}", what))
            .at(at)
            .wanted(counted(length, "byte", "bytes"))
            .found(counted(file.size() - std::min(at, file.size()), "byte", "bytes"))
            .hint("get it again, whole");
    return stretch_of(file, at, length);
}

/// Offsets in the copy, one a block; 0: it is not there.
class PlacedBlocks : public BlockIndex {
public:
    Block block(std::uint64_t number) const override {
        const std::uint64_t at = number < places_.size() ? places_[static_cast<std::size_t>(number)] : 0;
        if (at == 0) return {};
        return {Block::How::plain, at, std::min(block_size, end_ - std::min(at, end_)), {}};
    }

protected:
    /// The disc ends with a full size, behind the last block that is there.
    void settle_size(const ByteSource& file) {
        end_ = file.size();
        while (!places_.empty() && places_.back() == 0) places_.pop_back();
        if (places_.empty() || places_.front() == 0)
            damaged("the copy holds nothing of the disc's begin", 0, "blocks", "the first block", "none");
        const Bytes begin = bytes_at(file, places_.front(), std::min<std::uint64_t>(0x100, block_size), "its header");
        size = full_size(begin, places_.size() * block_size);
        for (std::size_t i = 0; i < places_.size(); ++i) {
            // The last block may be cut where the disc ends.
            const std::uint64_t needed = std::min(block_size, size - std::min(size, i * block_size));
            if (places_[i] == 0 || (places_[i] <= end_ && needed <= end_ - places_[i])) continue;
            throw Error(ErrorCode::truncated, "a part of the copy is missing: blocks lie past its end")
                .in("block")
                .wanted("at least " + counted(places_[i] + needed, "byte", "bytes"))
                .found(counted(end_, "byte", "bytes"))
                .hint("copies in several files (.wbfs, .wbf1, .wbf2 …) have to lie beside each other under one name");
        }
    }

    std::vector<std::uint64_t> places_;
    std::uint64_t end_ = 0;  ///< of the copy
};

/// A byte a block says whether it is there; those that are follow each other.
class BlockMap final : public PlacedBlocks {
public:
    explicit BlockMap(const SharedSource& file) {
        constexpr std::uint64_t map_at = 8;
        const Bytes header = bytes_at(*file, 0, header_size, "its map");
        block_size = u32le(header, 4);
        if (block_size > 256 << 20)
            damaged("it states a size that no block has", 4, "block size", "at most 256 MiB",
                    counted(block_size, "byte", "bytes"));
        std::uint64_t at = header_size;
        for (std::size_t i = map_at; i < header.size(); ++i) {
            const unsigned there = u8(header, i);
            if (there > 1) damaged("its map is broken", i, "map", "0 or 1", fmt::format("{}", there));
            places_.push_back(there != 0 ? at : 0);
            if (there != 0) at += block_size;
            if (places_.size() * block_size > largest_disc && there != 0)
                damaged("its map goes on past the end of any disc", i, "map", "no more blocks", "a block");
        }
        settle_size(*file);
        file_ = file;
    }

private:
    static constexpr std::uint64_t header_size = 0x8000;
    SharedSource file_;
};

/// A loader's container: a list of discs, each with a copy of its header and the numbers of its blocks.
class DriveBlocks final : public PlacedBlocks {
public:
    explicit DriveBlocks(const SharedSource& file) {
        const Bytes head = bytes_at(*file, 0, 12, "its header");
        const unsigned drive_shift = u8(head, 8), block_shift = u8(head, 9);
        if (drive_shift < 9 || drive_shift > 16)
            damaged("it states a size that no sector has", 8, "sector size", "2^9 to 2^16",
                    fmt::format("2^{}", drive_shift));
        if (block_shift < 15 || block_shift > 26)
            damaged("it states a size that no block has", 9, "block size", "2^15 to 2^26",
                    fmt::format("2^{}", block_shift));
        block_size = std::uint64_t{1} << block_shift;
        const std::uint64_t sector = std::uint64_t{1} << drive_shift;
        const Bytes discs = bytes_at(*file, 12, sector - 12, "its list of discs");
        const auto used = std::find_if(discs.begin(), discs.end(), [](std::byte b) { return b != std::byte{0}; });
        if (used == discs.end()) damaged("it holds no disc", 12, "list of discs", "a disc", "none");
        const std::uint64_t count = (2 * one_layer / drive_sector) >> (block_shift - 15),
                            info = (0x100 + 2 * count + sector - 1) / sector * sector;
        const auto number = static_cast<std::uint64_t>(used - discs.begin());
        const std::uint64_t list_at = sector + number * info + 0x100;
        const Bytes list = bytes_at(*file, list_at, 2 * count, "its list of blocks");
        std::vector<bool> taken(std::size_t{1} << 16);
        for (std::size_t i = 0; i < count; ++i) {
            const unsigned block = u16be(list, 2 * i);
            if (block != 0 && taken[block])
                damaged("two blocks of the disc lie at the same place", list_at + 2 * i, "block", "another",
                        grouped(block));
            taken[block] = true;
            places_.push_back(block * block_size);
        }
        settle_size(*file);
        file_ = file;
    }

private:
    SharedSource file_;
};

bool is_power_of_two(std::uint32_t n) {
    return n != 0 && (n & (n - 1)) == 0;
}

}  // namespace

constinit const CopyForm block_map{
    .name = "block-map",
    .title = "a copy of a disc without its unused blocks",
    .begins =
        [](ByteView head) {
            return head.size() >= 8 && text_at(head, 0, 4) == "CISO" && u32le(head, 4) >= 0x8000 &&
                   is_power_of_two(u32le(head, 4));
        },
    .read = [](const SharedSource& file) -> std::unique_ptr<BlockIndex> { return std::make_unique<BlockMap>(file); }};
constinit const CopyForm drive_blocks{
    .name = "drive-blocks",
    .title = "a disc in a loader's container",
    .begins = [](ByteView head) { return head.size() >= 12 && text_at(head, 0, 4) == "WBFS"; },
    .read = [](const SharedSource& file) -> std::unique_ptr<BlockIndex> {
        return std::make_unique<DriveBlocks>(file);
    }};

}  // namespace hotstitch::copy
