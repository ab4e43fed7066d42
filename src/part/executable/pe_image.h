// SPDX-License-Identifier: MIT
// The headers of a PE image (docs/formats/executables.md), read and checked.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "part/executable/executable.h"

namespace hotstitch::executable {

struct PeSection {
    std::string name;
    std::uint64_t offset = 0, size = 0;     ///< in the file
    std::uint32_t address = 0, memory = 0;  ///< from the image base on
    bool readable = false, writable = false, executable = false;
};

struct PeDirectory {
    std::uint32_t address = 0, size = 0;
};

struct PeImage {
    std::uint64_t header = 0;  ///< where `PE` stands
    unsigned machine = 0, characteristics = 0, subsystem = 0, dll_characteristics = 0;
    bool is_64_bit = false;
    std::uint64_t image_base = 0, headers_size = 0;
    std::uint32_t entry = 0, checksum = 0;
    std::vector<PeDirectory> directories;
    std::vector<PeSection> sections;

    // Offsets of fields in the file.
    std::uint64_t characteristics_at() const noexcept { return header + 22; }
    std::uint64_t entry_at() const noexcept { return header + 24 + 16; }
    std::uint64_t checksum_at() const noexcept { return header + 24 + 64; }
    std::uint64_t dll_characteristics_at() const noexcept { return header + 24 + 70; }
    std::uint64_t directory_at(std::size_t number) const noexcept {
        return header + 24 + (is_64_bit ? 112 : 96) + 8 * number;
    }

    PeDirectory directory(std::size_t number) const noexcept {
        return number < directories.size() ? directories[number] : PeDirectory{};
    }
    /// Its place is an offset in the file, unlike that of all others.
    PeDirectory certificates() const noexcept { return directory(4); }
    bool is_signed() const noexcept { return certificates().size != 0; }
    bool is_dll() const noexcept { return (characteristics & 0x2000) != 0; }
    bool is_managed() const noexcept { return directory(14).size != 0; }
    bool has_relocations() const noexcept { return (characteristics & 1) == 0 && directory(5).size != 0; }
    std::uint64_t sections_end() const noexcept;  ///< where the last section ends in the file
    /// The offset in the file of an address that counts from the image base; nothing: it is not from the file.
    std::optional<std::uint64_t> offset_of(std::uint32_t address) const noexcept;
};

/// Nothing: a DOS executable, which has no such headers. Throws Error(damaged, truncated).
std::optional<PeImage> read_pe(const ByteSource& file);
/// The same, for who needs one. Throws Error(unsupported) too.
PeImage need_pe(const ByteSource& file);
/// What should stand in its CheckSum. Throws Error(io).
std::uint32_t pe_checksum(const ByteSource& file, const PeImage& image);
/// Signs that the image is packed or encrypted, for people; fewer than these mean nothing.
inline constexpr std::size_t least_signs = 2;
std::vector<std::string> packing_signs(const ByteSource& file, const PeImage& image);

extern const MendRow pe_mends[7];
void check_signature(const PeImage& image, const Allowed& allow);
/// Where a change goes on all the same.
void warn_of_signature(const PeImage& image, std::vector<std::string>& warnings);

}  // namespace hotstitch::executable
