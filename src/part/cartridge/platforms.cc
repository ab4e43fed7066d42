// SPDX-License-Identifier: MIT
// All platforms. A new one is one file, and here a name and a row.
#include <array>

#include "part/cartridge/platform.h"

namespace hotstitch::cartridge {

namespace {

constexpr std::array<const Platform*, 13> rows{
    &nes,         &nes_disk,   &lynx,          &atari_7800,  // begin with a magic number
    &nintendo_64, &mega_drive, &master_system, &game_boy_advance, &nintendo_ds,
    &game_boy,    &snes,       &wonderswan,    &pc_engine,
};

}  // namespace

std::span<const Platform* const> platforms() noexcept {
    return rows;
}

}  // namespace hotstitch::cartridge
