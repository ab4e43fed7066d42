// SPDX-License-Identifier: MIT
// One sector of 2352 bytes as ECMA-130 lays it out, and the error detection and correction in it. docs/formats/discs.md
// "Sectors". All computing, no reading.
#pragma once

#include <cstdint>

#include "hotstitch/bytes.h"

namespace hotstitch::disc {

constexpr std::size_t raw_size = 2352, user_size = 2048, sync_size = 12;

enum class SectorMode : std::uint8_t {
    none,      ///< no sync pattern, or a mode that is not known: audio, or damaged
    zero,      ///< mode 0: empty
    mode1,     ///< user data at 16
    form1,     ///< mode 2 form 1: user data at 24
    form2,     ///< mode 2 form 2: 2324 bytes at 24, no error correction
    formless,  ///< mode 2 whose subheader is not there twice: no EDC
};

/// CRC-32 with the polynomial of ECMA-130 14.3, start 0, no final inversion; `crc` goes on with what was before.
std::uint32_t edc(ByteView bytes, std::uint32_t crc = 0) noexcept;

/// All below: REQUIRES that the view has 2352 bytes.
bool has_sync(ByteView sector) noexcept;
SectorMode mode_of(ByteView sector) noexcept;
/// Where the user data begins in a sector of this mode.
std::size_t user_offset(SectorMode mode) noexcept;

/// Computes EDC and ECC anew, as the mode wants it. A form 2 sector whose EDC is 0 keeps it: it is not used.
void protect(MutableByteView sector, SectorMode mode) noexcept;
/// Whether EDC and ECC are what protect() makes.
bool is_protected(ByteView sector, SectorMode mode) noexcept;

/// A sector of user data with sync, header (the address counts from 00:02:00) and protection around it.
/// REQUIRES user.size() == 2048; mode1 or form1.
void encode(MutableByteView sector, ByteView user, std::uint64_t number, SectorMode mode) noexcept;
/// Minute, second and frame of sector `number` in the header, as BCD.
void set_address(MutableByteView sector, std::uint64_t number) noexcept;
/// What the header says; nothing where that is no BCD.
std::uint64_t address_of(ByteView sector) noexcept;

}  // namespace hotstitch::disc
