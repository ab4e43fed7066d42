// SPDX-License-Identifier: MIT
#pragma once

#include "hotstitch/edit_list.h"
#include "hotstitch/patch.h"

namespace hotstitch::edits {

/// docs/formats/edits.md. Edits at offsets of the source itself can be read for any source of the right size; all
/// others hang on what the source holds, and are read by for_source().
class Reader final : public PatchReader {
public:
    Reader(ByteView patch, const Limits& limits);
    const PatchFacts& facts() const noexcept override { return facts_; }
    std::uint64_t target_size(std::uint64_t source_size) const noexcept override;
    Flow read(std::uint64_t source_size, EditSink& sink) const override;
    std::unique_ptr<PatchReader> for_source(const ByteSource& source) const override;

private:
    EditList list_;
    PatchFacts facts_;
    Limits limits_;
    bool plain_ = true;        ///< all edits are at offsets of the source itself
    std::int64_t growth_ = 0;  ///< of those
};

}  // namespace hotstitch::edits
