// SPDX-License-Identifier: MIT
// What can be done to a file or to what is in it, one type for each step, as plain data: recipes (recipe.h) are made of
// steps, and so are kits (kit.h). docs/formats/recipe.md.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "hotstitch/export.h"
#include "hotstitch/fields.h"
#include "hotstitch/part.h"

namespace hotstitch {

/// `file`: the address of what a step takes its content from; in a kit, a file of the kit or something in it
/// ("files/a.xz:content"), for `Put` also a part of a base as it was brought.
namespace step {

/// A patch of any format is applied.
struct Patch {
    std::string file{};
    Room room = Room::any;  ///< where a part of a disc goes that no longer fits
};
/// The same of an edit list alone.
struct Edit {
    std::string file{};
};
/// A part gets other content. In a recipe, a folder's files go below the address.
struct Put {
    std::string file{};
    Room room = Room::any;
    bool add = false;                  ///< it is not there yet
    std::optional<bool> executable{};  ///< of a file in a folder: whether it may be run
};
/// A part goes.
struct Remove {};
/// Named fields get values.
struct Set {
    std::vector<FieldSetting> fields{};
    std::string map{};  ///< a map of the kit; empty: whichever are for the file, and its own header
};
/// "checksum", "region=Europe": in the right order (mend.h).
struct Mend {
    std::vector<std::string> mends{};
    std::string boot_code{};  ///< Nintendo 64: the boot code variant, where it is not recognised
};
/// The front header is taken off. `size` in bytes; 0: as the file tells.
struct StripHeader {
    std::uint64_t size = 0;
};
/// One is put on: of a file, by a description ("prg=128K,chr=0"), or of so many zeros; else the platform's own.
struct AttachHeader {
    std::string file{}, nes{};
    std::uint64_t size = 0;
};
/// A folder is made, in a base that is one.
struct Folder {};
/// A link is made there.
struct Link {
    std::string to{};
};

}  // namespace step

using StepAction = std::variant<step::Patch, step::Put, step::Set, step::Edit, step::Remove, step::Mend, step::Folder,
                                step::Link, step::StripHeader, step::AttachHeader>;

struct Step {
    StepAction does{};
    /// What it is about. In a recipe inside the base, empty: the base itself; in a kit with the base's id in front,
    /// "game:DATA/TITLE.BIN:content".
    std::string at{};
    std::vector<std::string> only{};  ///< of a kit: editions; empty: for all
    std::string note{};               ///< for people
    unsigned line = 0;                ///< in the text that it was read from; 0: it was not read

    template <class Action>
    const Action* as() const noexcept {
        return std::get_if<Action>(&does);
    }
    template <class Action>
    Action* as() noexcept {
        return std::get_if<Action>(&does);
    }
    template <class Action>
    bool is() const noexcept {
        return std::holds_alternative<Action>(does);
    }
};

/// "patch", "put", "set", …: stable, for programs.
HOTSTITCH_EXPORT std::string_view name_of(const StepAction& does) noexcept;

/// What the step takes its content from; null: it needs nothing.
HOTSTITCH_EXPORT const std::string* file_of(const StepAction& does) noexcept;
/// Where it takes content from somewhere, from there.
HOTSTITCH_EXPORT void set_file(StepAction& does, std::string file) noexcept;

// In words. Texts of the file come along as they are: `escaped` makes them fit for a terminal.

/// What a step does: "put files/title.bin into game:DATA/TITLE.BIN".
HOTSTITCH_EXPORT std::string words_for(const Step& step);

}  // namespace hotstitch
