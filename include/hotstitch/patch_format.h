// SPDX-License-Identifier: MIT
// The patch formats and how to tell them apart.
#pragma once

#include <optional>
#include <span>
#include <string_view>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"

namespace hotstitch {

enum class PatchFormat { ips, ips32, ups, bps, vcdiff };

/// One row of the format table.
struct FormatTraits {
    PatchFormat id;
    std::string_view name;                         ///< as in --format: "ips"
    std::string_view title;                        ///< for people: "IPS"
    std::string_view extension;                    ///< with its dot: ".ips"
    std::string_view other_name, other_extension;  ///< understood too; empty where there is none
    std::string_view magic;                        ///< the bytes a patch starts with
    bool has_checks;                               ///< carries checksums of source and target
    bool reversible;                               ///< a patch also makes the source of the target
    bool has_metadata;                             ///< has a place for text of the maker's own
    bool by_extension;                             ///< chosen by the extension of the output when no format is named
    bool has_windows;                              ///< makes the target in windows, with checks of their own
    std::string_view record, records;              ///< what its pieces are called: "record", "records"
    /// The format to take where this one, chosen by its extension, cannot reach far enough; itself: none.
    PatchFormat larger;
};

/// All formats, in the order of docs/formats/.
HOTSTITCH_EXPORT std::span<const FormatTraits> patch_formats() noexcept;
HOTSTITCH_EXPORT const FormatTraits& traits_of(PatchFormat format) noexcept;
HOTSTITCH_EXPORT std::optional<PatchFormat> format_by_name(std::string_view name) noexcept;
/// `extension` with its dot, in any case.
HOTSTITCH_EXPORT std::optional<PatchFormat> format_by_extension(std::string_view extension) noexcept;

/// Tells a patch by its first bytes (8 are enough); never looks at names.
HOTSTITCH_EXPORT std::optional<PatchFormat> recognise_patch(ByteView head) noexcept;

}  // namespace hotstitch
