// SPDX-License-Identifier: MIT
// What a format of executables brings: how to know it, what it says of itself, its parts, its mends. A new format is
// one file that defines one of these, and one row in executable.cc.
#pragma once

#include <algorithm>
#include <bit>
#include <map>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/change_list.h"
#include "hotstitch/part.h"
#include "part/mends.h"

namespace hotstitch::executable {

struct Format {
    std::string_view platform, title;  ///< "pe", "Windows executable"
    bool (*begins)(ByteView head);     ///< by 512 bytes at most; for a format without a word, perhaps
    bool by_rules = false;             ///< no word says so: it is one only if identify() finds nothing wrong
    /// Sets segments, entry, facts, checks, warnings. Throws Error(damaged, truncated) with offset and field.
    void (*identify)(const ByteSource& file, Identity& identity);
    /// In the order in which they stand. Throws as identify() does.
    std::vector<Part> (*parts)(const ByteSource& file);
    std::span<const MendRow> mends;
    /// Throws Error(refused) where a changed part breaks more than is allowed, and warns where it is; null: nothing
    /// can.
    void (*check_put)(const ByteSource& file, const Allowed& allow, std::vector<std::string>& warnings) = nullptr;
};

extern const Format pe, elf, ps_x, dol;

/// Null: none that is known, or a header that only begins like one.
const Format* format_of(const Identity& identity) noexcept;

/// Bytes of a header with its numbers in one order. Every place is checked.
class Header {
public:
    /// Throws Error(truncated) where the file ends before.
    Header(const ByteSource& file, std::uint64_t offset, std::uint64_t length, std::endian order,
           std::string_view field);
    std::uint64_t number(std::size_t at, std::size_t width) const noexcept;
    std::uint32_t u16(std::size_t at) const noexcept { return static_cast<std::uint32_t>(number(at, 2)); }
    std::uint32_t u32(std::size_t at) const noexcept { return static_cast<std::uint32_t>(number(at, 4)); }
    std::uint64_t u64(std::size_t at) const noexcept { return number(at, 8); }
    ByteView bytes() const noexcept { return bytes_; }

private:
    Bytes bytes_;
    std::endian order_;
};

/// What is wrong in a header: the field, where it stands, what it should say (or empty) and says. Throws
/// Error(damaged).
[[noreturn]] void damaged(const std::string& what, std::uint64_t at, std::string_view field, std::string wanted,
                          std::string found);

/// Calls `take(view)` for the whole file in pieces of 1 MiB. Throws Error(io).
template <class Take>
void for_each_piece(const ByteSource& file, Take&& take) {
    constexpr std::uint64_t piece = 1 << 20;
    Bytes scratch(static_cast<std::size_t>(std::min(file.size(), piece)));
    for (std::uint64_t at = 0; at < file.size(); at += piece)
        take(file.read(at, static_cast<std::size_t>(std::min(piece, file.size() - at)), scratch));
}

/// Throws Error(damaged) unless [offset, offset + length) lies in the file. `at`: of the field that says so.
void check_inside(const ByteSource& file, std::uint64_t offset, std::uint64_t length, std::uint64_t at,
                  std::string_view field);

/// Adds the bytes of a number that differ from what stands there. Nothing is added where none does.
void set_number(const ByteSource& file, ChangeList& list, std::uint64_t at, std::uint64_t value, std::size_t width,
                std::endian order);

/// "0x401000", "401000", "0X401000". Throws Error(usage).
std::uint64_t address_from(std::string_view text);
/// The segment whose memory this address is in; null: none.
const MemorySegment* segment_at(const std::vector<MemorySegment>& segments, std::uint64_t address) noexcept;
/// Throws Error(usage) unless code may stand at the address.
void check_entry(const std::vector<MemorySegment>& segments, std::uint64_t address);

/// A file to be put in, where, and with which rights: "code.bin@0x80400000:rx".
struct Addition {
    Bytes content;
    std::uint64_t address = 0;
    std::string rights{};  ///< empty: not said
};
/// Throws Error(usage), and what reading the file throws.
Addition addition_from(std::string_view text, const MendOptions& options);
/// Throws Error(usage) where memory of another segment would be written over; whole pages of `page` bytes count.
void check_room(const std::vector<MemorySegment>& segments, std::uint64_t address, std::uint64_t size,
                std::uint64_t page);
/// "rwx" in any order and number, as bits of ELF: 4, 2, 1. Throws Error(usage).
unsigned rights_from(std::string_view text);
std::string rights_text(const MemorySegment& segment);

/// Parts with names of their own: the second ".data" is ".data 2". Empty ones are none.
class PartList {
public:
    void add(std::string name, PartKind kind, std::uint64_t offset, std::uint64_t size);
    std::vector<Part> take() noexcept { return std::move(parts_); }

private:
    std::vector<Part> parts_;
    std::map<std::string, unsigned, std::less<>> names_;  ///< how often each was wanted
};

/// Throws Error(damaged) where two of these stretches of a file overlap; empty ones never do. `at`: where each is told.
struct ToldStretch {
    std::string_view name;
    std::uint64_t offset = 0, size = 0, at = 0;
};
void check_apart(std::vector<ToldStretch> stretches);

}  // namespace hotstitch::executable
