// SPDX-License-Identifier: MIT
// Kelp Harbour on a disc: an ISO 9660 image with Joliet names, in plain or whole sectors, sound behind it. Built by
// code of its own, sector by sector and as the standards say it, so that tests may hold the library against it.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"

namespace demo {

using hotstitch::Bytes;
using hotstitch::ByteView;

struct DiscFile {
    std::string path;  ///< "DATA/UNITS.BIN": as both trees have it, the primary one with ";1"
    Bytes content;
};

struct DiscOptions {
    std::string volume = "KELP_HARBOUR";
    bool joliet = true;
    std::size_t padding = 0;  ///< empty sectors behind the last file, which the volume has
};

/// Files in the order given, each in sectors of its own behind the folders. A folder has at most 60 names.
Bytes disc(const std::vector<DiscFile>& files, const DiscOptions& options = {});

/// The game on its disc. Revision 1 has another table, a longer program and one film more.
std::vector<DiscFile> kelp_harbour_files(int revision);

/// In sectors of 2352 bytes. `mode`: 1, or 2 for form 1. `form2`: so many sectors at the end are of form 2.
Bytes in_sectors(ByteView plain, unsigned mode, std::size_t form2 = 0);

/// A few seconds of foghorn, 75 sectors of 2352 bytes each second.
Bytes sound(std::size_t seconds);

/// Of the data track in the first file and the sound in the second, or both in one; a file that is given no sectors of
/// data has the sound in a file of its own.
std::string cue_sheet(std::string_view file, unsigned mode, std::size_t data_sectors, std::string_view sound_file = {});

/// How many of a sector's 2 x 2 x (43 + 26) syndromes are not 0, each codeword summed up by itself, and whether the EDC
/// is wrong, bit by bit. Of mode 1, or of mode 2 form 1.
std::size_t wrong_codes(ByteView sector);

}  // namespace demo
