// SPDX-License-Identifier: MIT
// Small executables with right headers, for the demo and to be broken field by field in tests. None does anything when
// run; harbour.cc is a program that does.
#pragma once

#include <bit>
#include <cstdint>

#include "hotstitch/bytes.h"

namespace demo {

using hotstitch::Bytes;
using hotstitch::ByteView;

void put_number(Bytes& bytes, std::size_t at, std::uint64_t value, std::size_t width,
                std::endian order = std::endian::little);

struct PeOptions {
    bool is_64_bit = false, dll = false, relocations = true, checksum = true;
    std::size_t certificates = 0;  ///< bytes of a made-up certificate table at the end
    std::size_t overlay = 0;       ///< bytes behind the last section
};
/// Sections .text at 0x200 (entry 0x401000 or 0x140001000) and .data at 0x400, headers at 0x80.
Bytes pe(const PeOptions& options = {});
/// Where the optional header begins in it.
inline constexpr std::size_t pe_optional = 0x80 + 24;

/// Begins to run in its last section, which is mostly not in the file.
Bytes packed_pe();

struct ElfOptions {
    bool is_64_bit = true, big_endian = false;
    unsigned machine = 62;
    bool spare = false;  ///< an unused program header
    bool room = false;   ///< 00 behind the program headers
};
/// A segment of code at 0x400000 that covers the headers and one of data at 0x402000, memory twice as large.
Bytes elf(const ElfOptions& options = {});

/// A program of 4 KiB at 0x80010000.
Bytes ps_x();
/// One section of code at 0x80003100 and one of data at 0x80005000, 64 bytes each.
Bytes dol();

}  // namespace demo
