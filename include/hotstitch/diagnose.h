// SPDX-License-Identifier: MIT
// Why does this patch not fit this file? Start with fit(); this is for when it says no.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/checks.h"
#include "hotstitch/export.h"
#include "hotstitch/limits.h"
#include "hotstitch/patch_reader.h"
#include "hotstitch/progress.h"
#include "hotstitch/reading.h"

namespace hotstitch {

/// One thing that is known about the misfit, the most telling first.
struct Reason {
    std::string_view code;  ///< stable, for programs: "front-header", "other-size", …; listed in docs/diagnosis.md
    std::string text;       ///< for people, a whole sentence without its full stop
};

struct Diagnosis {
    std::vector<Reason> reasons;     ///< never empty
    std::optional<Reading> reading;  ///< the one reading that passes every check
    std::string next;                ///< what to do
};

/// Another patch at hand. The file may need it first, or may have it already.
struct OtherPatch {
    std::string name;  ///< as the reasons call it
    const PatchReader* patch;
};

struct DiagnoseOptions {
    Checks checks{};                   ///< from beside the patch; those in it are known
    std::vector<OtherPatch> others{};  ///< those without checksums are applied into nothing to see what they make
    Limits limits{};
    Progress progress{};
};

/// Readings and other patches are tried only where the sizes allow them, each with one pass. Throws Error(io),
/// Error(cancelled).
HOTSTITCH_EXPORT Diagnosis diagnose(const PatchReader& patch, ByteView file, const DiagnoseOptions& options = {});

}  // namespace hotstitch
