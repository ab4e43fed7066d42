// SPDX-License-Identifier: MIT
// Why does this patch not fit this file? Start with fit(); this is for when it says no.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/checks.h"
#include "hotstitch/export.h"
#include "hotstitch/limits.h"
#include "hotstitch/patch_reader.h"
#include "hotstitch/progress.h"
#include "hotstitch/stream.h"

namespace hotstitch {

/// A file can be the right one in another dress. The harmless kinds lose nothing and may be used unasked.
enum class ReadingKind {
    without_front_header,  ///< its first `bytes` bytes taken off; harmless
    with_front_header,     ///< `bytes` bytes of 00 put in front; harmless
    pairs_swapped,         ///< each two bytes exchanged; harmless
    words_reversed,        ///< each four bytes reversed; harmless
    halves_swapped,        ///< each four bytes' halves exchanged; harmless
    without_padding,       ///< its last `bytes` bytes, all `fill`, taken off
    with_padding,          ///< `bytes` bytes of `fill` put behind
    line_ends_restored,    ///< 0D 0A turned back into 0A, as a transfer in text mode had changed it
};

struct Reading {
    ReadingKind kind{};
    std::uint64_t bytes = 0;
    std::byte fill{};
    bool harmless() const noexcept { return kind <= ReadingKind::halves_swapped; }
};

/// For people: "without its front header of 512 bytes".
HOTSTITCH_EXPORT std::string words_for(const Reading& reading);

/// The file so read. Keeps a view of `file`.
HOTSTITCH_EXPORT std::unique_ptr<ByteSource> read_as(ByteView file, const Reading& reading);

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
