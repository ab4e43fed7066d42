// SPDX-License-Identifier: MIT
// What each instruction byte means: one instruction or two. docs/formats/vcdiff.md section 4.
#pragma once

#include <array>

#include "format/vcdiff/address_cache.h"
#include "format/vcdiff/vcdiff_format.h"
#include "hotstitch/limits.h"

namespace hotstitch::vcdiff {

struct Half {
    Type type = Type::noop;
    std::uint8_t size = 0;  ///< 0: the size stands in the instruction section
    std::uint8_t mode = 0;
};

struct CodeTable {
    /// `type` is unchecked in an own table: a value above 3 is damaged when it is used.
    std::array<std::array<Half, 2>, 256> entries{};
    std::size_t near = AddressCache::default_near, same = AddressCache::default_same;
};

const CodeTable& default_code_table() noexcept;

/// The 1536 bytes in which a table travels: types, sizes, modes, each first halves and then second halves.
inline constexpr std::size_t code_table_size = 1536;
std::array<std::byte, code_table_size> to_bytes(const CodeTable& table) noexcept;

/// Reads the own table out of a header: near size, same size, a VCDIFF stream. Throws Error(damaged, truncated).
CodeTable read_code_table(ByteView bytes, std::uint64_t at);

}  // namespace hotstitch::vcdiff
