// SPDX-License-Identifier: MIT
// Source + target = patch, checked by applying it.
#pragma once

#include <string>

#include "hotstitch/bytes.h"
#include "hotstitch/change_list.h"
#include "hotstitch/effort.h"
#include "hotstitch/export.h"
#include "hotstitch/limits.h"
#include "hotstitch/patch.h"
#include "hotstitch/source.h"

namespace hotstitch {

struct CreateOptions {
    PatchFormat format = PatchFormat::bps;
    Effort effort = Effort::normal;
    /// BPS and VCDIFF: kept in the patch as it is.
    ByteView metadata{};
    VcdiffOptions vcdiff{};
    /// Threads that look for matches; 0: one for each processor. The patch is the same for any number.
    unsigned threads = 0;
    /// `memory` bounds the tables of the matcher: for larger files the index gets thinner, not larger.
    Limits limits{};
    Progress progress{};
};

/// What some old appliers of the format fail on.
struct PatchDemands {
    bool grows = false;        ///< writes past the source's end
    bool cuts = false;         ///< makes the file shorter
    bool past_16_mib = false;  ///< writes at or past offset 0x1000000
    bool any() const noexcept { return grows || cuts || past_16_mib; }
};

struct CreateReport {
    PatchFacts facts;  ///< of the patch, as read back
    PatchDemands demands;
    bool changes_nothing = false;  ///< source and target are the same
    MatchFacts matching{};
};

/// Writes the patch into `patch`, reads it back, applies it and compares the result with `target` before it
/// returns. REQUIRES that `patch` can give back what was written (ByteSink::written).
/// Throws Error(usage) when the format cannot hold the change (its hint names one that can), Error(io),
/// Error(limit), Error(cancelled).
HOTSTITCH_EXPORT CreateReport create(const ByteSource& source, const ByteSource& target, ByteSink& patch,
                                     const CreateOptions& options = {});

/// The patch of a change that is known piece by piece: nothing is matched. Otherwise the same; the target is held in
/// memory, within Limits::memory.
HOTSTITCH_EXPORT CreateReport create(const ByteSource& source, const ChangeList& changes, ByteSink& patch,
                                     const CreateOptions& options = {});

/// The same from and to memory.
HOTSTITCH_EXPORT Bytes create(ByteView source, ByteView target, const CreateOptions& options = {});

/// What a patch asks of an applier, for a source of this size.
HOTSTITCH_EXPORT PatchDemands demands_of(const PatchReader& patch, std::uint64_t source_size) noexcept;

// In words. Texts of the file come along as they are: `escaped` makes them fit for a terminal.

/// What some old appliers of the format fail on: "grows the file, writes past 16 MiB".
HOTSTITCH_EXPORT std::string words_for(const PatchDemands& demands);

}  // namespace hotstitch
