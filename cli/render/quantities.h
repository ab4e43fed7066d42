// SPDX-License-Identifier: MIT
// Numbers as people read them.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

namespace hotstitch::cli {

std::string grouped(std::uint64_t number);      ///< 1,048,576
std::string size_text(std::uint64_t bytes);     ///< 1,048,576 bytes (1.00 MiB)
std::string short_size(double bytes);           ///< 1.00 MiB
std::string offset_text(std::uint64_t offset);  ///< 0x0004a2
/// "1 record", "2 records"
std::string counted(std::uint64_t number, std::string_view singular, std::string_view plural);

/// A size as typed: "1048576", "64M", "1.5GiB" (units of 1024). Throws Error(usage).
std::uint64_t parse_size(std::string_view text);

}  // namespace hotstitch::cli
