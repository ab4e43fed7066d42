// SPDX-License-Identifier: MIT
// What stays in order: of all that a patch copies from its source, the heaviest chain in which nothing is overtaken.
#pragma once

#include <cstdint>
#include <vector>

#include "hotstitch/edit.h"

namespace hotstitch {

/// So many bytes that are the same in both.
struct SameStretch {
    std::uint64_t source = 0, target = 0, length = 0;
};

/// Gathers what edits copy from the source; then the chain with the most bytes, in order in both.
class OrderedCopies final : public EditSink {
public:
    Flow put(const Edit& edit) override;
    std::uint64_t target_size() const noexcept { return at_; }
    std::vector<SameStretch> heaviest_chain() const;
    /// Those that stand in the target where they stood in the source.
    std::vector<SameStretch> in_place() const;

private:
    std::vector<SameStretch> copies_;
    std::uint64_t at_ = 0;
};

}  // namespace hotstitch
