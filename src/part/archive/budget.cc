// SPDX-License-Identifier: MIT
// Tested by tests/part/archive_test.cc.
#include "part/archive/budget.h"

#include <fmt/format.h>

#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch {
namespace {

constexpr std::uint64_t free_of_ratio = 1 << 20;  ///< so that small runs of zeros are no bomb

/// `raised`: by a larger limit for what is unpacked.
Error past(const char* field, const std::string& message, const std::string& wanted, bool raised = false) {
    return Error(ErrorCode::limit, message)
        .in(field)
        .as(raised ? ErrorId::archive_too_large : ErrorId::none)
        .wanted(wanted)
        .hint("if you trust this archive, unpack it yourself and name the file");
}

}  // namespace

ArchiveBudget::ArchiveBudget(const Limits& limits, std::uint64_t archive_size)
    : limits_(limits),
      most_unpacked_(limits.unpacked_for(archive_size)),
      most_time_(std::chrono::milliseconds(limits.archive_time_for(archive_size))) {}

void ArchiveBudget::member(std::string_view name) {
    names_ += name.size();
    if (++members_ > limits_.archive_members)
        throw past("archive members", "the archive holds more files than are looked at",
                   fmt::format("at most {}", limits_.archive_members));
    if (names_ > limits_.archive_names)
        throw past("archive names", "the names in the archive are longer than is allowed",
                   fmt::format("at most {} in all", counted(limits_.archive_names, "byte", "bytes")));
    time();
}

void ArchiveBudget::unpacked(std::uint64_t made, std::uint64_t consumed) {
    made_ += made;
    if (made_ > most_unpacked_)
        throw past("archive unpacked", "the archive unpacks to more than is allowed",
                   fmt::format("at most {}", counted(most_unpacked_, "byte", "bytes")), true);
    if (limits_.archive_unpacked == 0 && made_ > free_of_ratio && made_ / limits_.archive_ratio > consumed)
        throw past("archive unpacked", "the archive unpacks to more times its size than is allowed",
                   fmt::format("at most {} times its packed size", limits_.archive_ratio), true)
            .found(fmt::format("{} out of {}", counted(made_, "byte", "bytes"), consumed));
    time();
}

void ArchiveBudget::time() const {
    const Clock::duration running = turns_ != 0 ? Clock::now() - began_ : Clock::duration{};
    if (spent_ + running > most_time_)
        throw past(
            "archive time", "looking into the archive takes longer than is allowed",
            fmt::format("at most {} ms", std::chrono::duration_cast<std::chrono::milliseconds>(most_time_).count()),
            true);
}

}  // namespace hotstitch
