// SPDX-License-Identifier: MIT
#pragma once

#include "format/bps/bps_format.h"
#include "format/footer.h"
#include "hotstitch/patch.h"

namespace hotstitch::bps {

/// Writes edits as actions; all four kinds. Runs become one literal byte and a copy that runs into itself.
class Writer final : public PatchWriter {
public:
    Writer(ByteView source, ByteView target, ByteSink& patch, ByteView metadata);
    Flow put(const Edit& edit) override;
    void finish() override;

private:
    void action(Action kind, std::uint64_t length);
    void copy(Action kind, std::uint64_t& cursor, std::uint64_t offset, std::uint64_t length);
    void end_literal();

    ByteView source_, target_;
    PatchOutput out_;
    std::uint64_t at_ = 0;            ///< target bytes told
    std::uint64_t literal_from_ = 0;  ///< [literal_from_, at_) is literal and not yet written
    std::uint64_t source_at_ = 0, target_at_ = 0;
};

}  // namespace hotstitch::bps
