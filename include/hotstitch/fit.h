// SPDX-License-Identifier: MIT
// Does this patch fit this file?
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/checks.h"
#include "hotstitch/export.h"
#include "hotstitch/limits.h"
#include "hotstitch/patch.h"
#include "hotstitch/source.h"

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

// Why does this patch not fit this file? Start with fit(); this is for when it says no.

/// One thing that is known about the misfit, the most telling first.
struct Reason {
    std::string_view code;  ///< stable, for programs: "front-header", "other-size", …; listed in docs/diagnosis.md
    std::string text;       ///< for people, a whole sentence without its full stop
};

struct Diagnosis {
    std::vector<Reason> reasons;     ///< never empty
    std::optional<Representation> reading;  ///< the one reading that passes every check
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
HOTSTITCH_EXPORT Diagnosis diagnose(const PatchReader& patch, const ByteSource& file,
                                    const DiagnoseOptions& options = {});
inline Diagnosis diagnose(const PatchReader& patch, ByteView file, const DiagnoseOptions& options = {}) {
    return diagnose(patch, MemorySource(file), options);
}

// Patches without checks say nothing of the file they were made for, but what they would make of it does.

/// The patch was made for the cartridge image in another dress: without its front header, or with one.
struct HeaderOpinion {
    Representation reading;
    bool sure = false;  ///< internal checks come out right only so
    std::string why;    ///< for people: "the checksum comes out right only so"
};

/// Makes the target in memory both ways and compares what the platform's recogniser says of them, where the patch
/// reaches, and how many of its bytes the file holds already. Nothing, where the file is no cartridge image of up to 64
/// MiB, or where nothing speaks for another reading than the file as it is. Throws what reading the patch throws.
HOTSTITCH_EXPORT std::optional<HeaderOpinion> opinion_on_header(const PatchReader& patch, const ByteSource& file,
                                                                const Limits& limits = {});
inline std::optional<HeaderOpinion> opinion_on_header(const PatchReader& patch, ByteView file,
                                                      const Limits& limits = {}) {
    return opinion_on_header(patch, MemorySource(file), limits);
}

}  // namespace hotstitch
