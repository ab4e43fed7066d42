// SPDX-License-Identifier: MIT
// Archives that no honest program makes.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

#include "hotstitch/bytes.h"

namespace makers {

/// A header of 512 bytes with its checksum right. `kind`: '0' file, '5' folder, 'L' a long name follows.
std::string tar_header(std::string_view name, std::uint64_t size, char kind = '0');
/// Filled up to whole blocks.
std::string tar_blocks(std::string content);
/// Two blocks of zeros.
std::string tar_end();
/// A file of some bytes that claims to be `size` long, the rest a hole.
std::string sparse_tar(std::uint64_t size);

/// As `gzip -9`, `bzip2 -9` and `xz` do it.
std::string gzipped(std::string_view content);
std::string bzipped(std::string_view content);
std::string xzed(std::string_view content);

/// The 7z, of one file, with its checksum moved from the file to the folder and set to `crc32`.
hotstitch::Bytes with_folder_checksum(hotstitch::ByteView seven_zip, std::uint32_t crc32);

}  // namespace makers
