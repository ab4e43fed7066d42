// SPDX-License-Identifier: MIT
// Values of fields by their codes and by plain words.
#pragma once

#include <array>
#include <span>
#include <string>
#include <string_view>

namespace hotstitch {

/// A value of a field, and the word for it.
struct NamedValue {
    unsigned code;
    std::string_view word;
};

/// The fourth letter of the game codes of several platforms.
inline constexpr std::array<NamedValue, 15> letter_regions{{{'J', "Japan"},
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
std::string_view word_of(std::span<const NamedValue> values, unsigned code) noexcept;

/// The code for a word ("europe"), a code as hex ("02", "0x2") or, where the codes are letters, a letter ("P"). Throws
/// Error(usage) with the list of what there is.
unsigned code_of(std::span<const NamedValue> values, std::string_view text, bool letters);

}  // namespace hotstitch
