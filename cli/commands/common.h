// SPDX-License-Identifier: MIT
// What the commands share.
#pragma once

#include <unistd.h>

#include <optional>

#include "commands/commands.h"
#include "hotstitch/checks.h"
#include "hotstitch/create.h"
#include "hotstitch/delivery.h"
#include "hotstitch/file_io.h"
#include "hotstitch/fit.h"
#include "hotstitch/part_jobs.h"
#include "hotstitch/patch_jobs.h"
#include "hotstitch/summary.h"

namespace hotstitch::cli {

/// Opens a file, or standard input for "-".
InputFile open_input(const std::string& name, const Limits& limits, const Progress& progress);

/// Keys and maps that were named, for a call that needs them again: " --map kelp.map.toml".
std::string what_opened_it(const Common& common);

/// How a part went in, for people.
std::string words_for_put(const PutReport& step);

/// Calls `make(sink)` with temporary storage that then goes to standard output where the output is "-", else `make()`.
template <class Make>
auto through_stream(const std::string& output, const Context& context, const Make& make) {
    if (output != "-") return make();
    ScratchFile scratch;
    auto made = make(scratch);
    scratch.copy_to(STDOUT_FILENO, context.progress);
    return made;
}

}  // namespace hotstitch::cli
