// SPDX-License-Identifier: MIT
// Sources and patches that arrive in an archive.
#pragma once

#include "commands/commands.h"
#include "hotstitch/file_io.h"

namespace hotstitch::cli {

/// Opens "FILE", "-", or "ARCHIVE:MEMBER".
InputFile open_or_unpack(const std::string& name, const Context& context);

/// A patch: when the file is an archive, the one patch in it; several or none are an error that names them.
/// States a readme found beside it.
InputFile open_patch_file(const std::string& name, const Context& context, Report& report);

/// The one game file in the archive, or nothing when the file is no archive or holds several.
std::optional<InputFile> unpacked_source(const InputFile& file, const Context& context);

}  // namespace hotstitch::cli
