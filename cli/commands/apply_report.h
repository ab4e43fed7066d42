// SPDX-License-Identifier: MIT
// What apply says of what it made.
#pragma once

#include "commands/common.h"
#include "hotstitch/apply.h"
#include "hotstitch/receipt.h"

namespace hotstitch::cli {

/// One patch on its way.
struct Stage {
    InputFile patch;
    std::unique_ptr<PatchReader> reader;
    std::optional<FoundChecks> found;
    ApplyReport made;
    std::optional<Reading> reading{};  ///< of the source, where only another one than as it is fits
    std::string why{};                 ///< that reading, where no check of the patch says so
    bool certain() const {
        return made.overridden.empty() && (made.target_checked || made.fit.answer == FitAnswer::fits);
    }
};

/// apply; with `renews`, over the output that this receipt belongs to.
void run_apply(const ApplyArguments& arguments, const Context& context, Report& report, const Receipt* renews);

void state_stage(const Stage& stage, bool first, bool last, Report& report);
void state_already_patched(Report& report);

/// The verdict over all stages; `place` is where the result is, `mended` whether its internal checks were put right.
void conclude_made(const std::vector<Stage>& stages, const std::string& place, bool mended, Report& report);

}  // namespace hotstitch::cli
