// SPDX-License-Identifier: MIT
// The table of files: entries of 12 bytes and, behind the last one, their names. It is small enough to be held and
// changed in memory. docs/formats/discs.md, "Discs with a table of files".
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"

namespace hotstitch::table_disc {

inline constexpr std::uint64_t entry_size = 12, largest_table = 32 << 20;

struct Entry {
    std::string path;  ///< UTF-8, folders with '/'; of the root empty
    std::string name;  ///< as it is stored
    bool folder = false;
    std::uint64_t offset = 0, size = 0;  ///< of a file, in bytes
    std::size_t parent = 0, end = 0;     ///< of a folder: entries; `end` is behind its last member
    std::size_t id = 0;                  ///< which entry of the table as it was read; of a new one, what its maker says
};

struct FileTable {
    std::vector<Entry> entries;  ///< the root first; empty where there is no table
    std::vector<std::string> warnings;
};

/// `shift`: by how much offsets are stored shifted to the right. What is wrong in it is told, and what is right is
/// read. Throws Error(damaged) where nothing is, Error(limit) for more path names than anybody has.
FileTable parse_table(ByteView table, unsigned shift);

/// The table with these entries; names are laid out in their order.
Bytes build_table(const std::vector<Entry>& entries, unsigned shift);

/// One file more, by its path below the root, in the order of names of its folder; folders that are not there are made.
/// Returns its index. Throws Error(usage) where a name does not fit, a file is there or stands in a folder's place.
std::size_t insert_file(std::vector<Entry>& entries, std::string_view path);
void erase_file(std::vector<Entry>& entries, std::size_t index);

}  // namespace hotstitch::table_disc
