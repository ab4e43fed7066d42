// SPDX-License-Identifier: MIT
// Cartridge ROMs: recognising them whatever the file begins with, where there is room in them, and the bytes that
// copiers and emulators put before them.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/change_list.h"
#include "hotstitch/export.h"
#include "hotstitch/identity.h"
#include "hotstitch/source.h"

namespace hotstitch {

/// No cartridge is larger, in bytes, its front header included; of larger files nothing is read.
inline constexpr std::uint64_t largest_cartridge = (std::uint64_t{512} << 20) + 512;

/// The cartridge that this file is if it is one at all, whatever other kind its first bytes name (identify() weighs
/// that). One pass over the file at most. Nothing, where no platform is likely. Throws Error(io) only.
HOTSTITCH_EXPORT std::optional<Identity> recognise_cartridge(const ByteSource& file);
HOTSTITCH_EXPORT std::optional<Identity> recognise_cartridge(ByteView file);

/// A run of one byte: room for something new, perhaps.
struct FreeRun {
    std::uint64_t offset = 0, length = 0;  ///< in the ROM proper
    std::byte value{};
    std::uint64_t bank = 0;  ///< number from the ROM's begin; 0 where the platform has no banks
};

/// Runs of at least `least` bytes, cut where banks end, in order.
HOTSTITCH_EXPORT std::vector<FreeRun> free_runs(const Identity& image, const ByteSource& file,
                                                std::uint64_t least = 256);
inline std::vector<FreeRun> free_runs(const Identity& image, ByteView file, std::uint64_t least = 256) {
    return free_runs(image, MemorySource(file), least);
}

/// Bytes in a bank of the image; 0 where the platform has none.
HOTSTITCH_EXPORT std::uint64_t bank_size(const Identity& image);

// Bytes before the ROM proper, left by a copier or added for an emulator: what they are, and making new ones.

struct FrontHeader {
    std::uint64_t size = 0;  ///< bytes; 0: none
    /// Enough speaks for it to take it off without asking further.
    bool sure = false;
    std::string_view platform;          ///< for people; empty: not known
    std::vector<std::string> evidence;  ///< what speaks for the platform, for people; empty: only the size speaks
};

/// Is there a front header, and what speaks for it? A file whose size leaves 512 bytes over, but that is of no known
/// platform, has a size here, is not sure, and has no evidence. Throws Error(io).
HOTSTITCH_EXPORT FrontHeader front_header_of(const ByteSource& file);
inline FrontHeader front_header_of(ByteView file) {
    return front_header_of(MemorySource(file));
}

/// Taking a front header off, planned.
struct StripPlan {
    enum class Answer {
        none,      ///< there is no front header; the change is empty
        not_sure,  ///< what speaks for it is weak, and no size was asked for; the change is empty
        strip,
    } answer = Answer::none;
    FrontHeader present;             ///< as front_header_of() has it
    Bytes header;                    ///< what comes off
    ChangeList change;               ///< of the file
    bool other_size = false;         ///< another size was asked for than the one that is sure
    bool still_interleaved = false;  ///< what is left is in an order that no console reads; the mend de-interleave
                                     ///< of the whole file takes both off
};

/// No front header is larger, in bytes.
inline constexpr std::uint64_t largest_front_header = 1 << 20;

/// `size`: of the header where the file does not tell, in bytes; 0: by what is known. Throws Error(usage) for a size
/// that no front header of this file has, Error(io).
HOTSTITCH_EXPORT StripPlan plan_strip(const ByteSource& file, std::uint64_t size = 0);

/// The change that puts `header` in front; empty: that which copiers left on the file's platform. Throws Error(usage)
/// where a front header stands already, where `header` is too large, or where it is empty and the platform not certain
/// or without such headers.
HOTSTITCH_EXPORT ChangeList plan_attach(const ByteSource& file, Bytes header = {});

/// All of a file that is to be a front header, as it was kept when it was taken off. Throws Error(usage) for an empty
/// file, or one that is too large for that; Error(io).
HOTSTITCH_EXPORT Bytes front_header_in(const ByteSource& file);

/// A NES header of 16 bytes from "prg=128K,chr=0,mapper=1,mirroring=horizontal,battery": sizes in bytes or with K, M;
/// also submapper=N, timing=ntsc|pal|both, trainer, mirroring=vertical|four. The new layout where the old one cannot
/// say it (mapper over 255, submapper, large sizes, a timing), else the old one. Throws Error(usage).
HOTSTITCH_EXPORT Bytes nes_front_header(std::string_view description);

/// Whether copiers left headers of 512 bytes on this platform, by Identity::platform.
HOTSTITCH_EXPORT bool has_copier_headers(std::string_view platform) noexcept;

/// The empty header of 512 bytes that a copier leaves. Throws Error(usage) for platforms without such headers.
HOTSTITCH_EXPORT Bytes copier_front_header(std::string_view platform);

// In words. Texts of the file come along as they are: `escaped` makes them fit for a terminal.

/// What speaks for a front header, or against it.
HOTSTITCH_EXPORT std::vector<std::string> words_for(const FrontHeader& header);

}  // namespace hotstitch
