// SPDX-License-Identifier: MIT
// Cartridge ROMs and executables, told: what describe, mend and header state of them.
#pragma once

#include <string>
#include <vector>

#include "hotstitch/cartridge.h"
#include "render/report.h"

namespace hotstitch::cli {

/// What it is: region and revision first, because many mods are made for exactly one.
void identity_facts(Report& report, const Identity& image);

/// Facts, entry, segments, checks and warnings of an executable.
void executable_facts(Report& report, const Identity& identity);

/// What else the image says, its checks, and how sure all that is.
void image_facts(Report& report, const Identity& image);

/// The places named, both ways, with the bytes there. False where one is none; the others are told all the same.
bool place_facts(Report& report, const Identity& image, const ByteSource& file, const std::vector<std::string>& places);

/// Free space, by bank.
void free_facts(Report& report, const Identity& image, const ByteSource& file);

}  // namespace hotstitch::cli
