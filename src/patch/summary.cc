// SPDX-License-Identifier: MIT
#include "hotstitch/summary.h"

#include <algorithm>

namespace hotstitch {
namespace {

class Counter final : public EditSink {
public:
    Counter(PatchSummary& summary, std::size_t most_ranges) : summary_(summary), most_(most_ranges) {}

    Flow put(const Edit& edit) override {
        EditCount& count = count_of(edit);
        count.edits += 1;
        count.bytes += edit.length;
        if (&count != &summary_.same_place) touch(edit.length);
        at_ += edit.length;
        return Flow::go_on;
    }

private:
    EditCount& count_of(const Edit& edit) {
        switch (edit.kind) {
            case EditKind::copy_source: return edit.offset == at_ ? summary_.same_place : summary_.moved;
            case EditKind::copy_target: return summary_.repeated;
            case EditKind::literal: return summary_.literal;
            case EditKind::run: return summary_.run;
            case EditKind::xor_source: break;
        }
        return summary_.xored;
    }

    void touch(std::uint64_t length) {
        if (touched_end_ != at_ || summary_.touched_ranges == 0) {
            ++summary_.touched_ranges;
            if (summary_.first_ranges.size() < most_) summary_.first_ranges.push_back({at_, 0});
        }
        if (summary_.first_ranges.size() == summary_.touched_ranges) summary_.first_ranges.back().length += length;
        summary_.touched_bytes += length;
        touched_end_ = at_ + length;
    }

    PatchSummary& summary_;
    std::size_t most_;
    std::uint64_t at_ = 0, touched_end_ = 0;
};

}  // namespace

PatchSummary summarise(const PatchReader& patch, std::optional<std::uint64_t> source_size, std::size_t most_ranges) {
    const PatchFacts& facts = patch.facts();
    const std::uint64_t assumed =
        facts.source.size.value_or(std::max({facts.reach, facts.cut.value_or(0), facts.source_reach}));
    const std::uint64_t size = source_size.value_or(assumed);
    PatchSummary summary;
    summary.target_size = patch.target_size(size);
    Counter counter(summary, most_ranges);
    patch.read(size, counter);
    return summary;
}

}  // namespace hotstitch
