// SPDX-License-Identifier: MIT
#pragma once

#include "format/ips/ips_format.h"
#include "format/ips/record_plan.h"
#include "hotstitch/patch.h"

namespace hotstitch::ips {

/// The smallest patch whose records stand in order and do not overlap (docs/formats/ips.md section 6).
class Writer final : public PatchWriter {
public:
    /// Throws Error(usage) when the format cannot hold a target of this size.
    Writer(const Layout& layout, std::uint64_t source_size, ByteView target, ByteSink& patch);

    /// A copy from the source at the same place needs no bytes; everything else is stored as it stands in
    /// the target. Throws Error(usage) when a change lies out of the format's reach.
    Flow put(const Edit& edit) override;
    void finish() override;

private:
    void stored(std::uint64_t from, std::uint64_t to);
    void plan(std::uint64_t from, std::uint64_t to, bool changed);
    void emit_planned(bool all);
    void emit(PlannedRecord record);
    void emit_around_end_marker(PlannedRecord record);
    void write_pending();
    void write_number(std::uint64_t value, std::size_t width);
    void write(ByteView bytes);

    const Layout& layout_;
    std::uint64_t source_size_;
    ByteView target_;
    ByteSink& patch_;
    RecordPlan plan_;
    Bytes buffer_;
    std::optional<PlannedRecord> pending_;  ///< held back: the next record may have to take its last byte
    std::uint64_t at_ = 0;
    std::uint64_t far_end_ = 0;  ///< end of the last change at or past the last offset of a record
};

}  // namespace hotstitch::ips
