// SPDX-License-Identifier: MIT
// Where does this 8-byte window stand? A hash table of chains over sampled positions.
#pragma once

#include <algorithm>
#include <bit>
#include <cstring>
#include <vector>

#include "hotstitch/bytes.h"

namespace hotstitch {

class WindowIndex {
public:
    static constexpr std::size_t window = 8;

    /// Keeps a view of `bytes`. Samples every step-th position so that the tables stay within `memory` bytes.
    WindowIndex(ByteView bytes, std::uint64_t memory) : bytes_(bytes) {
        constexpr std::uint64_t bytes_per_entry = 8;
        const std::uint64_t most = std::max<std::uint64_t>(memory / bytes_per_entry, 1 << 10);
        step_ = bytes.size() / most + 1;
        const std::uint64_t entries = bytes.size() / step_ + 1;
        bits_ = std::max(10, static_cast<int>(std::bit_width(entries)) - 1);
        heads_.assign(std::size_t{1} << bits_, none);
        chain_.assign(static_cast<std::size_t>(entries), none);
    }

    std::uint64_t step() const noexcept { return step_; }

    /// Adds the window at `position`, if it is one of the sampled ones. Later additions are found first.
    void add(std::uint64_t position) noexcept {
        if (position % step_ != 0 || bytes_.size() - position < window) return;
        const auto entry = static_cast<std::uint32_t>(position / step_);
        std::uint32_t& head = heads_[hash(load(position))];
        chain_[entry] = head;
        head = entry;
    }

    /// Calls `use(position)` for at most `most` places whose window may be the same as the one at `at`.
    template <class Use>
    void look_up(const std::byte* at, int most, Use&& use) const {
        std::uint64_t wanted;
        std::memcpy(&wanted, at, window);
        for (std::uint32_t e = heads_[hash(wanted)]; e != none && most != 0; e = chain_[e], --most)
            if (load(e * step_) == wanted) use(e * step_);
    }

private:
    static constexpr std::uint32_t none = UINT32_MAX;
    std::uint64_t load(std::uint64_t position) const noexcept {
        std::uint64_t value;
        std::memcpy(&value, bytes_.data() + position, window);
        return value;
    }
    std::size_t hash(std::uint64_t value) const noexcept { return (value * 0x9E3779B97F4A7C15) >> (64 - bits_); }

    ByteView bytes_;
    std::uint64_t step_;
    int bits_;
    std::vector<std::uint32_t> heads_, chain_;
};

}  // namespace hotstitch
