// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "hotstitch/error.h"
#include "hotstitch/patch.h"

namespace hotstitch::edits {

/// Why a change is no edit list.
Error too_large(std::uint64_t new_bytes, std::uint64_t edits);

/// docs/formats/edits.md, "Written". One edit a changed run; runs less than 8 bytes apart are one.
class Writer final : public PatchWriter {
public:
    Writer(ByteView source, ByteView target, ByteSink& patch) : source_(source), target_(target), patch_(patch) {}
    Flow put(const Edit& edit) override;
    void finish() override;

private:
    /// So many bytes that are the same in both.
    struct Same {
        std::uint64_t source = 0, target = 0, length = 0;
    };
    std::vector<Same> in_place() const;
    std::vector<Same> in_order() const;

    ByteView source_, target_;
    ByteSink& patch_;
    std::vector<Same> copies_;
    std::uint64_t at_ = 0;
};

}  // namespace hotstitch::edits
