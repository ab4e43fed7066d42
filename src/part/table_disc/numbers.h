// SPDX-License-Identifier: MIT
#pragma once

#include "hotstitch/bytes.h"

namespace hotstitch::table_disc {

/// To the next multiple.
inline std::uint64_t up_to(std::uint64_t value, std::uint64_t unit) noexcept {
    return (value + unit - 1) / unit * unit;
}

/// 32 bits, high byte first. REQUIRES that they lie in the bytes.
inline void set_big(Bytes& bytes, std::uint64_t at, std::uint64_t value) noexcept {
    for (unsigned i = 0; i < 4; ++i)
        bytes[static_cast<std::size_t>(at) + i] = static_cast<std::byte>(value >> (24 - 8 * i));
}

}  // namespace hotstitch::table_disc
