// SPDX-License-Identifier: MIT
// The longest copy at each place is found among the places before it that begin with the same eight bytes or, where
// there are none, the same five or three: chains lead from each place to the one before. Inside a copy nothing is
// searched: a longer one that begins there has to pass the copy's end, so it is found by the eight bytes that end
// there, and by how far back what it copies is alike. Runs and periods cost no more than anything else so. Then, from
// the end backwards, the cheapest way to the end from each place: a literal, or a copy of any length up to the longest.
// The best length of each cost comes from a stack of places, each cheaper to go on from than all nearer ones. Tested
// against an exhaustive parser by tests/part/payload_test.cc.
#include "part/payload/lz_parse.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cstring>
#include <utility>

namespace hotstitch {
namespace {

constexpr std::uint32_t long_gram = 8, middle_gram = 5, short_gram = 3;

/// From each place how far back the last one is that begins with the same bytes; 0: none in the window. Now and then
/// the bytes are not quite the same.
std::vector<std::uint16_t> chain_of(ByteView content, std::uint32_t gram, std::uint32_t window) {
    const auto bits = std::clamp(static_cast<unsigned>(std::bit_width(content.size())), 8U, 16U);
    std::vector<std::uint32_t> last(std::size_t{1} << bits, UINT32_MAX);
    std::vector<std::uint16_t> chain(content.size());
    std::uint64_t bytes = 0;
    for (std::size_t end = 0; end < content.size(); ++end) {
        bytes = bytes << 8 | std::to_integer<std::uint64_t>(content[end]);
        if (end + 1 < gram) continue;
        const auto at = static_cast<std::uint32_t>(end + 1 - gram);
        std::uint32_t& before = last[(bytes << (64 - 8 * gram)) * 0x9E3779B97F4A7C15U >> (64 - bits)];
        if (before != UINT32_MAX && at - before <= window) chain[at] = static_cast<std::uint16_t>(at - before);
        before = at;
    }
    return chain;
}

/// The longest copies, place by place.
class CopyFinder {
public:
    CopyFinder(ByteView content, const LzRules& rules)
        : content_(content),
          size_(static_cast<std::uint32_t>(content.size())),
          rules_(rules),
          long_(chain_of(content, long_gram, rules.window)),
          middle_(chain_of(content, middle_gram, rules.window)),
          short_(chain_of(content, short_gram, rules.window)) {}

    /// REQUIRES every place in order.
    LzStep at(std::uint32_t place) {
        if (place == look_at_) {
            const LzStep found = next_.length != 0 ? std::exchange(next_, {0, 0}) : search(place);
            look_at_ = place + 1;
            copy_ = {place + found.length, found.distance};
            if (found.length < long_gram) return found;
            look_ahead(place);
        }
        return {copy_.length - place, copy_.distance};
    }

private:
    /// How many bytes from both places on are the same.
    std::uint32_t common(std::uint32_t a, std::uint32_t b) const {
        const std::byte* const bytes = content_.data();
        std::uint32_t n = 0;
        if constexpr (std::endian::native == std::endian::little)
            for (; b + n + 8 <= size_; n += 8) {
                std::uint64_t x, y;
                std::memcpy(&x, bytes + a + n, 8), std::memcpy(&y, bytes + b + n, 8);
                if (x != y) return n + static_cast<std::uint32_t>(std::countr_zero(x ^ y)) / 8;
            }
        while (b + n < size_ && bytes[a + n] == bytes[b + n]) ++n;
        return n;
    }

    /// Calls `visit(distance)` for all places before this one on its chain, while that says so.
    template <class Visit>
    void walk(const std::vector<std::uint16_t>& chain, std::uint32_t place, Visit&& visit) const {
        std::uint32_t distance = 0;
        while (const std::uint32_t step = chain[place - distance]) {
            distance += step;
            if (distance > rules_.window) return;
            if (distance >= rules_.least_distance && !visit(distance)) return;
        }
    }

    LzStep search(std::uint32_t place) const {
        LzStep best{0, 0};
        const std::uint32_t left = size_ - place;
        const auto look = [&](const std::vector<std::uint16_t>& chain, std::uint32_t enough) {
            walk(chain, place, [&](std::uint32_t distance) {
                const std::uint32_t from = place - distance;
                if (content_[from + best.length] != content_[place + best.length]) return true;
                if (const std::uint32_t length = common(from, place); length > best.length) best = {length, distance};
                return best.length < std::min(enough, left);
            });
        };
        if (left >= long_gram) look(long_, UINT32_MAX);
        if (best.length < long_gram && left >= middle_gram) look(middle_, long_gram - 1);
        if (best.length < middle_gram && left >= short_gram) look(short_, middle_gram - 1);
        return best;
    }

    /// The next place inside the copy that has a longer one: the eight bytes that end where the copy does are there,
    /// and what comes before them is alike back to that place.
    void look_ahead(std::uint32_t place) {
        const std::uint32_t end = copy_.length;
        look_at_ = size_;
        if (end == size_) return;
        const std::uint32_t gram = end + 1 - long_gram;
        look_at_ = gram + 1;  // from there on a longer copy need not hold all eight
        walk(long_, gram, [&](std::uint32_t distance) {
            const std::uint32_t length = common(gram - distance, gram);
            if (length < long_gram) return true;
            std::uint32_t begin = gram;
            while (begin > place + 1 && begin > distance && content_[begin - 1] == content_[begin - 1 - distance])
                --begin;
            const LzStep longer{gram + length - begin, distance};
            if (begin < look_at_ || (begin == look_at_ && longer.length > next_.length))
                look_at_ = begin, next_ = longer;
            return true;
        });
    }

    ByteView content_;
    std::uint32_t size_;
    const LzRules& rules_;
    std::vector<std::uint16_t> long_, middle_, short_;
    LzStep copy_{0, 0};          ///< that the places are in; its length is where it ends
    std::uint32_t look_at_ = 0;  ///< the next place that has another one
    LzStep next_{0, 0};          ///< that one, where it is known
};

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
    const auto size = static_cast<std::uint32_t>(content.size());
    std::vector<LzStep> steps(content.size());
    CopyFinder finder(content, rules);
    for (std::uint32_t at = 0; at < size; ++at) steps[at] = finder.at(at);
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
