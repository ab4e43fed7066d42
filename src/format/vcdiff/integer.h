// SPDX-License-Identifier: MIT
// The integers of VCDIFF: big-endian base 128, a set high bit says that more follows. docs/formats/vcdiff.md section 1.
#pragma once

#include "base/cursor.h"

namespace hotstitch::vcdiff {

/// Throws Error(truncated) where the bytes end, Error(damaged) where the value passes 64 bits.
inline std::uint64_t take_integer(Cursor& cursor, std::string_view field) {
    const std::uint64_t began = cursor.position();
    std::uint64_t value = 0;
    while (true) {
        const auto byte = std::to_integer<std::uint64_t>(cursor.take(1, field)[0]);
        if (value >> 57 != 0)
            throw Error(ErrorCode::damaged, fmt::format("the {} is larger than 64 bits hold", field))
                .at(began)
                .in(std::string(field));
        value = value << 7 | (byte & 0x7F);
        if ((byte & 0x80) == 0) return value;
    }
}

inline std::size_t integer_length(std::uint64_t value) noexcept {
    std::size_t length = 1;
    while ((value >>= 7) != 0) ++length;
    return length;
}

inline void put_integer(Bytes& out, std::uint64_t value) {
    for (std::size_t i = integer_length(value); i-- > 0;)
        out.push_back(static_cast<std::byte>((value >> (7 * i) & 0x7F) | (i != 0 ? 0x80 : 0)));
}

}  // namespace hotstitch::vcdiff
