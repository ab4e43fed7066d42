// SPDX-License-Identifier: MIT
// A folder, such as a mounted disc, where an address asks for a file with parts.
#pragma once

#include <filesystem>
#include <memory>
#include <string>

#include "hotstitch/part.h"

namespace hotstitch {

/// Its files as parts, with those in the folders below. Throws Error(io).
std::unique_ptr<Container> open_folder(const std::filesystem::path& folder);

/// The file of this name in the folder; where there is none, the only one whose name differs in case or in a version.
/// Throws Error(usage) where there is none, or for a name that leads out of the folder.
std::filesystem::path file_in_folder(const std::filesystem::path& folder, const std::string& name);

}  // namespace hotstitch
