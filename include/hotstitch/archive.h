// SPDX-License-Identifier: MIT
// Looks into zip, 7z, rar and tar archives and into gz, xz, bz2 and zst files. Nothing is ever written under a
// member's name.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"
#include "hotstitch/limits.h"
#include "hotstitch/progress.h"
#include "hotstitch/stream.h"

namespace hotstitch {

struct ArchiveMember {
    std::string name;  ///< as it stands in the archive, unchecked; empty for what a gz, xz, bz2 or zst holds
    Bytes head;        ///< its first bytes, at most 512; none when it is encrypted
    bool encrypted = false;
    std::optional<std::uint64_t> size;  ///< as the archive states it, unchecked
};

/// The files in an archive, without folders. Throws Error(not_this_format) when it is none, Error(damaged),
/// Error(limit) past Limits::archive_members, Error(unsupported) in a build without libarchive.
HOTSTITCH_EXPORT std::vector<ArchiveMember> list_archive(ByteView archive, const Limits& limits = {},
                                                         const Progress& progress = {});

/// Unpacks the first member of this name into `out`. Throws Error(usage) when there is none,
/// Error(unsupported) when it is encrypted, Error(damaged) when its name is absolute or leads out of the
/// archive, Error(limit) when it passes Limits::archive_member_size or _ratio.
HOTSTITCH_EXPORT void extract_member(ByteView archive, std::string_view name, ByteSink& out, const Limits& limits = {},
                                     const Progress& progress = {});

}  // namespace hotstitch
