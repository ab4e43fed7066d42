// SPDX-License-Identifier: MIT
// The mends of an image's size: expand, trim, pad.
#pragma once

#include <string_view>

#include "part/cartridge/platform.h"

namespace hotstitch::cartridge {

bool is_resize(std::string_view name) noexcept;
/// What it takes and does, for people.
std::string_view value_of_resize(std::string_view name) noexcept;
std::string_view words_of_resize(std::string_view name) noexcept;

/// Changes the size of `rom`; never cuts data. Throws Error(usage, unsupported, limit).
void resize(Bytes& rom, const Cartridge& image, std::string_view name, std::string_view value, Mending& mending);

}  // namespace hotstitch::cartridge
