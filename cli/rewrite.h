// SPDX-License-Identifier: MIT
// Putting a rewritten file into its place, by the same rules as what apply makes: nothing is replaced unasked, and
// there is a way back.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "commands/commands.h"
#include "hotstitch/file_io.h"

namespace hotstitch::cli {

/// Throws Error(usage) when the call says neither or both of -o and --in-place, or asks to replace what cannot be.
void check_rewrite(const RewriteArguments& arguments, const std::string& file, const InputFile& source);

struct Rewrite {
    std::vector<std::string> what;  ///< was done, for the receipt
    /// What is taken off and kept in a file of its own, which appears together with the output; empty: nothing.
    std::filesystem::path aside = {};
    ByteView aside_bytes = {};
};

/// Writes `parts`, one after the other, as the new content of `source`, with a receipt.
/// States output, backup and receipt. Returns where it went, for people; nothing, and the verdict is given, when the
/// output stood there already.
std::optional<std::string> write_rewritten(const InputFile& source, std::span<const ByteView> parts, const Rewrite& rewrite,
                            const RewriteArguments& arguments, const Context& context, Report& report);

}  // namespace hotstitch::cli
