// SPDX-License-Identifier: MIT
// What a receipt says was made: is it still so, is it proven to be ours, and away with it.
#pragma once

#include <filesystem>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "hotstitch/job.h"
#include "hotstitch/receipt.h"

namespace hotstitch {

/// Whether the identity of what stands there shows that it was put there.
bool is_proven(const ReceiptOutput& output, const std::filesystem::path& path);
/// Whether a path lies below a folder.
bool is_inside(const std::filesystem::path& path, const std::filesystem::path& folder);

/// Where an output is that a receipt tells of, whose file is `first`; which may have been renamed, receipt and all.
std::filesystem::path path_of(const ReceiptOutput& output, const Receipt& receipt, const std::filesystem::path& first);

/// What of an output at this path is no longer as it was made, for people. Throws Error(cancelled).
std::vector<std::string> differing(const ReceiptOutput& output, const std::filesystem::path& path,
                                   const WorkOptions& work);

/// What is replaced, as a receipt keeps it: a file, or a folder by its list. `backup`: the name that it has or will
/// get.
ReceiptFile replaced_in_receipt(const std::filesystem::path& path, const std::filesystem::path& backup, bool digests,
                                const Progress& progress);
/// Whether something that was replaced is at this path as it was.
bool is_as_replaced(const ReceiptOutput& output, const std::filesystem::path& path, const Progress& progress);

/// What outputs go on with that take the place of others: what those had replaced, and the receipts of it.
void go_on_from(Receipt& receipt, const Receipt& present);

/// What a receipt says was made and is not among `now`, the receipt too: removed, as far as it still is what was made.
void remove_former(const Receipt& receipt, const std::filesystem::path& folder,
                   const std::set<std::filesystem::path>& now, const WorkOptions& work);

/// Of the folders that were made for the outputs, those in which nothing is left; the player's own stay, and those that
/// `now` lies in.
void remove_made_folders(const Receipt& receipt, const std::filesystem::path& folder,
                         const std::set<std::filesystem::path>& now = {});

/// undo(), without an end to a renewal of which it is a part.
UndoResult undo_last(const std::filesystem::path& file, const std::string& patch, const WorkOptions& work);

/// "OUTPUT.renewal.hotstitch": while what was changed in place is changed anew by a newer kit, its receipt.
std::filesystem::path renewal_path(const std::filesystem::path& output);
/// It is done, or undone.
void forget_renewal(const std::filesystem::path& output);

}  // namespace hotstitch
