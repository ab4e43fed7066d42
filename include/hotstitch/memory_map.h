// SPDX-License-Identifier: MIT
// Where a byte of a cartridge image stands in the console's memory, and where there is room.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"
#include "hotstitch/image.h"

namespace hotstitch {

/// A place in an image, both ways.
struct Place {
    std::uint64_t file_offset = 0;  ///< in the file, front header included
    std::uint64_t rom_offset = 0;   ///< in the ROM proper
    std::string address;            ///< as the console sees it: "80:8000"; empty where it does not see it
};

/// Platforms: SNES, Game Boy, NES (by banks), GBA.
HOTSTITCH_EXPORT bool has_addresses(const Image& image);

/// `text`: an address of the console ("80:8000", "0x808000", "$80:8000", "08001234") or, with a plus sign before
/// it, an offset in the file ("+0x81c0"). All hex. Throws Error(usage) for what is neither, for an address at which no
/// ROM stands, and for places past the end; Error(unsupported) for platforms without a known map.
HOTSTITCH_EXPORT Place place_at(const Image& image, ByteView file, std::string_view text);

/// The address of an offset in the ROM proper; empty where there is none.
HOTSTITCH_EXPORT std::string address_of(const Image& image, ByteView file, std::uint64_t rom_offset);

/// A run of one byte: room for something new, perhaps.
struct FreeRun {
    std::uint64_t offset = 0, length = 0;  ///< in the ROM proper
    std::byte value{};
    std::uint64_t bank = 0;  ///< number from the ROM's begin; 0 where the platform has no banks
};

/// Runs of at least `least` bytes, cut where banks end, in order.
HOTSTITCH_EXPORT std::vector<FreeRun> free_runs(const Image& image, ByteView file, std::uint64_t least = 256);

/// Bytes in a bank of the image; 0 where the platform has none.
HOTSTITCH_EXPORT std::uint64_t bank_size(const Image& image);

}  // namespace hotstitch
