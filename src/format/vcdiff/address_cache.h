// SPDX-License-Identifier: MIT
// How copy addresses are kept short: as they are, as a distance from here, from one of the last few addresses (near),
// or as one byte that picks an address with the same low part (same). docs/formats/vcdiff.md section 5.
#pragma once

#include <vector>

#include "format/vcdiff/integer.h"

namespace hotstitch::vcdiff {

class AddressCache {
public:
    static constexpr std::size_t default_near = 4, default_same = 3;

    explicit AddressCache(std::size_t near = default_near, std::size_t same = default_same)
        : near_(near), same_(same * block) {}

    void clear() {
        std::fill(near_.begin(), near_.end(), 0);
        std::fill(same_.begin(), same_.end(), 0);
        turn_ = 0;
    }

    std::size_t modes() const noexcept { return 2 + near_.size() + same_.size() / block; }
    bool is_same_mode(std::size_t mode) const noexcept { return mode >= 2 + near_.size(); }

    /// How an address is written in one mode.
    struct Written {
        std::size_t mode;
        std::uint64_t value;
        std::size_t length;  ///< bytes
    };

    /// The shortest way to write `address`; of equal ones the lowest mode, which most pairs of instructions allow.
    Written shortest(std::uint64_t address, std::uint64_t here) const {
        Written best{0, address, integer_length(address)};
        const auto offer = [&](std::size_t mode, std::uint64_t value, std::size_t length) {
            if (length < best.length) best = {mode, value, length};
        };
        offer(1, here - address, integer_length(here - address));
        for (std::size_t i = 0; i < near_.size(); ++i)
            if (address >= near_[i]) offer(2 + i, address - near_[i], integer_length(address - near_[i]));
        if (!same_.empty() && same_[address % same_.size()] == address)
            offer(2 + near_.size() + static_cast<std::size_t>(address % same_.size() / block), address % block, 1);
        return best;
    }

    static Written from_here(std::uint64_t address, std::uint64_t here) {
        return {1, here - address, integer_length(here - address)};
    }

    /// The slots of a mode, for the decoder. REQUIRES a near or same mode.
    std::uint64_t near_slot(std::size_t mode) const noexcept { return near_[mode - 2]; }
    std::uint64_t same_slot(std::size_t mode, std::byte value) const noexcept {
        return same_[(mode - 2 - near_.size()) * block + std::to_integer<std::size_t>(value)];
    }

    void update(std::uint64_t address) noexcept {
        if (!near_.empty()) {
            near_[turn_] = address;
            turn_ = (turn_ + 1) % near_.size();
        }
        if (!same_.empty()) same_[address % same_.size()] = address;
    }

private:
    static constexpr std::size_t block = 256;
    std::vector<std::uint64_t> near_, same_;
    std::size_t turn_ = 0;
};

}  // namespace hotstitch::vcdiff
