// SPDX-License-Identifier: MIT
// What mend, header and put share: where the rewritten file goes, and what is said of it.
#pragma once

#include <optional>
#include <string>

#include "commands/commands.h"
#include "hotstitch/jobs.h"
#include "hotstitch/tell.h"
#include "rewriting.h"

namespace hotstitch::cli {

/// Throws Error(usage) when the call does not say exactly one of -o, --in-place and --patch.
RewriteRequest rewrite_request(const RewriteArguments& arguments, const InputFile& source);

/// Writes the file, or the patch, and states output, backup and receipt. Returns where it went, for people; nothing,
/// and the verdict is given, when the output stood there already.
std::optional<std::string> write_rewritten(const InputFile& source, const ChangeList& change,
                                           const RewriteRequest& request, const Context& context, Report& report);

/// Where nothing is to be changed: the file as it is goes to a named output all the same, so that a chain of calls goes
/// on. Gives the verdict; `why` is its first sentence.
void pass_on_unchanged(const InputFile& source, const std::string& answer, const std::string& why,
                       const RewriteArguments& arguments, const Context& context, Report& report);

}  // namespace hotstitch::cli
