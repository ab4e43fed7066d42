// SPDX-License-Identifier: MIT
// Sources and patches that arrive in an archive.
#pragma once

#include "commands/commands.h"
#include "hotstitch/checks.h"
#include "hotstitch/file_io.h"
#include "hotstitch/patch_reader.h"

namespace hotstitch::cli {

bool is_archive(const InputFile& file);

/// "FILE:PART:PART" as the file and the rest. An existing file of the whole name wins; then the rest is empty.
std::pair<std::string, std::string> split_file(const std::string& name);

/// Opens "FILE", "-", or a part: "FILE:PART", "FILE:PART:PART".
InputFile open_or_unpack(const std::string& name, const Context& context);

/// A patch: when the file is an archive, the one patch in it; several or none are an error that names them.
/// States a readme found beside it.
InputFile open_patch_file(const std::string& name, const Context& context, Report& report);

/// The game file in the archive: the only one there or, of several, the first that the patch fits. Nothing when the
/// file is no archive or none of several fits.
std::optional<InputFile> source_inside(const InputFile& file, const PatchReader& patch, const Checks& checks,
                                       const Context& context);

/// The file itself or, when it is an archive that the patch does not fit, the game file inside, which is then said.
InputFile source_for(InputFile file, const PatchReader& patch, const Checks& checks, const Context& context,
                     Report& report);

/// The one file in the archive, without the texts and pictures beside it; nothing when it is no archive or holds
/// several.
std::optional<InputFile> only_member(const InputFile& file, const Context& context);

}  // namespace hotstitch::cli
