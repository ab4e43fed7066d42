// SPDX-License-Identifier: MIT
// What headers of cartridges and executables check themselves by.
#pragma once

#include <cstdint>

#include "hotstitch/bytes.h"

namespace hotstitch {

/// The sum of all bytes.
std::uint64_t sum_of_bytes(ByteView bytes) noexcept;
/// The sum of all big-endian words; an odd last byte counts as the high half.
std::uint64_t sum_of_words(ByteView bytes) noexcept;
/// The sum of all little-endian words; an odd last byte counts as the low half.
std::uint64_t sum_of_little_words(ByteView bytes) noexcept;
/// The exclusive or of all little-endian words of 32 bits; bytes left over do not count.
std::uint32_t xor_of_words(ByteView bytes) noexcept;
/// CRC-16, reflected polynomial A001, start FFFF; going on from `before`.
std::uint16_t crc16(ByteView bytes, std::uint16_t before = 0xFFFF) noexcept;
/// CRC-16 of the ITU, polynomial 1021, start FFFF, high bit first; going on from `before`.
std::uint16_t crc16_ccitt(ByteView bytes, std::uint16_t before = 0xFFFF) noexcept;

}  // namespace hotstitch
