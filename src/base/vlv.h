// SPDX-License-Identifier: MIT
// The variable-length integers of UPS and BPS: little-endian base 128, the *last* byte flagged by its high bit,
// one encoding for each value. docs/formats/ups.md section 2.
#pragma once

#include "base/cursor.h"

namespace hotstitch {

/// Throws Error(truncated) where the bytes end, Error(damaged) where the value passes 64 bits.
inline std::uint64_t take_vlv(Cursor& cursor, std::string_view field) {
    const std::uint64_t began = cursor.position();
    const auto too_large = [&] {
        return Error(ErrorCode::damaged, fmt::format("the {} is larger than 64 bits hold", field))
            .at(began)
            .in(std::string(field));
    };
    std::uint64_t value = 0, scale = 1;
    while (true) {
        const auto byte = std::to_integer<std::uint64_t>(cursor.take(1, field)[0]);
        const std::uint64_t digit = byte & 0x7F;
        std::uint64_t part = 0;
        if (__builtin_mul_overflow(digit, scale, &part) || __builtin_add_overflow(value, part, &value))
            throw too_large();
        if ((byte & 0x80) != 0) return value;
        if (__builtin_mul_overflow(scale, std::uint64_t{128}, &scale) || __builtin_add_overflow(value, scale, &value))
            throw too_large();
    }
}

inline void put_vlv(Bytes& out, std::uint64_t value) {
    while (true) {
        const auto low = static_cast<std::byte>(value & 0x7F);
        value >>= 7;
        if (value == 0) return out.push_back(low | std::byte{0x80});
        out.push_back(low);
        --value;
    }
}

/// How many bytes put_vlv writes.
inline std::uint64_t vlv_length(std::uint64_t value) noexcept {
    std::uint64_t length = 1;
    while ((value >>= 7) != 0) --value, ++length;
    return length;
}

}  // namespace hotstitch
