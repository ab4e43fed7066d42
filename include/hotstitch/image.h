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
#include "hotstitch/reading.h"

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

struct Image {
    std::string_view platform;                   ///< stable, for programs: "snes", "nes", "game-boy", …
    std::string_view platform_title;             ///< for people: "SNES"
    std::string title, region, serial, mapping;  ///< empty where the platform or the image says nothing; UTF-8
    std::optional<unsigned> revision;
    std::uint64_t size = 0;                      ///< of the ROM proper, in bytes
    std::optional<std::uint64_t> declared_size;  ///< what the header says it is
    /// Where its internal header begins, on platforms with several places for it.
    std::uint64_t internal_header = 0;
    std::uint64_t front_header = 0;  ///< bytes before the ROM proper; 0: none
    /// The front header belongs to the format of the file and says how to read it; otherwise a copier has left it.
    bool header_describes = false;
    /// How to read the file as the console does: without a copier's header, in the console's byte order.
    std::optional<Reading> reading;
    std::string order;  ///< byte order or interleaving, for people, where the platform knows several
    std::vector<InternalCheck> checks;
    std::vector<ImageDetail> details;
    std::vector<std::string> warnings;
    Certainty certainty = Certainty::likely;
    unsigned evidence_bits = 0;               ///< how improbable the same would be by chance, as a power of two
    std::vector<std::string> evidence;        ///< why: "the checksum is right", …
    std::vector<std::string_view> also_like;  ///< platforms that would fit too, by title
};

/// One pass over the file at most. Nothing, where no platform is likely or the file is larger than 1 GiB. Never fails.
HOTSTITCH_EXPORT std::optional<Image> recognise_image(ByteView file);

/// "KELP HARBOUR, Europe, revision 1", as far as the image says so.
HOTSTITCH_EXPORT std::string edition_of(const Image& image);

/// Where all checks that can be made are right, and there is one.
HOTSTITCH_EXPORT bool all_checks_right(const Image& image) noexcept;

}  // namespace hotstitch
