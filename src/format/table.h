// SPDX-License-Identifier: MIT
// The format table: a new format is a folder with a reader and a writer, one row in table.cc, and one of its names in
// edit/patch_formats.h.
#pragma once

#include <span>

#include "edit/cost_model.h"
#include "hotstitch/patch.h"

namespace hotstitch {

struct Format {
    PatchFormat id;
    /// What an edit costs in it. Formats whose copies stay in their place never ask.
    CostModel (*costs)(const VcdiffOptions& options);
    std::unique_ptr<PatchReader> (*open)(ByteView patch, const Limits& limits);
    std::unique_ptr<PatchWriter> (*write)(ByteView source, ByteView target, ByteSink& patch,
                                          const WriterOptions& options);
};

const Format& format_of(PatchFormat id) noexcept;

}  // namespace hotstitch
