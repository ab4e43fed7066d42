// SPDX-License-Identifier: MIT
// What steps do: the words of the language, one row each.
#pragma once

#include <string_view>

#include "hotstitch/kit.h"

namespace hotstitch {

struct Verb {
    KitStep::Does does{};
    std::string_view name;
    std::string_view place;  ///< the key of where it is done; empty: the verb's own value says it
};

inline constexpr Verb verbs[] = {{KitStep::Does::apply, "apply", "to"}, {KitStep::Does::put, "put", "into"},
                                 {KitStep::Does::set, "set", "in"},     {KitStep::Does::edit, "edit", "in"},
                                 {KitStep::Does::remove, "remove", ""}, {KitStep::Does::mend, "mend", "in"},
                                 {KitStep::Does::folder, "folder", ""}, {KitStep::Does::link, "link", ""}};

/// REQUIRES the rows to be in the order of the values.
constexpr const Verb& verb_of(KitStep::Does does) noexcept {
    return verbs[static_cast<std::size_t>(does)];
}
static_assert([] {
    for (const Verb& verb : verbs)
        if (&verb_of(verb.does) != &verb) return false;
    return true;
}());

}  // namespace hotstitch
