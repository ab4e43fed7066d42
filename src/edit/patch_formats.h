// SPDX-License-Identifier: MIT
// The formats by name, extension and first bytes: what a file is may be told below their readers and writers.
#pragma once

#include <array>

#include "hotstitch/patch.h"

namespace hotstitch {

// id, name, title, extension; other name, other extension; magic, has checks, reversible, has metadata, chosen by
// extension, has windows, moves; record, records; larger
inline constexpr std::array patch_format_rows{
    FormatTraits{PatchFormat::ips, "ips", "IPS", ".ips", "", "", "PATCH", false, false, false, true, false, false,
                 "record", "records", PatchFormat::ips32},
    FormatTraits{PatchFormat::ips32, "ips32", "IPS32", ".ips", "", "", "IPS32", false, false, false, false, false,
                 false, "record", "records", PatchFormat::ips32},
    FormatTraits{PatchFormat::ups, "ups", "UPS", ".ups", "", "", "UPS1", true, true, false, true, false, false, "hunk",
                 "hunks", PatchFormat::ups},
    FormatTraits{PatchFormat::bps, "bps", "BPS", ".bps", "", "", "BPS1", true, false, true, true, false, true, "action",
                 "actions", PatchFormat::bps},
    FormatTraits{PatchFormat::vcdiff, "vcdiff", "VCDIFF", ".xdelta", "xdelta", ".vcdiff", "\xD6\xC3\xC4", false, false,
                 true, true, true, true, "window", "windows", PatchFormat::vcdiff},
    FormatTraits{PatchFormat::edits, "edits", "edit list", ".edits", "", "", "hotstitch-edits", false, false, false,
                 true, false, true, "edit", "edits", PatchFormat::edits},
};

constexpr const FormatTraits& row_of(PatchFormat format) noexcept {
    std::size_t at = 0;
    while (patch_format_rows[at].id != format) ++at;
    return patch_format_rows[at];
}

}  // namespace hotstitch
