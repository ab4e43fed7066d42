// SPDX-License-Identifier: MIT
// The longest copy at each place comes from a binary tree of all places in the window, sorted by what follows them: on
// the way to where the new place belongs lie its neighbours, and one of those is the longest. Then, from the end
// backwards, the cheapest way to the end from each place: a literal, or a copy of any length up to the longest. The
// best length of each cost comes from a stack of places, each cheaper to go on from than all nearer ones.
// Tested against an exhaustive parser by tests/payload_test.cc.
#include "part/payload/lz_parse.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cstring>

namespace hotstitch {
namespace {

constexpr std::uint32_t none = UINT32_MAX, ring = 8192, least_copy = 3, hash_bits = 15;

/// Longest copies within the window.
class CopyFinder {
public:
    CopyFinder(ByteView content, std::uint32_t longest, const LzRules& rules)
        : content_(content), longest_(longest), window_(rules.window), heads_(std::size_t{1} << hash_bits, none) {}

    /// Of this place from all before it, which it joins. REQUIRES every place in order.
    LzStep find_and_add(std::uint32_t at) { return walk<true>(at); }
    /// Of this place from those that were added.
    LzStep find(std::uint32_t at) { return walk<false>(at); }

private:
    std::uint32_t common(std::uint32_t a, std::uint32_t b, std::uint32_t known, std::uint32_t most) const {
        const std::byte* const bytes = content_.data();
        std::uint32_t n = known;
        if constexpr (std::endian::native == std::endian::little)
            for (; n + 8 <= most; n += 8) {
                std::uint64_t x, y;
                std::memcpy(&x, bytes + a + n, 8), std::memcpy(&y, bytes + b + n, 8);
                if (x != y) return n + static_cast<std::uint32_t>(std::countr_zero(x ^ y)) / 8;
            }
        while (n < most && bytes[a + n] == bytes[b + n]) ++n;
        return n;
    }

    std::size_t hash(std::uint32_t at) const {
        const auto byte = [&](std::uint32_t i) { return std::to_integer<std::uint32_t>(content_[at + i]); };
        return (byte(0) | byte(1) << 8 | byte(2) << 16) * 0x9E3779B1U >> (32 - hash_bits);
    }

    template <bool add>
    LzStep walk(std::uint32_t at) {
        const auto left = static_cast<std::uint32_t>(std::min<std::size_t>(content_.size() - at, longest_));
        LzStep best{0, 0};
        // What the place before this one has found, one byte on.
        LzStep& last = last_[add ? 1 : 0];
        const std::uint32_t known_distance = last.distance, known = last.length == 0 ? 0 : last.length - 1;
        last = best;
        if (left < least_copy) return best;
        std::uint32_t& head = heads_[hash(at)];
        std::uint32_t candidate = head, below = 0, above = 0, unused = none;
        std::uint32_t* smaller = add ? &smaller_[at % ring] : &unused;
        std::uint32_t* larger = add ? &larger_[at % ring] : &unused;
        if (add) head = at;
        while (candidate != none && at - candidate <= window_) {
            std::uint32_t length = std::min(below, above);
            if (at - candidate == known_distance) length = std::max(length, std::min(known, left));
            length = common(candidate, at, length, left);
            if (length > best.length) best = {length, at - candidate};
            if (length == left) {  // the two go on alike as far as matters, and the nearer one stands for both
                if (add) *smaller = smaller_[candidate % ring], *larger = larger_[candidate % ring];
                return last = best;
            }
            if (content_[candidate + length] < content_[at + length]) {
                if (add) *smaller = candidate, smaller = &larger_[candidate % ring];
                candidate = larger_[candidate % ring], below = length;
            } else {
                if (add) *larger = candidate, larger = &smaller_[candidate % ring];
                candidate = smaller_[candidate % ring], above = length;
            }
        }
        *smaller = *larger = none;
        return last = best;
    }

    ByteView content_;
    std::uint32_t longest_, window_;
    std::vector<std::uint32_t> heads_;
    std::array<std::uint32_t, ring> smaller_{}, larger_{};
    std::array<LzStep, 2> last_{LzStep{0, 0}, LzStep{0, 0}};  ///< found by each kind of walk for the place before
};

/// The longest copy at each place; shorter ones may be too short to be one.
std::vector<LzStep> longest_copies(ByteView content, const LzRules& rules) {
    CopyFinder finder(content, rules.costs.back().most, rules);
    std::vector<LzStep> steps(content.size());
    const auto size = static_cast<std::uint32_t>(content.size());
    for (std::uint32_t at = 0; at < size; ++at) {
        if (rules.least_distance == 1) {
            steps[at] = finder.find_and_add(at);
        } else {  // the place just before this one joins only afterwards
            steps[at] = finder.find(at);
            if (at != 0) finder.find_and_add(at - 1);
        }
    }
    return steps;
}

/// Of the places from `front` on, those that are cheaper to go on from than all before them.
class CheaperPlaces {
public:
    void add(std::uint32_t place, const std::vector<std::uint32_t>& cost) {
        while (!places_.empty() && cost[places_.back()] >= cost[place]) places_.pop_back();
        places_.push_back(place);
    }
    /// The cheapest of those up to `last`. REQUIRES that the place added last is one of them.
    std::uint32_t cheapest(std::uint32_t last) const {
        const std::uint32_t reach =
            std::min<std::uint32_t>(last - places_.back() + 1, static_cast<std::uint32_t>(places_.size()));
        return *std::partition_point(places_.end() - reach, places_.end() - 1,
                                     [&](std::uint32_t place) { return place > last; });
    }

private:
    std::vector<std::uint32_t> places_;  ///< the nearest last
};

}  // namespace

std::vector<LzStep> cheapest_parse(ByteView content, const LzRules& rules) {
    std::vector<LzStep> steps = longest_copies(content, rules);
    const auto size = static_cast<std::uint32_t>(content.size());
    std::vector<std::uint32_t> cost(content.size() + 1);
    std::vector<CheaperPlaces> places(rules.costs.size());
    for (std::uint32_t at = size; at-- > 0;) {
        LzStep& step = steps[at];
        LzStep best{1, 0};
        cost[at] = cost[at + 1] + rules.literal_bits;
        for (std::size_t c = 0; c < rules.costs.size(); ++c) {
            const CopyCost& copy = rules.costs[c];
            if (copy.least > size - at) break;
            places[c].add(at + copy.least, cost);
            if (step.length < copy.least) continue;
            const std::uint32_t to = places[c].cheapest(at + std::min(step.length, copy.most));
            if (cost[to] + copy.bits >= cost[at]) continue;
            cost[at] = cost[to] + copy.bits;
            best = {to - at, step.distance};
        }
        step = best;
    }
    std::vector<LzStep> path;
    for (std::uint32_t at = 0; at < size; at += path.back().length) path.push_back(steps[at]);
    return path;
}

}  // namespace hotstitch
