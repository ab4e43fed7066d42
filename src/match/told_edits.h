// SPDX-License-Identifier: MIT
// The edits of a stretch as they are found: copies and runs are told, literals are what lies between. What was told
// can be given back to a longer match that is found later.
#pragma once

#include <utility>
#include <vector>

#include "match/costs.h"

namespace hotstitch {

class ToldEdits {
public:
    /// Edits that make `target` from `begin` on; their bytes are views of it.
    ToldEdits(ByteView target, std::uint64_t begin) : target_(target), told_(begin) {}

    /// What follows is literal.
    std::uint64_t end() const noexcept { return told_; }

    void tell(std::uint64_t at, const Match& match) {
        tell_literal(at);
        told_ = at + match.length;
        if (match.kind == EditKind::run) return edits_.push_back(Edit::run(target_[at], match.length));
        edits_.push_back(match.kind == EditKind::copy_source ? Edit::copy_source(match.from, match.length)
                                                             : Edit::copy_target(match.from, match.length));
    }

    /// Takes back what makes the bytes from `first` on, but no part of a copy or run: its end is no cheaper than the
    /// whole. Returns from where on the bytes are free.
    std::uint64_t give_back(std::uint64_t first) {
        if (first > told_) return first;
        for (; !edits_.empty() && told_ - edits_.back().length >= first; edits_.pop_back())
            told_ -= edits_.back().length;
        if (!edits_.empty() && edits_.back().kind == EditKind::literal) {
            edits_.back() = Edit::literal(edits_.back().bytes.first(edits_.back().length - (told_ - first)));
            told_ = first;
        }
        return told_;
    }

    std::vector<Edit> finish() {
        tell_literal(target_.size());
        return std::move(edits_);
    }

private:
    void tell_literal(std::uint64_t to) {
        if (told_ != to) edits_.push_back(Edit::literal(target_.subspan(told_, to - told_)));
        told_ = to;
    }

    ByteView target_;
    std::uint64_t told_;
    std::vector<Edit> edits_;
};

}  // namespace hotstitch
