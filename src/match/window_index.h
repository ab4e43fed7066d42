// SPDX-License-Identifier: MIT
// Where does this window of a few bytes stand? A hash table of chains over sampled positions.
#pragma once

#include <algorithm>
#include <bit>
#include <cstdlib>
#include <cstring>
#include <memory>
#include <new>

#include "hotstitch/bytes.h"

namespace hotstitch {

class WindowIndex {
public:
    /// Keeps a view of `bytes`. `window`: 4 to 8 bytes. Samples every `step`-th position, or fewer so that the tables
    /// stay within `memory` bytes. The tables take memory as they fill.
    WindowIndex(ByteView bytes, std::size_t window, std::uint64_t step, std::uint64_t memory)
        : bytes_(bytes), mask_(UINT64_MAX >> (64 - 8 * window)) {
        constexpr std::uint64_t bytes_per_entry = 8;
        const std::uint64_t most = std::clamp<std::uint64_t>(memory / bytes_per_entry, 1 << 10, UINT32_MAX - 1);
        step_ = std::max(step, bytes.size() / most + 1);
        const std::uint64_t entries = bytes.size() / step_ + 1;
        bits_ = std::max(10, static_cast<int>(std::bit_width(entries)) - 1);
        heads_.reset(static_cast<std::uint32_t*>(std::calloc(std::size_t{1} << bits_, sizeof(std::uint32_t))));
        chain_.reset(
            static_cast<std::uint32_t*>(std::malloc(static_cast<std::size_t>(entries) * sizeof(std::uint32_t))));
        if (!heads_ || !chain_) throw std::bad_alloc();
    }

    std::uint64_t step() const noexcept { return step_; }
    /// Windows are looked at eight bytes at a time: none begins later.
    bool has_window(std::uint64_t position) const noexcept { return position + word <= bytes_.size(); }

    /// Adds the window at `position`, if it is one of the sampled ones. Later additions are found first.
    void add(std::uint64_t position) noexcept {
        if (step_ == 1)
            insert(position, position);
        else if (position % step_ == 0)
            insert(position / step_, position);
    }

    /// Adds all windows of the bytes; `report` is called with the position now and then.
    template <class Report>
    void add_all(Report&& report) {
        constexpr std::uint64_t ahead = 16, batch = 1 << 16;
        std::uint64_t entry = 0;
        for (std::uint64_t at = 0; has_window(at); at += step_) {
            if (has_window(at + ahead * step_)) prefetch(bytes_.data() + at + ahead * step_);
            insert(entry, at);
            if (++entry % batch == 0) report(at);
        }
    }

    void prefetch(const std::byte* at) const noexcept { __builtin_prefetch(&heads_[hash(load(at))]); }

    /// Calls `use(position)` for at most `most` places whose window is the same as the one at `at`, while it says so.
    template <class Use>
    void look_up(const std::byte* at, int most, Use&& use) const {
        const std::uint64_t wanted = load(at);
        for (std::uint32_t e = heads_[hash(wanted)]; e != none && most != 0; e = chain_[e - 1], --most) {
            const std::uint64_t position = (e - 1) * step_;
            if (load(bytes_.data() + position) == wanted && !use(position)) return;
        }
    }

private:
    void insert(std::uint64_t number, std::uint64_t position) noexcept {
        if (!has_window(position)) return;
        const auto entry = static_cast<std::uint32_t>(number);
        std::uint32_t& head = heads_[hash(load(bytes_.data() + position))];
        chain_[entry] = head;
        head = entry + 1;
    }
    /// Entries are counted from 1, so that fresh zero pages are an empty table.
    static constexpr std::uint32_t none = 0;
    struct Free {
        void operator()(void* memory) const noexcept { std::free(memory); }
    };
    static constexpr std::size_t word = 8;
    std::uint64_t load(const std::byte* at) const noexcept {
        std::uint64_t value;
        std::memcpy(&value, at, word);
        return value & mask_;
    }
    std::size_t hash(std::uint64_t value) const noexcept { return (value * 0x9E3779B97F4A7C15) >> (64 - bits_); }

    ByteView bytes_;
    std::uint64_t mask_;
    std::uint64_t step_ = 1;
    int bits_ = 10;
    std::unique_ptr<std::uint32_t[], Free> heads_, chain_;
};

}  // namespace hotstitch
