// SPDX-License-Identifier: MIT
// Kits: mods of one or several steps, told in a text that lies beside what they need. docs/formats/kit.md.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "hotstitch/address.h"
#include "hotstitch/digest.h"
#include "hotstitch/export.h"
#include "hotstitch/step.h"

namespace hotstitch {

/// One of the files, or folders, that a base may be.
struct KitEdition {
    std::string name;
    Digests digests{};                                     ///< of a file; with a checksum
    std::vector<std::pair<std::string, Digests>> files{};  ///< of a folder: by which it is known
};

/// What a player brings.
struct KitBase {
    std::string id;
    std::string title{};  ///< for people; empty: none
    bool folder = false, optional = false;
    std::vector<KitEdition> any{};
    unsigned line = 0;  ///< in kit.toml; 0: it was not read

    const KitEdition* edition(std::string_view name) const noexcept;
};

struct KitOutput {
    std::string from{};  ///< a base, a part of one, or a file of the kit
    std::string name{};  ///< with {name}, {version}, {BASE}: a path below where the outputs go
    std::vector<std::string> only{};
    std::vector<std::pair<std::string, Digests>> check{};  ///< by edition
    unsigned line = 0;
};

struct Kit {
    std::string name, version{}, author{}, readme{};
    std::vector<KitBase> bases{};
    std::vector<Step> steps{};  ///< on working copies of the bases, which are never the player's files
    std::vector<KitOutput> outputs{};

    const KitBase* base(std::string_view id) const noexcept;
};

/// The id of a base, as the address's file, and the parts that lead on from there; all empty where no base has it.
HOTSTITCH_EXPORT Address address_in_base(const Kit& kit, std::string_view text);

/// A file of the kit and what is named inside it: "files/a.xz", "content".
HOTSTITCH_EXPORT Address address_in_kit(std::string_view text);

/// What the texts {name}, {version} and {BASE} stand for; `editions`: name of the edition by base. Throws Error(usage)
/// for a word that is not known, or a base that is not there.
HOTSTITCH_EXPORT std::string kit_text_for(const Kit& kit, std::string_view text,
                                          const std::vector<std::pair<std::string, std::string>>& editions);

/// More of them are refused.
inline constexpr std::size_t most_kit_steps = 20'000, most_kit_outputs = 1'000, most_kit_bases = 100;

/// Everything that can be known from the text alone is checked: keys, ids, editions, names, what nobody uses. Throws
/// Error(damaged) with the line, Error(limit), Error(unsupported) where the build has no TOML.
HOTSTITCH_EXPORT Kit read_kit(std::string_view text, const std::string& name = "kit.toml");

/// The text of a kit; reading it gives the kit again, without lines.
HOTSTITCH_EXPORT std::string kit_text(const Kit& kit);

/// Whether a link at `at`, a path in a folder, to `to` stays in that folder.
HOTSTITCH_EXPORT bool link_stays_inside(const std::string& at, const std::string& to);

}  // namespace hotstitch
