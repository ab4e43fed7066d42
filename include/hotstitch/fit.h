// SPDX-License-Identifier: MIT
// Does this patch fit this file?
#pragma once

#include <cstdint>
#include <vector>

#include "hotstitch/checks.h"
#include "hotstitch/export.h"
#include "hotstitch/limits.h"
#include "hotstitch/patch_reader.h"
#include "hotstitch/progress.h"
#include "hotstitch/stream.h"

namespace hotstitch {

enum class FitAnswer {
    fits,          ///< every check that was wanted is right, and there was at least one
    does_not_fit,  ///< a check is wrong
    /// The file is the target by its checks or, where there are none, already holds every byte the patch
    /// writes and has the target's size.
    already_patched,
    unknown,  ///< nothing to check by
};

struct Fit {
    FitAnswer answer = FitAnswer::unknown;
    Digests source;                          ///< what was computed; the size always
    std::vector<DigestMismatch> mismatches;  ///< why it does not fit
    /// How far past the source's end the first record that begins there begins, in bytes; 0: none does.
    std::uint64_t starts_past_end = 0;
    /// UPS: the file is the target, and the patch makes the source of it.
    bool reversed = false;
    /// Whether the patch writes nothing at all.
    bool changes_nothing = false;
};

/// A record that begins further past the source's end than this was likely made for a bigger file.
inline constexpr std::uint64_t far_past_end = 64 << 10;

/// `wanted`: checks from beside the patch; those in it are known. Reads the source once when there is
/// anything to check, otherwise only where the patch writes. Where only the windows of the target carry checks, they
/// are made, into nothing, up to the first that is wrong. Throws Error(io), Error(cancelled), and about what only shows
/// when windows are made, Error(damaged, truncated, limit).
HOTSTITCH_EXPORT Fit fit(const PatchReader& patch, const ByteSource& source, const Checks& wanted,
                         const Progress& progress = {}, const Limits& limits = {});

}  // namespace hotstitch
