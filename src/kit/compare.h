// SPDX-License-Identifier: MIT
// What leads from one state of a game to another, as steps of a kit with what they need.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "hotstitch/create.h"
#include "hotstitch/kit_jobs.h"
#include "job/working_copy.h"

namespace hotstitch {

/// A step whose file has no name yet.
struct FoundStep {
    Step step{};
    SharedSource content{};  ///< of the patch or the new file; null: it needs none
    SharedSource packed{};   ///< the new file as an xz file; null: it is not packed
    bool last = false;       ///< of the whole, after all others

    /// Whether it is the same in another edition.
    bool same_as(const FoundStep& other) const;
};

struct CompareOptions {
    WorkOptions work{};
    Effort effort = Effort::normal;
    /// A kit may take so much more than one patch, for steps that people can read: in per cent.
    unsigned most_more = 10;
    bool only_whole = false;  ///< one patch, whatever lies inside
};

/// From one file to the other; `at`: the address of the file, "game". `whole`: set where one patch is taken for all.
std::vector<FoundStep> steps_between(const SharedSource& before, const SharedSource& after, const std::string& at,
                                     const CompareOptions& options, bool& whole);

/// From one folder to the other. Throws Error(usage) for names that differ only by case.
std::vector<FoundStep> steps_between(const Tree& before, const Tree& after, const std::string& at,
                                     const CompareOptions& options);

}  // namespace hotstitch
