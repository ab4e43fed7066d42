// SPDX-License-Identifier: MIT
// What BPS is made of, for reader and writer. Frozen: docs/formats/bps.md.
#pragma once

#include "edit/patch_formats.h"

#include <cstdint>
#include <string_view>

namespace hotstitch::bps {

inline constexpr std::string_view magic = row_of(PatchFormat::bps).magic;

/// The two lowest bits of an action's word; the rest is its length - 1.
enum class Action : std::uint8_t { source_read = 0, target_read = 1, source_copy = 2, target_copy = 3 };

}  // namespace hotstitch::bps
