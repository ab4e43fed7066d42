// SPDX-License-Identifier: MIT
#pragma once

#include "format/footer.h"
#include "hotstitch/patch.h"

namespace hotstitch::ups {

/// Writes the one patch that UPS has for a pair of files: what differs at the same place, nothing else.
class Writer final : public PatchWriter {
public:
    Writer(ByteView source, ByteView target, ByteSink& patch);
    Flow put(const Edit& edit) override;
    void finish() override;

private:
    std::byte difference(std::uint64_t at) const noexcept;
    void compare(std::uint64_t from, std::uint64_t to);

    ByteView source_, target_;
    PatchOutput out_;
    std::uint64_t at_ = 0;
    std::uint64_t told_ = 0;  ///< positions that hunks account for
    bool in_hunk_ = false;
};

}  // namespace hotstitch::ups
