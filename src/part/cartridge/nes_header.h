// SPDX-License-Identifier: MIT
// The NES's front header of 16 bytes, read and made.
#pragma once

#include <cstdint>
#include <string_view>

#include "hotstitch/bytes.h"

namespace hotstitch::cartridge {

inline constexpr std::size_t nes_header_size = 16;

struct NesHeader {
    std::uint64_t prg = 0, chr = 0;  ///< bytes
    unsigned mapper = 0, submapper = 0, timing = 0;
    bool battery = false, trainer = false, vertical = false, four_screen = false;
    bool new_layout = false, junk = false;
    bool more_follows = false;               ///< data after CHR is meant to be there
    std::uint64_t rom_at = nes_header_size;  ///< where PRG begins in the file
};

/// REQUIRES 16 bytes at least.
NesHeader nes_header(ByteView file);

}  // namespace hotstitch::cartridge
