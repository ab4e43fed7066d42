// SPDX-License-Identifier: MIT
// Who holds what: files, folders and temporary files are locked as long as somebody works on them.
#pragma once

#include <sys/stat.h>

#include <filesystem>

#include "hotstitch/error.h"
#include "io/descriptor.h"

namespace hotstitch {

/// Whether the path still names what the descriptor has open.
bool is_still_named(int descriptor, const std::filesystem::path& path);

/// That somebody else is at it; who, where `info` is that of what is locked.
Error in_use(const std::filesystem::path& path, const struct stat* info);

/// Holds the advisory lock of the file that stands at `path`, so that other processes of this library keep off it.
/// Empty where there is no file or it cannot be opened. Throws Error(io), saying who holds the lock already.
Descriptor lock_file(const std::filesystem::path& path);

/// The same of a folder, which has to be there and be no link. Throws Error(io, refused).
Descriptor lock_folder(const std::filesystem::path& path);

}  // namespace hotstitch
