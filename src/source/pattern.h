// SPDX-License-Identifier: MIT
// A byte pattern, "A9 0D ?? 8D", and where it stands in a source.
#pragma once

#include <optional>
#include <string_view>
#include <vector>

#include "hotstitch/source.h"

namespace hotstitch {

/// Bytes, none where any will do. No longer than this, and never without a byte that is certain.
using Pattern = std::vector<std::optional<std::byte>>;
inline constexpr std::size_t longest_pattern = 64;

/// Hexadecimal digits and "??", spaces read over. Nothing: it is no pattern.
std::optional<Pattern> pattern_from(std::string_view text);

/// REQUIRES bytes.size() >= pattern.size().
bool matches(const Pattern& pattern, ByteView bytes) noexcept;

/// The first places where each stands, at most so many. One pass over the source for all. Throws Error(io).
std::vector<std::vector<std::uint64_t>> places_of(const std::vector<Pattern>& patterns, const ByteSource& source,
                                                  std::size_t most);
std::vector<std::uint64_t> places_of(const Pattern& pattern, const ByteSource& source, std::size_t most);

}  // namespace hotstitch
