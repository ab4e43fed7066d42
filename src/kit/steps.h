// SPDX-License-Identifier: MIT
// The steps of kits, one after the other, on bases under way.
#pragma once

#include <map>
#include <set>
#include <string>
#include <vector>

#include "hotstitch/kit_jobs.h"
#include "job/working_copy.h"

namespace hotstitch {

/// The map of a kit by its name there. Throws what reading it throws.
SharedMap map_of_kit(const KitInput& kit, const std::string& name);
/// A map as an edit list in a kit names it: beside the list.
std::string map_beside(const std::string& list, const std::string& map);

/// As find_kit_bases() found it. Throws Error(io, refused).
WorkingBase working_base(const KitBaseFound& found, const Limits& limits);

/// One kit, its bases as they were found, and as they are under way; bases of several kits may be the same.
struct KitOnItsWay {
    const KitInput& kit;
    const std::vector<KitBaseFound>& found;
    std::map<std::string, std::shared_ptr<WorkingBase>> bases{};  ///< by id; those that were found

    /// Whether something that is only for these editions is for these bases. `address`: what it is about.
    bool is_for(const std::vector<std::string>& only, const std::string& address) const;
    /// The edition of the base that an address begins with; the only base's, where it begins with none.
    std::string edition_of(const std::string& address) const;
    /// A text with the words in it replaced.
    std::string text(const std::string& pattern) const;
    std::vector<std::pair<std::string, std::string>> editions() const;
};

/// Whether a step can be done at all: its bases are there, and it is for their editions.
bool is_done(const KitOnItsWay& kit, const Step& step);

/// Does one step. Throws Error that names the step, its line, what it wanted and what it found.
void run_step(KitOnItsWay& kit, const Step& step, const WorkOptions& work);

/// What stands at an address by now: a part of a base, or a file of the kit.
SharedSource content_at(KitOnItsWay& kit, const std::string& from, bool as_brought, const WorkOptions& work);

}  // namespace hotstitch
