// SPDX-License-Identifier: MIT
// Formats that check the target window by window say only so whether a source is the right one.
#pragma once

#include "hotstitch/fit.h"

namespace hotstitch {

/// fit() without making any window. `also`: digests of the source that are computed whatever is checked.
Fit fit_by_sums(const PatchReader& patch, const ByteSource& source, const Checks& wanted, const Progress& progress,
                DigestChoice also = {.crc32 = false});

/// Makes the windows into nothing and compares each with its check: all of them, or up to the first wrong one. Throws
/// Error(damaged) when a window is wrong that owes nothing to the source, Error(limit) past the output budget.
WindowResults check_windows(const PatchReader& patch, const ByteSource& source, bool all, const Limits& limits,
                            const Progress& progress);

/// Whether every window carries a check and the file has those bytes: then it is the target. Decodes nothing.
bool holds_all_windows(const PatchReader& patch, const ByteSource& file);

/// The first wrong window, as a mismatch. REQUIRES that there is one.
DigestMismatch mismatch_of(const WindowResults& results);

}  // namespace hotstitch
