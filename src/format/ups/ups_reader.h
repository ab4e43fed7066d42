// SPDX-License-Identifier: MIT
#pragma once

#include "edit/patch_formats.h"
#include "hotstitch/patch.h"

namespace hotstitch::ups {

inline constexpr std::string_view magic = row_of(PatchFormat::ups).magic;

/// docs/formats/ups.md. The differences work both ways: given a file of the target's size (and not the
/// source's), read() makes the source.
class Reader final : public PatchReader {
public:
    Reader(ByteView patch, const Limits& limits);
    const PatchFacts& facts() const noexcept override { return facts_; }
    std::uint64_t target_size(std::uint64_t source_size) const noexcept override;
    Flow read(std::uint64_t source_size, EditSink& sink) const override;

private:
    ByteView hunks_;           ///< from the magic to the footer
    std::uint64_t begin_ = 0;  ///< where the first hunk stands
    PatchFacts facts_;
};

}  // namespace hotstitch::ups
