// SPDX-License-Identifier: MIT
// UDF beside ISO 9660: where the same files are described a second time, and how such a description follows a change.
// docs/formats/discs.md "UDF beside it". ECMA-167 numbers sections.
#pragma once

#include <map>
#include <optional>

#include "hotstitch/change_list.h"
#include "part/disc/volume.h"

namespace hotstitch::disc {

struct UdfFiles {
    std::uint64_t partition = 0;                       ///< first sector
    std::vector<std::uint64_t> partition_descriptors;  ///< sectors of them, main and reserve
    std::uint64_t partition_length = 0;                ///< sectors
    std::multimap<std::uint64_t, std::uint64_t>
        by_extent;          ///< first sector of a file's data → sector of its file entry
    std::uint64_t end = 0;  ///< sector behind the last descriptor that is known
};

/// Nothing where the descriptors are not what is written here: several partitions, virtual ones. Throws Error(io).
std::optional<UdfFiles> read_udf(const ByteSource& user);

/// The file entry at `sector` with one extent of data from `extent` on, `size` bytes. Nothing where it has no room for
/// that, or holds its data itself.
std::optional<Bytes> udf_entry_with(const ByteSource& user, const UdfFiles& udf, std::uint64_t sector,
                                    std::uint64_t extent, std::uint64_t size);

/// Whether the image ends with an anchor, as one that a drive has written does.
bool ends_with_anchor(const ByteSource& user);
/// The anchor as it stands at sector 256, for another sector.
Bytes udf_anchor_for(const ByteSource& user, std::uint64_t sector);

/// The partition descriptor at `sector` with so many sectors.
Bytes udf_partition_with(const ByteSource& user, std::uint64_t sector, std::uint64_t length);

}  // namespace hotstitch::disc
