// SPDX-License-Identifier: MIT
// Files that a patched game looks for under its own name: sound tracks, cue sheets, numbered tracks.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace hotstitch::cli {

struct CompanionSet {
    std::string stem;               ///< what their names have in common, without a track's number
    std::filesystem::path example;  ///< one of them
    std::size_t files = 0;
};

/// The name that goes with this companion: its stem without a track's number ("Night Tides-3.pcm" -> "Night Tides").
std::string companion_stem(const std::filesystem::path& file);

/// Sets of two companions or more in the folder, by stem. Looks at the first 10,000 entries.
std::vector<CompanionSet> companions_in(const std::filesystem::path& folder);

}  // namespace hotstitch::cli
