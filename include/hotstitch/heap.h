// SPDX-License-Identifier: MIT
// A heap of files, in any order: what each one is and is there for, and what can be made of them. Only content decides;
// names tell companions, readmes and lists of checksums.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/error.h"
#include "hotstitch/export.h"
#include "hotstitch/fit.h"
#include "hotstitch/inputs.h"
#include "hotstitch/kit_jobs.h"
#include "hotstitch/recipe.h"

namespace hotstitch {

/// What a file of a heap is there for.
enum class HeapRole : std::uint8_t {
    game,   ///< what may be patched
    patch,  ///< or an archive or folder with patches in it
    kit,
    sheet,  ///< a cue sheet, which stands for the disc whose tracks it names
    track,  ///< of such a sheet
    companion,
    map,
    keys,
    checks,   ///< checksums: our own, or a list in a form of the field
    receipt,  ///< of what was made before
    readme,
    picture,  ///< or a document
    program,  ///< beside a patch, which is never run
    folder,   ///< searched for all of these
    other,
};
/// "game", "patch", "kit", …: stable, for programs.
HOTSTITCH_EXPORT std::string_view name_of(HeapRole role) noexcept;

struct HeapFile {
    std::string path;  ///< as it was named; of what lies in an archive or a folder, its address
    HeapRole role{};
    std::string is{};    ///< for people: "a SNES ROM: KELP HARBOUR, Europe"
    std::string why{};   ///< why it is left over; empty: it is used
    bool found = false;  ///< in a folder or archive, not named itself
};

/// Something that can be done: a recipe, or kits.
struct HeapChoice {
    std::optional<Recipe> recipe{};
    std::optional<KitRequest> kits{};
    std::string words{};  ///< "Night Tides.bps onto Kelp Harbour.sfc, read without its front header"
    std::string by{};     ///< what speaks for it: "checksums", "the ROM's own checks"; empty: nothing can tell
    std::filesystem::path output{};  ///< where it goes; of kits, empty
};

/// What the files do not decide.
struct HeapQuestion {
    std::string question;
    std::vector<HeapChoice> choices;
};

/// A patch and the file that it fits least badly.
struct HeapMisfit {
    std::string game, patch;
    Diagnosis diagnosis;
};

struct Heap {
    std::vector<HeapFile> files;  ///< in the order in which they were named
    std::optional<HeapChoice> plan{};
    std::vector<HeapQuestion> open{};
    std::vector<HeapMisfit> misfits{};  ///< where nothing fits, the nearest first
    std::optional<Error> refusal{};     ///< of kits: which base is missing
    std::string patched_already{};  ///< the game that already is what the patch makes, where nothing else can be done
    std::string readme{};           ///< the address of what the maker says
    std::vector<std::string> readme_lines{};  ///< its first lines, at most 20
    bool cut_short = false;                   ///< a folder holds more than was looked at
    WorkOptions work{};                       ///< those that were given, with the keys and maps of the heap

    /// The files with nothing but a game among them, whose description is the answer.
    std::vector<std::string> games() const;
};

/// Looks at all files, into archives and folders, and holds every patch against every game. `to`: where results go.
/// Folders are searched for two seconds at most. Throws Error(io, cancelled), and Error(usage) where there is nothing.
HOTSTITCH_EXPORT Heap sort_heap(const std::vector<std::string>& names, const Destination& to = {},
                                const WorkOptions& options = {});

}  // namespace hotstitch
