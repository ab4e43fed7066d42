// SPDX-License-Identifier: MIT
// What VCDIFF is made of, for reader and writer. Frozen: docs/formats/vcdiff.md.
#pragma once

#include "edit/patch_formats.h"

#include <cstdint>
#include <string_view>

namespace hotstitch::vcdiff {

inline constexpr std::string_view magic =
    row_of(PatchFormat::vcdiff).magic;  ///< "VCD" with high bits; the version byte follows
inline constexpr unsigned version = 0;

namespace header_flag {
inline constexpr unsigned compressor = 1, code_table = 2, application = 4, all = 7;
}
namespace window_flag {
inline constexpr unsigned source = 1, target = 2, adler32 = 4, all = 7;
}
/// The sections of a window, in their order; bit n of the delta flags says that section n is compressed.
enum Section : unsigned { data = 0, instructions = 1, addresses = 2 };
inline constexpr unsigned section_count = 3, all_delta_flags = 7;
inline constexpr std::string_view section_names[section_count] = {"data", "instructions", "addresses"};

enum class Compressor : unsigned { none = 0, huffman = 1, lzma = 2, adaptive_huffman = 16 };

enum class Type : std::uint8_t { noop = 0, add = 1, run = 2, copy = 3 };

}  // namespace hotstitch::vcdiff
