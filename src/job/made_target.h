// SPDX-License-Identifier: MIT
// A patch whose target is made already.
#pragma once

#include <algorithm>

#include "hotstitch/patch.h"

namespace hotstitch {

/// Tells the target that was made instead of reading the patch once more. Both have to outlive it; it is for the source
/// that the target was made of.
class MadeTarget final : public PatchReader {
public:
    MadeTarget(const PatchReader& patch, ByteView made) : patch_(patch), made_(made) {}
    const PatchFacts& facts() const noexcept override { return patch_.facts(); }
    std::uint64_t target_size(std::uint64_t) const noexcept override { return made_.size(); }
    Flow read(std::uint64_t source_size, EditSink& sink) const override {
        if (facts().records == 0) return patch_.read(source_size, sink);
        // The gap past the source's end is told as one, so that it is clear where the first byte of the patch's stands.
        const ByteView kept = made_.first(static_cast<std::size_t>(std::min<std::uint64_t>(source_size, made_.size())));
        const ByteView added = made_.subspan(kept.size());
        const auto gap = static_cast<std::size_t>(
            std::find_if(added.begin(), added.end(), [](std::byte b) { return b != std::byte{0}; }) - added.begin());
        for (const Edit& edit : {Edit::literal(kept), Edit::run(std::byte{0}, gap), Edit::literal(added.subspan(gap))})
            if (edit.length != 0 && sink.put(edit) == Flow::stop) return Flow::stop;
        return Flow::go_on;
    }

private:
    const PatchReader& patch_;
    ByteView made_;
};

}  // namespace hotstitch
