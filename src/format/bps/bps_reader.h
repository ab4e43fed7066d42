// SPDX-License-Identifier: MIT
#pragma once

#include "hotstitch/patch.h"

namespace hotstitch::bps {

/// docs/formats/bps.md.
class Reader final : public PatchReader {
public:
    /// Walks all actions once, so that every rule is checked before the first edit is told.
    Reader(ByteView patch, const Limits& limits);
    const PatchFacts& facts() const noexcept override { return facts_; }
    std::uint64_t target_size(std::uint64_t) const noexcept override { return *facts_.target.size; }
    Flow read(std::uint64_t source_size, EditSink& sink) const override;

private:
    template <class Use>
    Flow walk(Use&& use) const;

    ByteView actions_;         ///< from the magic to the footer
    std::uint64_t begin_ = 0;  ///< where the first action stands
    PatchFacts facts_;
};

}  // namespace hotstitch::bps
