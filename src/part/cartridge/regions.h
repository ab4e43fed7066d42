// SPDX-License-Identifier: MIT
// Regions by the platforms' own codes and by plain words.
#pragma once

#include <array>
#include <span>
#include <string>
#include <string_view>

namespace hotstitch::cartridge {

struct Region {
    unsigned code;
    std::string_view word;
};

/// The fourth letter of the game codes of several platforms.
inline constexpr std::array<Region, 15> letter_regions{{{'J', "Japan"},
                                                        {'E', "Americas"},
                                                        {'P', "Europe"},
                                                        {'D', "Germany"},
                                                        {'F', "France"},
                                                        {'I', "Italy"},
                                                        {'S', "Spain"},
                                                        {'H', "Netherlands"},
                                                        {'K', "Korea"},
                                                        {'C', "China"},
                                                        {'U', "Australia"},
                                                        {'R', "Russia"},
                                                        {'B', "Brazil"},
                                                        {'W', "Scandinavia"},
                                                        {'A', "all regions"}}};

/// "Europe", or "" for a code that is not in the table.
std::string_view word_of(std::span<const Region> regions, unsigned code) noexcept;

/// The code for a word ("europe"), a code as hex ("02", "0x2") or, in tables of letters, a letter ("P"). Throws
/// Error(usage) with the list of what there is.
unsigned code_of(std::span<const Region> regions, std::string_view text, bool letters);

}  // namespace hotstitch::cartridge
