// SPDX-License-Identifier: MIT
// What a job on kits knows at each moment.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "hotstitch/kit_jobs.h"
#include "work/kit_steps.h"

namespace hotstitch {

struct KitJob::State {
    KitRequest request;
    WorkOptions work;
    std::vector<KitInput> kits;
    std::vector<std::vector<KitBaseFound>> bases;
    std::optional<KitPlan> plan;
    std::vector<KitOnItsWay> ways;
    std::map<std::string, std::shared_ptr<WorkingBase>> working;  ///< by address
    KitResult result;
    std::filesystem::path root;  ///< that the names of outputs are below

    void open();
    void finish_stopped();
    void undo_former();
    bool is_made_in_place() const;
    void make_plan();
    void refuse_missing() const;
    void plan_outputs();
    void settle_root();
    void refuse_bad_places() const;
    void check_room() const;
    void run_steps();

    /// Progress that names a step.
    WorkOptions for_step(std::string text) const;
    /// The first base that was found; null: none.
    const KitBaseFound* first_base() const;
};

/// Where something that was given lies on the disk: the archive, where it lies in one.
std::filesystem::path place_of(const KitBaseFound& found);

/// Size and checksum of a list of files: what a folder is known by.
struct TreeRow {
    std::string name;
    TreeEntry::Kind kind{};
    bool executable = false;
    Digests digests{};  ///< size and CRC-32 of a file
    std::string to{};
};
Digests digests_of(const std::vector<TreeRow>& rows);

/// Puts everything that the plan names into its place, with a receipt.
void deliver(KitJob::State& state);

std::vector<KitConflict> find_conflicts(std::vector<KitOnItsWay>& ways, const std::vector<KitStepPlan>& steps,
                                        const WorkOptions& work);
Error conflict_error(const std::vector<KitConflict>& conflicts, const std::vector<KitInput>& kits);

}  // namespace hotstitch
