// SPDX-License-Identifier: MIT
// The same change in another patch format, and what several changes to one source have in common.
#pragma once

#include <cstdint>
#include <vector>

#include "hotstitch/apply.h"
#include "hotstitch/create.h"
#include "hotstitch/export.h"
#include "hotstitch/summary.h"

namespace hotstitch {

struct RecastReport {
    ApplyReport applied;        ///< the old patch on the source
    CreateReport created;       ///< the new patch
    bool metadata_kept = true;  ///< false: the old patch has metadata and the new format no place for it
};

/// Applies `patch` to `source`, into an unnamed temporary file, and writes the difference into `recast`
/// in `format`, checked like any created patch. Throws what apply and create throw.
HOTSTITCH_EXPORT RecastReport recast(const ByteSource& patch, const ByteSource& source, PatchFormat format,
                                     ByteSink& recast, const ApplyOptions& options = {});

/// Every stretch of the target that is not copied from the same offset of the source, in order, merged.
/// Takes 16 bytes a stretch; throws Error(limit) past Limits::memory.
HOTSTITCH_EXPORT std::vector<ByteRange> written_ranges(const PatchReader& patch, std::uint64_t source_size,
                                                       const Limits& limits = {});

struct OverlapRange {
    std::uint64_t offset = 0, length = 0;
    bool agree = true;  ///< both targets hold the same bytes there
};

struct Overlap {
    std::uint64_t ranges = 0, bytes = 0;  ///< written by both
    std::uint64_t differing_ranges = 0;   ///< of those, where the targets differ: the order matters
    bool sizes_differ = false;            ///< both change the size, to different ones
    std::vector<OverlapRange> first;      ///< the first `most`, those that differ before those that agree
    bool order_matters() const noexcept { return differing_ranges != 0 || sizes_differ; }
};

/// `a` and `b`: written_ranges of two patches for one source of this size, and what they make of it.
HOTSTITCH_EXPORT Overlap overlap(const std::vector<ByteRange>& a, const ByteSource& target_a,
                                 const std::vector<ByteRange>& b, const ByteSource& target_b, std::uint64_t source_size,
                                 std::size_t most = 16);

}  // namespace hotstitch
