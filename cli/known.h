// SPDX-License-Identifier: MIT
// Lists of known files, as --known names them.
#pragma once

#include <optional>
#include <string>

#include "commands/commands.h"
#include "hotstitch/checks.h"
#include "hotstitch/file_io.h"

namespace hotstitch::cli {

/// The list in this file; nothing for an empty name. Throws Error(damaged), Error(io).
std::optional<KnownFiles> read_known(const std::string& name, const Context& context);

/// States by which name the list knows this file, as it is or as the console reads it, or that it does not.
void known_fact(Report& report, const std::optional<KnownFiles>& known, const ByteSource& file,
                const std::optional<Digests>& as_read, const Context& context);
void known_fact(Report& report, const std::optional<KnownFiles>& known, const Digests& digests);

/// States which file of the list has these digests: the one that a patch needs.
void needed_fact(Report& report, const std::optional<KnownFiles>& known, const Digests& wanted);

}  // namespace hotstitch::cli
