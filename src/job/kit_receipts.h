// SPDX-License-Identifier: MIT
// What kits made, by its receipt: is it still so, and away with it.
#pragma once

#include <filesystem>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "hotstitch/job.h"
#include "hotstitch/receipt.h"

namespace hotstitch {

/// "OUTPUT.renewal.hotstitch": while what was changed in place is changed anew by a newer kit, its receipt.
std::filesystem::path renewal_path(const std::filesystem::path& output);

/// It is done, or undone.
void forget_renewal(const std::filesystem::path& output);

/// Whether the identity of what stands there shows that it was put there.
bool is_proven(const ReceiptKits::Output& output, const std::filesystem::path& path);
/// Whether a path lies below a folder.
bool is_inside(const std::filesystem::path& path, const std::filesystem::path& folder);

/// Whether an output that stands at this path is what was made. Throws Error(cancelled).
bool is_as_made(const ReceiptKits::Output& output, const std::filesystem::path& path, const WorkOptions& work);

/// What kits made before and is not among `now`, their receipt too: removed, as far as it still is what was made.
void remove_former(const Receipt& receipt, const std::filesystem::path& folder,
                   const std::set<std::filesystem::path>& now, const WorkOptions& work);

/// undo(), without an end to a renewal of which it is a part.
UndoResult undo_last(const std::filesystem::path& file, const std::string& patch, const WorkOptions& work);

/// Everything that kits made, removed. `folder`: that the receipt lies in. Throws Error(wrong_target) where something
/// is another by now, Error(wrong_source) where a base is gone; nothing was touched then.
UndoResult undo_kits(const std::filesystem::path& file, const Receipt& receipt, const WorkOptions& work);

}  // namespace hotstitch
