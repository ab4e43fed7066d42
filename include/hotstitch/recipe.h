// SPDX-License-Identifier: MIT
// What is done, as plain data: a base, steps, and where the result goes. Whatever changes a file builds a recipe, and
// one engine (job.h) plans and runs it; it can be read from and written to JSON. docs/formats/recipe.md.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/digest.h"
#include "hotstitch/export.h"
#include "hotstitch/file_io.h"
#include "hotstitch/patch.h"
#include "hotstitch/step.h"

namespace hotstitch {

/// Where the result goes. A recipe of patches alone may leave all of it empty: then it goes beside the base, named
/// after the last patch (default_apply_output in delivery.h). Any other names exactly one of `file`, `as`, `in_place`
/// and `patch`.
struct Destination {
    std::string file{};                   ///< a file or a folder
    std::string as{};                     ///< a pattern of the output's name (placed_as)
    std::string name_like{};              ///< a companion (delivery.h) whose name the output takes
    bool in_place = false;                ///< the output replaces the base
    std::string patch{};                  ///< the change is written as a patch to this file, and nothing else is
    std::optional<PatchFormat> format{};  ///< of the patch; empty: by its extension
    Replace replace = Replace::never;
    /// A cue sheet that names the base is written anew beside the output, with the output's name in it.
    bool with_sheet = false;
    /// The output in the base's representation, where a patch wanted another: with its front header, in its byte order,
    /// interleaved as it was.
    bool keep_representation = false;
    /// A front header that is taken off goes into this file, which appears together with the output; empty: nowhere.
    std::string header{};
    Replace replace_header = Replace::never;
    bool receipt = true, reverse = false, digests = false;  ///< as in DeliveryOptions
};

struct Recipe {
    std::string base{};  ///< the address of a file, or of a part of it, which all steps are about
    std::vector<Step> steps{};
    Destination to{};
    Digests expected{};  ///< what the base has to be, beyond what the first patch and its checks file say
    bool allow_source = false, allow_target = false, allow_patch = false;  ///< go on although that check fails
    Allowed allow{};     ///< what to go on with although it breaks or may not help
    bool as_is = false;  ///< the base in no other representation, and not out of an archive
    /// Checks of the file that a step made stale are put right. Empty: after patches they are left, else put right.
    std::optional<bool> mend{};

    /// Patches, in this order, on a base.
    HOTSTITCH_EXPORT static Recipe of_patches(std::string base, const std::vector<std::string>& patches);
};

/// The JSON text, ending with a newline; names that are not UTF-8 stand in it as as_utf8() spells them.
HOTSTITCH_EXPORT std::string json_of(const Recipe& recipe);

/// Throws Error(damaged) naming the member that is wrong or not known, Error(unsupported) for a newer version.
HOTSTITCH_EXPORT Recipe recipe_from_json(std::string_view text);

}  // namespace hotstitch
