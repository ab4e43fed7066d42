// SPDX-License-Identifier: MIT
// Copies come in the order of the target; the chain ends in each of them once, and goes on from the heaviest that ends
// before it begins in the source. Tested by tests/format/edits_test.cc and tests/field/chart_test.cc.
#include "edit/ordered_copies.h"

#include <algorithm>
#include <iterator>

namespace hotstitch {
namespace {

constexpr std::uint64_t least_copy = 16;  ///< shorter ones, out of place, break more than they keep
/// Two copies may both hold a few bytes of the source by chance: the later one is cut.
constexpr std::uint64_t most_overlap = 64;

/// The heaviest weight of all keys up to one, and by whom it was reached.
class HeaviestUpTo {
public:
    explicit HeaviestUpTo(std::size_t keys) : best_(keys + 1) {}
    void raise(std::size_t key, std::uint64_t weight, std::size_t by) {
        for (++key; key < best_.size(); key += key & (~key + 1))
            if (weight > best_[key].first) best_[key] = {weight, by};
    }
    std::pair<std::uint64_t, std::size_t> upto(std::size_t keys) const {
        std::pair<std::uint64_t, std::size_t> best{0, SIZE_MAX};
        for (; keys > 0; keys -= keys & (~keys + 1))
            if (best_[keys].first > best.first) best = best_[keys];
        return best;
    }

private:
    std::vector<std::pair<std::uint64_t, std::size_t>> best_;
};

}  // namespace

Flow OrderedCopies::put(const Edit& edit) {
    if (edit.kind == EditKind::copy_source && (edit.length >= least_copy || edit.offset == at_)) {
        const bool goes_on = !copies_.empty() && copies_.back().source + copies_.back().length == edit.offset &&
                             copies_.back().target + copies_.back().length == at_;
        if (goes_on)
            copies_.back().length += edit.length;
        else
            copies_.push_back({edit.offset, at_, edit.length});
    }
    at_ += edit.length;
    return Flow::go_on;
}

std::vector<SameStretch> OrderedCopies::in_place() const {
    std::vector<SameStretch> same;
    std::copy_if(copies_.begin(), copies_.end(), std::back_inserter(same),
                 [](const SameStretch& copy) { return copy.source == copy.target; });
    return same;
}

std::vector<SameStretch> OrderedCopies::heaviest_chain() const {
    std::vector<std::uint64_t> ends;
    for (const SameStretch& copy : copies_) ends.push_back(copy.source + copy.length);
    std::sort(ends.begin(), ends.end());
    const auto rank = [&](std::uint64_t end) {
        return static_cast<std::size_t>(std::lower_bound(ends.begin(), ends.end(), end) - ends.begin());
    };
    HeaviestUpTo heaviest(ends.size());
    std::vector<std::size_t> before(copies_.size(), SIZE_MAX);
    for (std::size_t i = 0; i < copies_.size(); ++i) {
        // Those that end before this one begins, give or take a few bytes.
        const std::uint64_t begin = copies_[i].source + std::min(most_overlap, copies_[i].length / 2);
        const auto upto = static_cast<std::size_t>(std::upper_bound(ends.begin(), ends.end(), begin) - ends.begin());
        const auto [weight, by] = heaviest.upto(upto);
        before[i] = by;
        heaviest.raise(rank(ends.empty() ? 0 : copies_[i].source + copies_[i].length), weight + copies_[i].length, i);
    }
    std::vector<SameStretch> chain;
    for (std::size_t i = heaviest.upto(ends.size()).second; i != SIZE_MAX; i = before[i]) chain.push_back(copies_[i]);
    std::reverse(chain.begin(), chain.end());
    std::uint64_t end = 0;
    for (SameStretch& stretch : chain) {
        const std::uint64_t cut = end - std::min(end, stretch.source);
        stretch.source += cut, stretch.target += cut, stretch.length -= std::min(cut, stretch.length);
        end = stretch.source + stretch.length;
    }
    return chain;
}

}  // namespace hotstitch
