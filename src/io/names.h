// SPDX-License-Identifier: MIT
// Names beside an output: where it really lies, temporary files, backups; and what a killed process left of them.
#pragma once

#include <sys/stat.h>

#include <filesystem>
#include <optional>
#include <vector>

#include "hotstitch/file_io.h"
#include "io/descriptor.h"

namespace hotstitch {

/// Absolute, with every link followed, also where the last part does not exist yet. Throws Error(io).
std::filesystem::path resolved(const std::filesystem::path& path);

FileStamp stamp_from(const struct stat& info) noexcept;

/// Throws Error(usage) when the file system takes no name so long; `what` is for the message ("the backup").
void refuse_long_name(const std::filesystem::path& path, std::string_view what, std::string_view hint);

/// A new, locked file ".NAME.XXXXXX.hotstitch-tmp" beside `path`, whose name goes to `temporary`. Throws Error(io).
Descriptor open_temporary(const std::filesystem::path& path, std::filesystem::path& temporary);

/// The same, under the one name that an output has: who holds it, makes the output. Throws Error(io) where another
/// process does. Of a name that is too long to be told from others in it, any temporary file.
Descriptor open_only_temporary(const std::filesystem::path& path, std::filesystem::path& temporary);

/// The same, a folder.
Descriptor open_temporary_folder(const std::filesystem::path& path, std::filesystem::path& temporary);

/// The name ".NAME.MARK.swap.hotstitch" beside `path` under which `fresh` changes places with it; the mark is made of
/// its inode and when it was written. Whoever comes after a kill knows by it which of the two is there: the new one
/// goes; the old one goes back into its place or, where that is taken, becomes a backup. Throws Error(io).
std::filesystem::path swap_name(const std::filesystem::path& path, const std::filesystem::path& fresh);

/// The file or folder gets the dated name of a backup, which nobody else has, and which is returned. Throws Error(io).
std::filesystem::path rename_to_backup(const std::filesystem::path& path, const std::filesystem::path& as = {});

/// Gives `file` a second, dated name that nobody else has, and returns it. Copies where the file system knows no second
/// names. One that a killed process has left is taken up. The name is a backup's of `file` or, where given, of `as`.
/// Throws Error(io).
std::filesystem::path make_backup(const std::filesystem::path& file, const std::filesystem::path& as = {});

/// The name that a backup of it would get now.
std::filesystem::path free_backup_name(const std::filesystem::path& file);

/// As long as any backup's name gets.
std::filesystem::path longest_backup_name(const std::filesystem::path& file);

/// Whether two files hold the very same. Throws Error(io).
bool same_bytes(const std::filesystem::path& a, const std::filesystem::path& b);

/// Renames and refuses to replace. False with errno set.
bool rename_to_new(const std::filesystem::path& from, const std::filesystem::path& to) noexcept;

/// Flushes the folder's list of names.
void sync_folder(const std::filesystem::path& folder) noexcept;

/// The folder and those above it that were missing, made; the outermost first. Throws Error(io) and leaves none.
std::vector<std::filesystem::path> make_folders(const std::filesystem::path& folder);
/// When an output is done with its folder: what make_folders() made of it and above stays when the output stands, and
/// goes, where empty, when not. Several outputs may share one; the last of them takes it away.
void settle_folders(const std::filesystem::path& folder, bool stands) noexcept;

}  // namespace hotstitch
