// SPDX-License-Identifier: MIT
// The checksums of whole folders in a 7z: a folder is what was packed together, one file or several. libarchive checks
// those of single files; where a checksum stands with the folder alone, it does not look.
#pragma once

#include <optional>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/digest.h"
#include "hotstitch/limits.h"

namespace hotstitch {

struct FolderOf7z {
    std::uint64_t files = 0;     ///< that are not empty, in the order of the archive
    std::optional<Crc32> crc32;  ///< of all their bytes
};

/// By the archive's header, packed or not. Throws Error(damaged) when it is not understood, Error(limit) when it claims
/// more members or unpacked bytes than are allowed: libarchive would take memory for them at once.
std::vector<FolderOf7z> folders_of_7z(ByteView archive, const Limits& limits);

}  // namespace hotstitch
