// SPDX-License-Identifier: MIT
// ROM-shaped files and what mods do to them, made up and the same every time.
#pragma once

#include <functional>
#include <vector>

#include "hotstitch/bytes.h"

namespace bench {

/// Code, pictures, pointer tables with their texts, and free space.
hotstitch::Bytes rom_shaped(std::size_t size);

struct Mod {
    const char* name;
    std::function<hotstitch::Bytes(hotstitch::Bytes)> modify;
};

/// Scattered edits, shifted pointers, longer texts, moved blocks, filled space, a doubled file, and all together.
const std::vector<Mod>& mods();

}  // namespace bench
