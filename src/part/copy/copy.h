// SPDX-License-Identifier: MIT
// Compressed and cut-down copies of discs (docs/formats/discs.md, "Compressed copies"): the plain image is cut into
// blocks, and an index says where each is. A new form is one file that defines a CopyForm and a row in copy.cc.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string_view>

#include "hotstitch/source.h"

namespace hotstitch::copy {

/// Sizes of full discs with file tables, in bytes.
inline constexpr std::uint64_t small_disc = 1'459'978'240, one_layer = 4'699'979'776, two_layers = 8'511'160'320;
/// No disc is larger, so no copy may say so.
inline constexpr std::uint64_t largest_disc = std::uint64_t{128} << 30;

/// Where a block of the plain image is.
struct Block {
    enum class How : std::uint8_t { zeros, plain, deflate, zlib, lz4 } how = How::zeros;
    std::uint64_t offset = 0, length = 0;    ///< in the copy, in bytes
    std::optional<std::uint32_t> adler32{};  ///< of what is stored
};

/// Thread-safe.
class BlockIndex {
public:
    virtual ~BlockIndex() = default;
    /// REQUIRES number < blocks. Throws Error(io).
    virtual Block block(std::uint64_t number) const = 0;

    std::uint64_t size = 0, block_size = 0;  ///< of the plain image, in bytes
    std::uint64_t blocks() const noexcept { return size / block_size + (size % block_size != 0 ? 1 : 0); }
};

struct CopyForm {
    std::string_view name, title;  ///< "ciso"; "a compressed copy of a disc"
    bool (*begins)(ByteView head) = nullptr;
    /// Null: recognised by its begin, not read. Throws Error(damaged, truncated, unsupported, io). The source is kept.
    std::unique_ptr<BlockIndex> (*read)(const SharedSource& file) = nullptr;
};

extern const CopyForm deflate_blocks, lz4_blocks, block_map, zlib_blocks, drive_blocks;

/// Null: none begins so. Looks at 1 KiB at most.
const CopyForm* form_of(ByteView head) noexcept;

/// The plain image, computed from the copy. Throws Error(unsupported) for what is only recognised, and what reading the
/// index throws; reading it, Error(damaged) where a block does not unpack.
SharedSource plain_of(const SharedSource& file, const CopyForm& form);

/// At the copy's offset `at`.
[[noreturn]] void damaged(const char* what, std::uint64_t at, std::string_view field, std::string wanted,
                          std::string found);

/// The size of the disc that a plain image begins, whose last used block ends at `end`: full discs have few sizes.
std::uint64_t full_size(ByteView begin, std::uint64_t end) noexcept;

}  // namespace hotstitch::copy
