// SPDX-License-Identifier: MIT
// Regular files in folders. What cannot be looked at, such as a link in a circle, is passed over.
#pragma once

#include <filesystem>
#include <vector>

namespace hotstitch::cli {

/// Sorted by path.
std::vector<std::filesystem::path> files_in(const std::filesystem::path& folder);
/// With everything in the folders below, links to folders not followed.
std::vector<std::filesystem::path> files_below(const std::filesystem::path& folder);

}  // namespace hotstitch::cli
