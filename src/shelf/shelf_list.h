// SPDX-License-Identifier: MIT
// "shelf.toml": what is on a shelf, and what it put into the game's place (docs/formats/shelf.md).
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/shelf.h"

namespace hotstitch {

struct ShelfList {
    std::string game;            ///< its name, for people
    Digests original{}, made{};  ///< of a file: the original, and what the used mods made of it
    std::vector<std::string> used{};
    std::vector<ShelfMod> mods{};  ///< their sizes stand nowhere
};

std::string shelf_to_toml(const ShelfList& list);
/// `name`: as errors call it. Throws Error(damaged) with the line, also for a mod that leads out of the shelf;
/// Error(unsupported) where the build has no TOML.
ShelfList shelf_from_toml(std::string_view text, const std::string& name);

}  // namespace hotstitch
