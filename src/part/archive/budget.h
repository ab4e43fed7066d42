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

    /// Time counts while one of these lives: what a caller does with the bytes is not the archive's doing.
    class Turn {
    public:
        explicit Turn(ArchiveBudget& budget) : budget_(budget) {
            if (budget_.turns_++ == 0) budget_.began_ = Clock::now();
        }
        ~Turn() {
            if (--budget_.turns_ == 0) budget_.spent_ += Clock::now() - budget_.began_;
        }
        Turn(const Turn&) = delete;
        Turn& operator=(const Turn&) = delete;

    private:
        ArchiveBudget& budget_;
    };

private:
    using Clock = std::chrono::steady_clock;
    const Limits limits_;
    const std::uint64_t most_unpacked_;
    const Clock::duration most_time_;
    Clock::time_point began_;
    Clock::duration spent_{};
    int turns_ = 0;
    std::uint64_t members_ = 0, names_ = 0, made_ = 0;
};

}  // namespace hotstitch
