// SPDX-License-Identifier: MIT
// Cartridge ROM images: which platform, which game, region and revision, and are its own checks right.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"
#include "hotstitch/source.h"

namespace hotstitch {

enum class CheckState {
    right,
    wrong,
    unknown,  ///< cannot be checked; the note says why
};

/// A check that the image carries of itself.
struct InternalCheck {
    std::string_view name;  ///< "checksum", "header check", "logo", …
    CheckState state = CheckState::unknown;
    std::string wanted, found;  ///< hex, as the platform writes it; `found` is what stands in the image
    std::string note{};         ///< more, or why it cannot be checked
    bool mendable = true;
};

/// Something else that the image says of itself, for people.
struct ImageDetail {
    std::string_view key, label;
    std::string text;
};

enum class Certainty {
    likely,   ///< what stands there fits, and might by chance
    certain,  ///< a checksum is right, a magic number stands there, or too much fits for chance
};

struct Cartridge {
    std::string_view platform;                   ///< stable, for programs: "snes", "nes", "game-boy", …
    std::string_view platform_title;             ///< for people: "SNES"
    std::string title, region, serial, mapping;  ///< empty where the platform or the image says nothing; UTF-8
    std::optional<unsigned> revision;
    std::uint64_t size = 0;                      ///< of the ROM proper, in bytes
    std::optional<std::uint64_t> declared_size;  ///< what the header says it is
    std::optional<std::uint64_t> used_size;      ///< how much of it the header says holds data
    unsigned layout = 0;                         ///< which of its layouts, by the platform's own count
    /// Where its internal header begins, on platforms with several places for it.
    std::uint64_t internal_header = 0;
    std::uint64_t front_header = 0;  ///< bytes before the ROM proper; 0: none
    /// The front header belongs to the format of the file and says how to read it; otherwise a copier has left it.
    bool header_describes = false;
    /// How to read the file as the console does: without a copier's header, in the console's byte order.
    std::optional<Representation> reading;
    std::string order;  ///< byte order or interleaving, for people, where the platform knows several
    std::vector<InternalCheck> checks;
    std::vector<ImageDetail> details;
    std::vector<std::string> warnings;
    Certainty certainty = Certainty::likely;
    unsigned evidence_bits = 0;               ///< how improbable the same would be by chance, as a power of two
    std::vector<std::string> evidence;        ///< why: "the checksum is right", …
    std::vector<std::string_view> also_like;  ///< platforms that would fit too, by title
};

/// No cartridge is larger, in bytes, its front header included; of larger files nothing is read.
inline constexpr std::uint64_t largest_cartridge = (std::uint64_t{512} << 20) + 512;

/// One pass over the file at most. Nothing, where no platform is likely. Throws Error(io) only.
HOTSTITCH_EXPORT std::optional<Cartridge> recognise_cartridge(const ByteSource& file);
HOTSTITCH_EXPORT std::optional<Cartridge> recognise_cartridge(ByteView file);

/// "KELP HARBOUR, Europe, revision 1", as far as the image says so.
HOTSTITCH_EXPORT std::string edition_of(const Cartridge& image);

/// Where all checks that can be made are right, and there is one.
HOTSTITCH_EXPORT bool all_checks_right(const Cartridge& image) noexcept;

// Where a byte of a cartridge image stands in the console's memory, and where there is room.

/// A place in an image, both ways.
struct Place {
    std::uint64_t file_offset = 0;  ///< in the file, front header included
    std::uint64_t rom_offset = 0;   ///< in the ROM proper
    std::string address;            ///< as the console sees it: "80:8000"; empty where it does not see it
};

/// Platforms: SNES, Game Boy, NES (by banks), GBA.
HOTSTITCH_EXPORT bool has_addresses(const Cartridge& image);

/// `text`: an address of the console ("80:8000", "0x808000", "$80:8000", "08001234") or, with a plus sign before
/// it, an offset in the file ("+0x81c0"). All hex. Throws Error(usage) for what is neither, for an address at which no
/// ROM stands, and for places past the end; Error(unsupported) for platforms without a known map.
HOTSTITCH_EXPORT Place place_at(const Cartridge& image, const ByteSource& file, std::string_view text);
HOTSTITCH_EXPORT Place place_at(const Cartridge& image, ByteView file, std::string_view text);

/// The address of an offset in the ROM proper; empty where there is none.
HOTSTITCH_EXPORT std::string address_of(const Cartridge& image, const ByteSource& file, std::uint64_t rom_offset);

/// A run of one byte: room for something new, perhaps.
struct FreeRun {
    std::uint64_t offset = 0, length = 0;  ///< in the ROM proper
    std::byte value{};
    std::uint64_t bank = 0;  ///< number from the ROM's begin; 0 where the platform has no banks
};

/// Runs of at least `least` bytes, cut where banks end, in order.
HOTSTITCH_EXPORT std::vector<FreeRun> free_runs(const Cartridge& image, const ByteSource& file,
                                                std::uint64_t least = 256);
inline std::vector<FreeRun> free_runs(const Cartridge& image, ByteView file, std::uint64_t least = 256) {
    return free_runs(image, MemorySource(file), least);
}

/// Bytes in a bank of the image; 0 where the platform has none.
HOTSTITCH_EXPORT std::uint64_t bank_size(const Cartridge& image);

// Bytes before the ROM proper, left by a copier or added for an emulator: what they are, and making new ones.

struct FrontHeader {
    std::uint64_t size = 0;  ///< bytes; 0: none
    /// Enough speaks for it to take it off without asking further.
    bool sure = false;
    std::string platform;              ///< for people; empty: not known
    std::vector<std::string> reasons;  ///< what speaks for it, or against
};

/// Is there a front header, and what speaks for it? A file whose size leaves 512 bytes over, but that is of no known
/// platform, has a size here and is not sure.
HOTSTITCH_EXPORT FrontHeader front_header_of(const ByteSource& file);
inline FrontHeader front_header_of(ByteView file) {
    return front_header_of(MemorySource(file));
}

/// A NES header of 16 bytes from "prg=128K,chr=0,mapper=1,mirroring=horizontal,battery": sizes in bytes or with K, M;
/// also submapper=N, timing=ntsc|pal|both, trainer, mirroring=vertical|four. The new layout where the old one cannot
/// say it (mapper over 255, submapper, large sizes, a timing), else the old one. Throws Error(usage).
HOTSTITCH_EXPORT Bytes nes_front_header(std::string_view description);

/// Whether copiers left headers of 512 bytes on this platform, by Cartridge::platform.
HOTSTITCH_EXPORT bool has_copier_headers(std::string_view platform) noexcept;

/// The empty header of 512 bytes that a copier leaves. Throws Error(usage) for platforms without such headers.
HOTSTITCH_EXPORT Bytes copier_front_header(std::string_view platform);

}  // namespace hotstitch
