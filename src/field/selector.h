// SPDX-License-Identifier: MIT
// "berth[12].depth": which fields of which records of a table.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

namespace hotstitch {

struct Selector {
    enum class Records : std::uint8_t { all, range, key } records = Records::all;
    std::string table{};
    std::uint64_t first = 0, last = 0;  ///< of range, both part of it
    std::string key{};
    std::string field{};  ///< empty: all
};

/// TABLE, TABLE[*], TABLE[7], TABLE[3-7], TABLE[a key], TABLE["7"], each perhaps with .FIELD. Throws Error(usage).
Selector selector_from(std::string_view text);

/// "berth[12].depth"
std::string field_name(std::string_view table, std::uint64_t index, std::string_view field);

}  // namespace hotstitch
