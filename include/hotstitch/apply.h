// SPDX-License-Identifier: MIT
// Source + patch = target, checked.
#pragma once

#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/checks.h"
#include "hotstitch/error.h"
#include "hotstitch/export.h"
#include "hotstitch/fit.h"
#include "hotstitch/limits.h"
#include "hotstitch/patch.h"
#include "hotstitch/source.h"

namespace hotstitch {

struct ApplyOptions {
    /// Sizes and checksums from beside the patch; empty ones check nothing.
    Checks checks{};
    /// Go on although the source, the result, or the patch is not what the checks want.
    bool allow_source = false, allow_target = false, allow_patch = false;
    /// Computed in the same passes, whatever is checked, for those who want to write them down.
    DigestChoice source_digests{.crc32 = false}, target_digests{.crc32 = false};
    /// Make the target also when the source already holds every change.
    bool make_when_already_patched = true;
    /// UPS: from the target, make the source. Of another file, or in another format, nothing is made otherwise.
    bool backwards = false;
    Limits limits{};
    Progress progress{};
};

struct ApplyReport {
    bool made = false;  ///< false: already patched, and the options say not to make it again
    Fit fit;
    Digests target;               ///< size and CRC-32 of what was made, and what the checks and the options name
    bool target_checked = false;  ///< there was something to compare the result with
    std::vector<DigestMismatch> overridden;  ///< wrong, and allowed by the options
};

/// A patch that is not the one its expected checksums were written for.
HOTSTITCH_EXPORT Error patch_is_another(const DigestMismatch& mismatch);

/// Writes the target into `target`. Nothing is written before the patch is read through and the source
/// checked; but where only the windows of the target carry checks, each is checked as it is made, so what `target` then
/// holds is void when this throws. Throws Error(not_this_format, damaged, truncated, unsupported, limit) about the
/// patch, Error(wrong_source), Error(wrong_target), Error(io), Error(cancelled).
HOTSTITCH_EXPORT ApplyReport apply(const ByteSource& patch, const ByteSource& source, ByteSink& target,
                                   const ApplyOptions& options = {});

/// The same with a patch that is open already; whether it is the one that the checks were written for is not looked at.
HOTSTITCH_EXPORT ApplyReport apply(const PatchReader& patch, const ByteSource& source, ByteSink& target,
                                   const ApplyOptions& options = {});

struct AppliedInMemory {
    Bytes target;
    ApplyReport report;
};
/// The same from and to memory, under a name of its own: std::apply would be found for such arguments, too.
HOTSTITCH_EXPORT AppliedInMemory apply_in_memory(ByteView patch, ByteView source, const ApplyOptions& options = {});

/// Applies into nothing and compares with `target` on the way.
/// Returns whether it is what the patch makes; `first_difference` is the target's offset where not.
struct TargetComparison {
    bool same = false;
    std::uint64_t made_size = 0, first_difference = 0;
};
HOTSTITCH_EXPORT TargetComparison compare_with_target(const PatchReader& patch, const ByteSource& source,
                                                      const ByteSource& target, const Limits& limits = {},
                                                      const Progress& progress = {});

/// Whether a file is what a patch makes, without its source.
struct TargetChecks {
    enum class By {
        nothing,  ///< no check tells: it cannot be known
        checksums,
        windows,  ///< each window of the patch carries a check
    } by = By::nothing;
    bool same = false;
    std::vector<DigestMismatch> mismatches;  ///< by checksums only
};

/// By the patch's own checksums or those in `checks`; where there are none, by those of its windows. Throws
/// Error(damaged, io, cancelled).
HOTSTITCH_EXPORT TargetChecks check_target(const PatchReader& patch, const ByteSource& target, const Checks& checks,
                                           const Limits& limits = {}, const Progress& progress = {});

}  // namespace hotstitch
