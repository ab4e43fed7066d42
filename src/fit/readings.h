// SPDX-License-Identifier: MIT
// In which other representations a file may be the right one.
#pragma once

#include <optional>
#include <vector>

#include "hotstitch/source.h"

namespace hotstitch {

/// Every representation that the sizes allow; with no size wanted, those that are likely at all. Throws Error(io).
std::vector<Representation> readings_for(const ByteSource& file, const std::optional<std::uint64_t>& wanted);

/// Whether front headers have this size in bytes on one platform or another.
bool is_header_size(std::uint64_t size) noexcept;

}  // namespace hotstitch
