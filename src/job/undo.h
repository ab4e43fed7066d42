// SPDX-License-Identifier: MIT
// The ways back, one for each thing that leads there.
#pragma once

#include <functional>

#include "hotstitch/job.h"

namespace hotstitch {

/// By the receipt beside a file; `patch`: where the receipt names no way, one that goes backwards. Throws as undo().
UndoResult undo_by_receipt(const std::filesystem::path& file, const std::string& patch, const WorkOptions& work);

/// What the patch makes of the file backwards takes its place. `before_it_stands` is told its stamp. Returns where the
/// file was kept that it replaced, when that is not `proven` to be ours.
std::optional<std::filesystem::path> restore_by(const InputFile& made, bool proven, const InputFile& patch,
                                                const Digests& wanted, const WorkOptions& work,
                                                const std::function<void(const FileStamp&)>& before_it_stands);

}  // namespace hotstitch
