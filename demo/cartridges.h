// SPDX-License-Identifier: MIT
// Kelp Harbour for other consoles: small made-up images, each with the header and the checks that its platform wants.
// The checks are computed here once more, in the plainest way.
#pragma once

#include <string>
#include <vector>

#include "kelp_harbour.h"

namespace demo {

Rom nes_kelp();               ///< 16 bytes of header, 32 KiB PRG, 8 KiB CHR
Rom nes_disk_kelp();          ///< one raw disk side
Rom game_boy_kelp();          ///< 64 KiB
Rom game_boy_advance_kelp();  ///< 128 KiB
Rom nintendo_ds_kelp();       ///< 128 KiB, of which 100,000 bytes are used
Rom nintendo_64_kelp();       ///< big-endian, with a boot code of variant 6102 by its CRC-32
Rom mega_drive_kelp();        ///< 128 KiB
Rom master_system_kelp();     ///< 32 KiB
Rom pc_engine_kelp();         ///< 64 KiB
Rom lynx_kelp();              ///< 64 bytes of header, 64 KiB
Rom atari_7800_kelp();        ///< 128 bytes of header, 32 KiB
Rom wonderswan_kelp();        ///< 128 KiB

/// Each two bytes exchanged; each four reversed.
Rom with_pairs_swapped(Rom rom);
Rom with_words_reversed(Rom rom);
/// As an interleaved dump: a front header, then blocks of 16 KiB, each the odd addresses first.
Rom interleaved(const Rom& rom);

struct NamedRom {
    std::string name;
    Rom rom;
};
/// The files that make_demo writes for other consoles, with their variants.
std::vector<NamedRom> cartridges();

}  // namespace demo
