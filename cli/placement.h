// SPDX-License-Identifier: MIT
// Where output goes when not told, and what may not be overwritten.
#pragma once

#include <filesystem>
#include <vector>

#include "arguments.h"
#include "hotstitch/file_io.h"

namespace hotstitch::cli {

/// Joins what was typed with the default: nothing -> the default; a folder (or a path ending in /) -> the
/// default's name in it; anything else as typed.
std::filesystem::path output_path(const std::string& typed, const std::filesystem::path& fallback);

/// apply: beside a ROM or disc image, named after the patch; for executables and other data files in
/// `patched/` beside the source, with the source's own name, because programs look for exactly that name.
std::filesystem::path default_apply_output(const InputFile& source, const std::filesystem::path& patch);

/// The same path with another extension.
std::filesystem::path with_extension(std::filesystem::path path, std::string_view extension);

/// Throws Error(usage) when the output is one of the inputs.
void refuse_inputs(const std::filesystem::path& output, const std::vector<const InputFile*>& inputs,
                   std::string_view hint);

/// In place, replacing is what was asked for.
Replace replace_mode(const OutputArguments& output, bool in_place = false);

}  // namespace hotstitch::cli
