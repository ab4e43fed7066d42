// SPDX-License-Identifier: MIT
// Kelp Harbour: a made-up harbour-master game for a 16-bit console, and made-up mods of it. Built from a
// fixed seed: the same bytes on every machine.
#pragma once

#include <cstddef>
#include <vector>

namespace demo {

using Rom = std::vector<std::byte>;

/// The 1 MiB cartridge, Europe, of this revision (0 or 1).
Rom kelp_harbour(int revision);

/// A front header as a copier leaves it, before the ROM.
Rom with_front_header(const Rom& rom);

/// Night Tides: the harbour after dark. New palettes, longer texts, a new routine in free space.
Rom night_tides(Rom rom);

/// Longer Berths: doubles the cartridge and fills it with more harbour.
Rom longer_berths(Rom rom);

/// Fog Signals: a few bytes here and there.
Rom fog_signals(Rom rom);

}  // namespace demo
