// SPDX-License-Identifier: MIT
// The checksums of whole folders in a 7z: a folder is what was packed together, one file or several. libarchive checks
// those of single files; where a checksum stands with the folder alone, it does not look.
#pragma once

#include <optional>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/digest.h"

namespace hotstitch {

struct FolderOf7z {
    std::uint64_t files = 0;     ///< that are not empty, in the order of the archive
    std::optional<Crc32> crc32;  ///< of all their bytes
};

/// By the archive's header, packed or not. Empty when the header is not understood: then nothing is known of folders.
/// Throws Error(limit) for a packed header that claims to be larger than 16 MiB.
std::vector<FolderOf7z> folders_of_7z(ByteView archive);

}  // namespace hotstitch
