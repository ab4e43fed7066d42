// SPDX-License-Identifier: MIT
// Putting a rewritten file into its place, by the same rules as what apply makes: nothing is replaced unasked, and
// there is a way back.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "commands/commands.h"
#include "hotstitch/change_list.h"
#include "hotstitch/file_io.h"

namespace hotstitch::cli {

/// Throws Error(usage) when the call does not say exactly one of -o, --in-place and --patch, or asks to replace what
/// cannot be.
void check_rewrite(const RewriteArguments& arguments, const std::string& file, const InputFile& source);

struct Rewrite {
    std::vector<std::string> what;  ///< was done, for the receipt
    /// What is taken off and kept in a file of its own, which appears together with the output; empty: nothing.
    std::filesystem::path aside = {};
    ByteView aside_bytes = {};
};

/// Writes `source` as the change makes it, with a receipt, or the change as a patch. States output, backup and receipt.
/// Returns where it went, for people; nothing, and the verdict is given, when the output stood there already.
std::optional<std::string> write_rewritten(const InputFile& source, const ChangeList& change, const Rewrite& rewrite,
                                           const RewriteArguments& arguments, const Context& context, Report& report);

/// Where nothing is to be changed: the file as it is goes to a named output all the same, so that a chain of calls goes
/// on. Gives the verdict; `why` is its first sentence.
void pass_on_unchanged(const InputFile& source, const std::string& answer, const std::string& why,
                       const RewriteArguments& arguments, const Context& context, Report& report);

}  // namespace hotstitch::cli
