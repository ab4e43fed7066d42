// SPDX-License-Identifier: MIT
// A shelf beside one game: several mods of which one, or several, or none is in the game's place, always under the
// game's own name. docs/formats/shelf.md.
#pragma once

#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "hotstitch/digest.h"
#include "hotstitch/error.h"
#include "hotstitch/export.h"
#include "hotstitch/inputs.h"

namespace hotstitch {

/// A mod on the shelf: a patch or a kit. A modified copy that was handed in is kept as a patch, or a kit of a folder.
struct ShelfMod {
    std::string name;
    std::string file{};  ///< below the shelf: "mods/Night Tides.bps"
    bool kit = false;
    std::uint64_t size = 0;  ///< bytes that it takes
    Digests makes{};         ///< what it made of the original when it was used last, alone; of a file
};

/// What stands in the game's place.
enum class ShelfPlace {
    original,
    mods,     ///< those that the shelf says
    unknown,  ///< neither: it was updated, restored or changed from outside
};
/// "original", "mods", "unknown": stable, for programs.
HOTSTITCH_EXPORT std::string_view code_of(ShelfPlace place) noexcept;

struct ShelfState {
    std::filesystem::path game, shelf;
    bool folder = false;       ///< whether the game is one
    bool gone = false;         ///< nothing stands in the game's place; the shelf has the original
    bool holds_files = false;  ///< what was found in the game's place lies on the shelf, and nowhere else perhaps
    ShelfPlace place = ShelfPlace::original;
    std::vector<std::string> used{};  ///< the mods in place, in their order
    std::vector<ShelfMod> mods{};
    Digests original{}, found{};         ///< of a file: the original, and what stands there
    std::vector<std::string> changed{};  ///< unknown, of a folder: files that are others
};

/// What came of a call.
struct ShelfResult {
    ShelfState state;
    std::vector<std::string> kept;                             ///< names that are new on the shelf
    std::vector<std::pair<std::string, std::string>> again{};  ///< not kept: the same as the second, which is there
    std::optional<std::filesystem::path> aside;                ///< where what nobody knew was kept
    bool stood_already = false;                                ///< what was asked for was in place
    /// Why not all of it was done: a mod is for something else, or the original is not there as it was. What stood in
    /// the game's place stands there; of mods, `kept` are those before that one.
    std::optional<Error> refusal{};
};

/// Each call finds out by checksums what stands in the game's place; what the shelf does not know is never lost.
class HOTSTITCH_EXPORT Shelf {
public:
    /// `game`: a file, a folder, or the cue sheet of a disc, whose file is meant. Throws Error(io), Error(damaged) for
    /// a shelf that is none.
    Shelf(const std::filesystem::path& game, WorkOptions options);
    ~Shelf();

    /// Reads the game once.
    ShelfState state() const;
    /// Patches, kits and modified copies, each held against the original first. One whose name is taken is a newer
    /// version; the older one is kept as a backup.
    ShelfResult keep(const std::vector<std::string>& mods);
    /// These, in this order; none: the original. All or nothing. Throws Error(usage) for a name that is not there, or
    /// patches together with kits; Error(wrong_target), and what applying throws.
    ShelfResult use(const std::vector<std::string>& names);
    /// What stands there now is the original from now on, after the game was updated. The old one is kept aside.
    ShelfResult adopt();

private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace hotstitch
