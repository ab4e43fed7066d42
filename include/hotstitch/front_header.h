// SPDX-License-Identifier: MIT
// Bytes before the ROM proper, left by a copier or added for an emulator: what they are, and making new ones.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"

namespace hotstitch {

struct FrontHeader {
    std::uint64_t size = 0;  ///< bytes; 0: none
    /// Enough speaks for it to take it off without asking further.
    bool sure = false;
    std::string platform;              ///< for people; empty: not known
    std::vector<std::string> reasons;  ///< what speaks for it, or against
};

/// Is there a front header, and what speaks for it? A file whose size leaves 512 bytes over, but that is of no known
/// platform, has a size here and is not sure.
HOTSTITCH_EXPORT FrontHeader front_header_of(ByteView file);

/// A NES header of 16 bytes from "prg=128K,chr=0,mapper=1,mirroring=horizontal,battery": sizes in bytes or with K, M;
/// also submapper=N, timing=ntsc|pal|both, trainer, mirroring=vertical|four. The new layout where the old one cannot
/// say it (mapper over 255, submapper, large sizes, a timing), else the old one. Throws Error(usage).
HOTSTITCH_EXPORT Bytes nes_front_header(std::string_view description);

/// Whether copiers left headers of 512 bytes on this platform (image.h names them).
HOTSTITCH_EXPORT bool has_copier_headers(std::string_view platform) noexcept;

/// The empty header of 512 bytes that a copier leaves. Throws Error(usage) for platforms without such headers.
HOTSTITCH_EXPORT Bytes copier_front_header(std::string_view platform);

}  // namespace hotstitch
