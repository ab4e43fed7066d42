// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "edit/ordered_copies.h"
#include "hotstitch/error.h"
#include "hotstitch/patch.h"

namespace hotstitch::edits {

/// Why a change is no edit list.
Error too_large(std::uint64_t new_bytes, std::uint64_t edits);

/// docs/formats/edits.md, "Written". One edit a changed run; runs less than 8 bytes apart are one.
class Writer final : public PatchWriter {
public:
    Writer(ByteView source, ByteView target, ByteSink& patch) : source_(source), target_(target), patch_(patch) {}
    Flow put(const Edit& edit) override { return copies_.put(edit); }
    void finish() override;

private:
    std::vector<SameStretch> in_place() const;

    ByteView source_, target_;
    ByteSink& patch_;
    OrderedCopies copies_;
};

}  // namespace hotstitch::edits
