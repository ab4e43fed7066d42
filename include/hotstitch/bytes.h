// SPDX-License-Identifier: MIT
// Byte views: the one way bytes are passed around. Start here.
//
// A view is a pointer and a length and owns nothing: whoever holds the bytes must keep them alive and
// unchanged while a view of them is in use. A call that keeps a view after it returns says so.
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <string_view>
#include <vector>

#include "hotstitch/export.h"

namespace hotstitch {

using ByteView = std::span<const std::byte>;
using MutableByteView = std::span<std::byte>;
using Bytes = std::vector<std::byte>;

/// A stretch of a file.
struct ByteRange {
    std::uint64_t offset = 0, length = 0;
    bool operator==(const ByteRange&) const = default;
};

/// The bytes of a text, without a terminator. Lives as long as the text does.
inline ByteView bytes_of(std::string_view text) noexcept {
    return std::as_bytes(std::span(text.data(), text.size()));
}

/// The bytes as text, unchecked: they may hold anything. Lives as long as the bytes do.
inline std::string_view text_of(ByteView bytes) noexcept {
    return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

/// How many leading bytes are the same in both views.
HOTSTITCH_EXPORT std::size_t common_prefix(ByteView a, ByteView b) noexcept;

/// Whether every byte of the view equals its first (true for an empty view).
HOTSTITCH_EXPORT bool all_equal(ByteView bytes) noexcept;

}  // namespace hotstitch
