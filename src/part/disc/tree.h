// SPDX-License-Identifier: MIT
// One tree of names of a volume, and the names themselves: plain, Joliet's, Rock Ridge's.
#pragma once

#include <fmt/format.h>

#include <string>
#include <string_view>
#include <unordered_map>

#include "part/disc/volume.h"

namespace hotstitch::disc {

/// What was said of a volume so far.
struct Told {
    static constexpr std::size_t most_told = 8;
    std::vector<std::string>& warnings;
    std::unordered_map<std::string_view, std::size_t> times{};

    /// Of each sort only the first few, and how many there are.
    void warn(std::string_view sort, std::string text) {
        if (++times[sort] <= most_told) warnings.push_back(std::move(text));
        if (times[sort] == most_told + 1)
            warnings.push_back(fmt::format("{}: there are more of these than are listed", sort));
    }
};

/// UCS-2 or UTF-16, big-endian, as UTF-8.
std::string utf8_of_wide(ByteView text);

/// The tree that the descriptor in this sector names. Counts the files that are cut in `volume`, and how far it is
/// used. Throws Error(damaged) for a root folder outside the image, Error(limit, io).
Tree read_tree(const ByteSource& user, Volume& volume, Told& told, std::uint64_t descriptor, bool joliet);

}  // namespace hotstitch::disc
