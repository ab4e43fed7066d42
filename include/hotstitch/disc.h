// SPDX-License-Identifier: MIT
// Disc images beyond what all files have: the checks of their sectors, and cue sheets. docs/formats/discs.md.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "hotstitch/change_list.h"
#include "hotstitch/export.h"
#include "hotstitch/limits.h"
#include "hotstitch/source.h"

namespace hotstitch {

/// How many sectors of a data track there are of each sort, and in how many the error detection and correction codes
/// are not what they should be.
struct SectorCheck {
    std::uint64_t mode1 = 0, form1 = 0, form2 = 0, other = 0;
    std::uint64_t wrong = 0;
    std::uint64_t first_wrong = 0;  ///< number of the first wrong one, where there is one
};

/// Reads all sectors of an image in whole sectors (2352, 2448 or 2336 bytes). Nothing: the file is none. Throws
/// Error(io, cancelled).
HOTSTITCH_EXPORT std::optional<SectorCheck> check_sectors(const ByteSource& file, const Progress& progress = {});

/// The user data of a data track in whole sectors, as a source that computes it; the track itself where it holds
/// nothing else. Throws Error(io).
HOTSTITCH_EXPORT SharedSource user_data_of(const SharedSource& track);

/// The change that gives a data track in whole sectors other user data, of any whole number of sectors: only the
/// sectors that differ get EDC and ECC anew. A plain track becomes `user`. Throws Error(unsupported, io).
HOTSTITCH_EXPORT ChangeList with_user_data(const SharedSource& track, const SharedSource& user);

/// What a copy of a disc with a table of files, or with encrypted partitions, has of it.
struct CopyState {
    std::uint64_t full = 0;      ///< bytes of a full disc of its kind
    std::uint64_t used_end = 0;  ///< where its last file or partition ends
    /// Bytes of unused areas, and of partitions, that were looked at, and how many of them lie in clusters of zeros. A
    /// full copy has other bytes there.
    std::uint64_t unused = 0, unused_zeros = 0;
    bool is_scrubbed() const noexcept { return unused_zeros >= (1 << 20) / 32 && unused_zeros > unused / 4; }
};

/// Looks at one cluster of each MiB. Nothing: the file is no such disc. Throws Error(damaged, limit, io).
HOTSTITCH_EXPORT std::optional<CopyState> copy_state(const ByteSource& file);

/// A disc with a table of files, laid out anew from files by their paths: below "sys/" the header, the loader, the main
/// program and perhaps the old table of files, which gives the order; below "files/" all others. In "sys/", what a file
/// is shows in its content, not in its name. `total`: bytes of the disc; 0: up to its last file. Throws Error(usage)
/// where something is missing or does not fit.
HOTSTITCH_EXPORT SharedSource disc_from_files(const std::vector<std::pair<std::string, SharedSource>>& files,
                                              std::uint64_t total = 0);

struct CueTrack {
    unsigned number = 0;
    std::string mode;                       ///< "MODE1/2352", "MODE2/2336", "AUDIO", …, as it stands there
    std::size_t file = 0;                   ///< index in CueSheet::files
    std::optional<std::uint64_t> pregap{};  ///< INDEX 00: frames (sectors) from the file's begin
    std::uint64_t begin = 0;                ///< INDEX 01: the same
    std::uint64_t silent = 0;               ///< PREGAP: frames that no file holds
    bool is_data() const noexcept { return mode.starts_with("MODE"); }
    /// Bytes a sector takes in the file.
    HOTSTITCH_EXPORT std::uint64_t sector_size() const noexcept;
};

/// A sheet that says which tracks a disc has, and in which files they lie.
struct CueSheet {
    std::vector<std::string> files;  ///< as the sheet names them, unchecked
    std::vector<CueTrack> tracks;    ///< in the order of the sheet
    /// The only data track; nothing: there is none, or several.
    HOTSTITCH_EXPORT const CueTrack* data_track() const noexcept;
};

/// Whether a text has lines of a cue sheet: FILE and TRACK. Looks at 64 KiB.
HOTSTITCH_EXPORT bool is_cue_sheet(std::string_view text) noexcept;

/// Throws Error(damaged) with the line that is wrong, Error(limit) for a sheet of more than 1 MiB.
HOTSTITCH_EXPORT CueSheet read_cue_sheet(std::string_view text);

/// The sheet's text with the name of one file another, everything else as it is. REQUIRES file < files.size().
HOTSTITCH_EXPORT std::string cue_sheet_with(std::string_view text, std::size_t file, std::string_view name);

/// Bytes of a track in its file: from its INDEX 01, or with `pregap` from its INDEX 00, to where the next one begins.
/// `file_size`: of the file it lies in. Throws Error(damaged) where it lies outside.
HOTSTITCH_EXPORT ByteRange range_of(const CueSheet& sheet, const CueTrack& track, std::uint64_t file_size,
                                    bool pregap = false);

}  // namespace hotstitch
