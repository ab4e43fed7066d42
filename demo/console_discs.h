// SPDX-License-Identifier: MIT
// Kelp Harbour on the discs and cartridges that have file systems of their own: a disc with a table of files, one with
// an encrypted partition, compressed copies of them, a cartridge with files. Built by code of its own, down to the
// cipher and the hash, so that tests may hold the library against it.
#pragma once

#include <array>
#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "disc.h"

namespace demo {

/// Bytes that look like chance, with which full discs are filled up.
Bytes junk(std::size_t size, std::uint64_t seed);

struct TableDiscOptions {
    std::string id = "GKHP99";
    std::string title = "Kelp Harbour";
    unsigned revision = 1, number = 0;  ///< of the disc, from 0
    bool later = false;                 ///< the later console's magic number, and offsets shifted by 2
    std::size_t total = 0;              ///< bytes of the disc, filled with junk; 0: up to the last file
    std::size_t gap = 0;                ///< bytes of junk behind each file
    std::size_t room = 0;               ///< bytes behind the table of files
};
/// Files in the order given, each aligned to 32 bytes, or to 32 KiB where it is streamed (".str"). Folders come from
/// paths; members of a folder have to follow each other.
Bytes table_disc(const std::vector<DiscFile>& files, const TableDiscOptions& options = {});
/// The files again, by a reader of its own that trusts the disc: those of its table, and "main.dol".
std::map<std::string, Bytes> files_of_table(ByteView volume, bool later);
/// The game's files: revision 1 has another table and one message more.
std::vector<DiscFile> console_files(int revision);

using CipherKey = std::array<std::byte, 16>;
/// The made-up key that the demo's discs are encrypted with.
CipherKey demo_key();
std::string key_file();

/// A disc of the later console with one partition that holds this volume. `stated`: clusters that the partition says it
/// has; 0: those of the volume.
Bytes partition_disc(const Bytes& volume, std::size_t stated = 0);
/// The volume again, by the demo's own cipher.
Bytes volume_of(ByteView disc);
/// What is wrong in the hashes, from the first block to the metadata; empty: nothing.
std::string wrong_hashes(ByteView disc);

/// Copies without the blocks that are all zeros: a map of them, or a loader's container.
Bytes block_map_copy(ByteView plain, std::size_t block);
Bytes drive_copy(ByteView plain, unsigned block_shift);
/// Blocks of deflate that only store, behind their list of offsets.
Bytes deflate_copy(ByteView plain, std::size_t block);

/// A cartridge with folders, an overlay, two programs and a banner, and its size: a power of two, or trimmed.
Bytes file_cartridge(const std::vector<DiscFile>& files, bool trimmed);

/// A chunk: its id, its size in the byte order, and what is in it, padded to an even size.
Bytes chunk(std::string_view id, ByteView content, bool big, bool padded = true);

/// What a RIFF of type WAVE holds: its format, and these samples of 16 bits, two channels, 44,100 a second.
Bytes wave(ByteView samples);

}  // namespace demo
