// SPDX-License-Identifier: MIT
// Numbers and texts at known places of a header. REQUIRES in all: the place lies inside the view.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

#include "hotstitch/bytes.h"

namespace hotstitch {

inline unsigned u8(ByteView b, std::size_t at) noexcept {
    return std::to_integer<unsigned>(b[at]);
}
inline unsigned u16le(ByteView b, std::size_t at) noexcept {
    return u8(b, at) | u8(b, at + 1) << 8;
}
inline unsigned u16be(ByteView b, std::size_t at) noexcept {
    return u8(b, at) << 8 | u8(b, at + 1);
}
inline std::uint32_t u32le(ByteView b, std::size_t at) noexcept {
    return u16le(b, at) | u16le(b, at + 2) << 16;
}
inline std::uint32_t u32be(ByteView b, std::size_t at) noexcept {
    return u16be(b, at) << 16 | u16be(b, at + 2);
}

inline std::string_view text_at(ByteView b, std::size_t at, std::size_t length) noexcept {
    return text_of(b.subspan(at, length));
}

/// "0x1a2b", with so many digits at least.
std::string hex_text(std::uint64_t value, int digits);
/// The shortest exact form: "4 MiB", "12 KiB", "100 bytes".
std::string exact_size(std::uint64_t bytes);

}  // namespace hotstitch
