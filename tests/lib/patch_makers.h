// SPDX-License-Identifier: MIT
// Small encoders for patches that our writers never write, and bytes to try them on.
#pragma once

#include <cctype>
#include <cstdint>
#include <random>
#include <string>
#include <string_view>

#include "hotstitch/bytes.h"

namespace makers {

using hotstitch::Bytes, hotstitch::ByteView;

Bytes bytes(std::string_view text);
std::string big_endian(std::uint64_t value, std::size_t width);

/// "PATCH" or "IPS32" followed by parts made with the functions below.
std::string ips_record(std::uint64_t offset, std::string_view data, std::size_t offset_width = 3);
std::string ips_run(std::uint64_t offset, std::uint64_t length, char value, std::size_t offset_width = 3);

using Random = std::mt19937_64;
std::uint64_t below(Random& random, std::uint64_t bound);
/// Bytes with runs, repeats and noise, as files have them.
Bytes file_like(Random& random, std::size_t size);
/// A modified copy: bytes changed, runs filled, grown or cut.
Bytes modified(Random& random, ByteView source);
/// The integers of UPS and BPS.
std::string vlv(std::uint64_t value);
/// "UPS1" or "BPS1" and what follows, closed with the CRCs of source, target and patch.
Bytes with_footer(std::string_view body, ByteView source, ByteView target);
/// Sets the footer of a UPS or BPS patch to the CRC of the source and of the patch, if it is long enough.
void put_crcs_right(Bytes& patch, ByteView source);
std::string bps_action(unsigned kind, std::uint64_t length);
std::string bps_move(std::int64_t distance);

/// A valid IPS or IPS32 patch with records in any order, overlaps, runs, cuts and metadata.
Bytes random_ips(Random& random);
/// The patch with bits flipped, cut, or spliced with another.
Bytes damaged(Random& random, ByteView patch, ByteView other);

/// Letters, digits and _ of a table row's `name`, as test names allow.
inline std::string test_name(std::string name) {
    for (char& c : name)
        if (std::isalnum(static_cast<unsigned char>(c)) == 0) c = '_';
    return name;
}
inline constexpr auto row_name = [](const auto& row) { return test_name(row.param.name); };

}  // namespace makers
