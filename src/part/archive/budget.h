// SPDX-License-Identifier: MIT
// What may be spent on one archive, whoever made it: files, names, unpacked bytes, the ratio of unpacked to packed,
// time.
#pragma once

#include <chrono>
#include <string_view>

#include "hotstitch/limits.h"

namespace hotstitch {

class ArchiveBudget {
public:
    ArchiveBudget(const Limits& limits, std::uint64_t archive_size);

    /// Each throws Error(limit) when the budget is passed, saying which and how much was allowed.
    void member(std::string_view name);
    /// `made` further bytes came out, `consumed` in all went in.
    void unpacked(std::uint64_t made, std::uint64_t consumed);
    void time() const;

private:
    using Clock = std::chrono::steady_clock;
    const Limits limits_;
    const std::uint64_t most_unpacked_;
    const Clock::duration most_time_;
    const Clock::time_point began_ = Clock::now();
    std::uint64_t members_ = 0, names_ = 0, made_ = 0;
};

}  // namespace hotstitch
