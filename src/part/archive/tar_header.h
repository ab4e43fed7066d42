// SPDX-License-Identifier: MIT
// A tar is told by the checksum of its first header (POSIX.1-2001, ustar), which a file of zeros or a disc image does
// not have.
#pragma once

#include "hotstitch/bytes.h"

namespace hotstitch {

constexpr std::size_t tar_block = 512;

/// Looks at the first 512 bytes.
inline bool is_tar(ByteView head) noexcept {
    constexpr std::size_t checksum = 148, length = 8;
    if (head.size() < tar_block || head[0] == std::byte{0}) return false;
    // The sum counts its own field as spaces. Old programs summed signed bytes.
    std::int64_t sum = 0, signed_sum = 0;
    for (std::size_t i = 0; i < tar_block; ++i) {
        const auto byte =
            i >= checksum && i < checksum + length ? std::uint8_t{' '} : std::to_integer<std::uint8_t>(head[i]);
        sum += byte;
        signed_sum += static_cast<std::int8_t>(byte);
    }
    std::int64_t stated = 0;
    bool any = false;
    for (std::size_t i = checksum; i < checksum + length; ++i) {
        const auto c = std::to_integer<char>(head[i]);
        if (c >= '0' && c <= '7')
            stated = stated * 8 + (c - '0'), any = true;
        else if (any || c != ' ')
            break;
    }
    return any && (stated == sum || stated == signed_sum);
}

}  // namespace hotstitch
