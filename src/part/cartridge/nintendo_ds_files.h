// SPDX-License-Identifier: MIT
// The file system of a DS cartridge (docs/formats/images.md, "Nintendo DS"): folders and files, overlays, both
// programs, the banner.
#pragma once

#include <string>
#include <vector>

#include "hotstitch/part.h"
#include "part/cartridge/platform.h"

namespace hotstitch::cartridge {

/// Its files, and what is wrong in its tables; those that lie outside the ROM are told there.
std::vector<RomFile> ds_files(ByteView rom, std::vector<std::string>& warnings);

/// The change that puts `content` in the place of the file: in its place where it fits before the next one, else behind
/// everything. Tables, used size, header and banner checks follow. Throws Error(usage, unsupported).
PutResult put_ds_file(ByteView rom, const RomFile& file, const SharedSource& content, const PutOptions& options);

}  // namespace hotstitch::cartridge
