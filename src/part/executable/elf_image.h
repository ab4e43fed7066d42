// SPDX-License-Identifier: MIT
// The headers of an ELF file (docs/formats/executables.md), of both classes and byte orders, read and checked.
#pragma once

#include <string>
#include <vector>

#include "part/executable/executable.h"

namespace hotstitch::executable {

/// A program header.
struct ElfSegment {
    std::uint32_t type = 0, flags = 0;
    std::uint64_t offset = 0, address = 0, physical = 0, file_size = 0, memory_size = 0, align = 0;
};

struct ElfSection {
    std::string name;
    std::uint32_t type = 0;
    std::uint64_t flags = 0, address = 0, offset = 0, size = 0;
};

struct ElfImage {
    bool is_64_bit = false;
    std::endian order = std::endian::little;
    unsigned type = 0, machine = 0;
    std::uint32_t flags = 0;
    std::uint64_t entry = 0, program_headers = 0;
    std::vector<ElfSegment> segments;
    std::vector<ElfSection> sections;

    std::size_t word() const noexcept { return is_64_bit ? 8 : 4; }
    std::size_t header_size() const noexcept { return is_64_bit ? 64 : 52; }
    std::size_t segment_size() const noexcept { return is_64_bit ? 56 : 32; }
    std::uint64_t entry_at() const noexcept { return 24; }
    std::uint64_t program_headers_at() const noexcept { return 24 + word(); }
    std::uint64_t segment_count_at() const noexcept { return is_64_bit ? 56 : 44; }
    /// Of a segment's flags.
    std::uint64_t flags_at(std::size_t segment) const noexcept {
        return program_headers + segment * segment_size() + (is_64_bit ? 4 : 24);
    }
    /// A program header as it stands in the file.
    Bytes written(const ElfSegment& segment) const;
};

inline constexpr std::uint32_t elf_null = 0, elf_load = 1, elf_program_headers = 6;

/// Throws Error(damaged, truncated).
ElfImage read_elf(const ByteSource& file);
/// The program headers as segments of memory, by number.
std::vector<MemorySegment> segments_of(const ElfImage& image);

extern const MendRow elf_mends[3];

}  // namespace hotstitch::executable
