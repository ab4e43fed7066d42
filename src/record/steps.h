// SPDX-License-Identifier: MIT
// Steps, one row each: their names, and what of them is written down. Whoever adds a step adds its type (step.h), its
// row and members here, its words (words/steps.cc) and what it does (job/steps/).
#pragma once

#include <array>
#include <string_view>

#include "hotstitch/step.h"
#include "record/digests_json.h"

namespace hotstitch {

struct StepRow {
    std::string_view name;
    std::string_view place;  ///< in a kit: the key of where it is done; empty: the value of the name says it
};

/// In the order of the types.
inline constexpr std::array<StepRow, std::variant_size_v<StepAction>> step_rows{{{"apply", "to"},
                                                                                 {"put", "into"},
                                                                                 {"set", "in"},
                                                                                 {"edit", "in"},
                                                                                 {"remove", ""},
                                                                                 {"mend", "in"},
                                                                                 {"folder", ""},
                                                                                 {"link", ""},
                                                                                 {"strip-header", ""},
                                                                                 {"attach-header", ""}}};

inline const StepRow& row_of(const StepAction& does) noexcept {
    return step_rows[does.index()];
}

/// The action of a row, empty.
template <std::size_t index = 0>
StepAction action_of(std::size_t row) {
    if constexpr (index + 1 < std::variant_size_v<StepAction>)
        if (row != index) return action_of<index + 1>(row);
    return StepAction(std::in_place_index<index>);
}

/// Calls visit(key, member) for each member of an action; those that are empty are not written.
template <class Action, class Visit>
void each_member(Action& does, Visit&& visit) {
    if constexpr (requires { does.file; }) visit("file", does.file);
    if constexpr (requires { does.room; }) visit("room", does.room);
    if constexpr (requires { does.add; }) visit("add", does.add);
    if constexpr (requires { does.executable; }) visit("executable", does.executable);
    if constexpr (requires { does.fields; }) visit("fields", does.fields);
    if constexpr (requires { does.map; }) visit("map", does.map);
    if constexpr (requires { does.mends; }) visit("mends", does.mends);
    if constexpr (requires { does.boot_code; }) visit("boot_code", does.boot_code);
    if constexpr (requires { does.nes; }) visit("nes", does.nes);
    if constexpr (requires { does.size; }) visit("size", does.size);
    if constexpr (requires { does.to; }) visit("to", does.to);
}

/// "any", "place", "append", "rebuild"
std::string_view code_of(Room room) noexcept;
std::optional<Room> room_from(std::string_view code) noexcept;

/// {"do": "put", "at": "DATA/UNITS.BIN", "file": "units.bin"}
OrderedJson to_json(const Step& step);
/// `document`: for errors, "recipe". Throws Error(damaged) for a member that is missing, wrong, or not known; `more`:
/// members that the caller reads.
Step step_from(const OrderedJson& object, std::string_view document, std::initializer_list<std::string_view> more = {});

}  // namespace hotstitch
