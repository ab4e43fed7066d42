// SPDX-License-Identifier: MIT
// Where a byte of a file stands in memory once the file runs, both ways: cartridge ROMs by the map of their platform,
// executables by their segments.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"
#include "hotstitch/identity.h"
#include "hotstitch/source.h"

namespace hotstitch {

/// A place in a file.
struct Place {
    std::uint64_t file_offset = 0;  ///< in the file, front header included
    std::uint64_t rom_offset = 0;   ///< in the content proper
    std::string address;            ///< as the machine sees it: "80:8000", "0x401000"; empty where it does not see it
};

/// Platforms: SNES, Game Boy, NES (by banks), GBA; all executables that have segments.
HOTSTITCH_EXPORT bool has_addresses(const Identity& identity);

/// `text`: an address in memory ("80:8000", "0x808000", "$80:8000", "08001234") or, with a plus sign before it, an
/// offset in the file ("+0x81c0"). All hex. Throws Error(usage) for what is neither, for an address at which nothing of
/// the file stands, and for places past the end; Error(unsupported) for platforms without a known map.
HOTSTITCH_EXPORT Place place_at(const Identity& identity, const ByteSource& file, std::string_view text);
HOTSTITCH_EXPORT Place place_at(const Identity& identity, ByteView file, std::string_view text);

/// The address of an offset in the content proper; empty where there is none.
HOTSTITCH_EXPORT std::string address_of(const Identity& identity, const ByteSource& file, std::uint64_t rom_offset);

}  // namespace hotstitch
