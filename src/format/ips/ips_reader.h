// SPDX-License-Identifier: MIT
#pragma once

#include "format/ips/ips_format.h"
#include "hotstitch/patch.h"

namespace hotstitch::ips {

class Reader final : public PatchReader {
public:
    /// Reads the whole patch through once, so that every rule is checked before the first edit is told.
    Reader(ByteView patch, const Layout& layout, const Limits& limits);

    const PatchFacts& facts() const noexcept override { return facts_; }
    std::uint64_t target_size(std::uint64_t source_size) const noexcept override;
    Flow read(std::uint64_t source_size, EditSink& sink) const override;

private:
    ByteView patch_;
    const Layout& layout_;
    Limits limits_;
    PatchFacts facts_;
    std::uint64_t records_end_ = 0;  ///< where in the patch the end marker stands
};

}  // namespace hotstitch::ips
