// SPDX-License-Identifier: MIT
// What a job on kits knows at each moment.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "hotstitch/kit_jobs.h"
#include "kit/steps.h"

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
    bool undone = false;  ///< what an older kit had changed in place
    /// An error after that says so.
    template <class Call>
    decltype(auto) telling_what_was_undone(Call&& call) {
        try {
            return call();
        } catch (Error& error) {
            if (!undone) throw;
            throw std::move(error).done(
                "What the older kit had changed is undone, and the original in place; the same call goes on from "
                "there");
        }
    }
    bool tried = false;          ///< the steps are done
    std::filesystem::path root;  ///< that the names of outputs are below

    void open();
    void finish_stopped();
    void undo_former();
    bool is_made_in_place() const;
    /// Whether a receipt is of these very kits.
    bool is_ours(const Receipt& receipt) const;
    void make_plan();
    void refuse_missing() const;
    void refuse_unused() const;
    void plan_outputs();
    void settle_root();
    void refuse_bad_places() const;
    void check_room() const;
    void run_steps();

    /// Progress that names a step.
    WorkOptions for_step(std::string text) const;
    WorkOptions for_output(const KitOutputPlan& planned) const { return for_step("making " + planned.name); }
    /// The first base that was found; null: none.
    const KitBaseFound* first_base() const;
};

/// Where something that was given lies on the disk: the archive, where it lies in one.
std::filesystem::path place_of(const KitBaseFound& found);

/// Puts everything that the plan names into its place, with a receipt.
void deliver(KitJob::State& state);
/// The one base that is changed in its own place.
void change_base(KitJob::State& state, const KitOutputPlan& planned, WorkingBase& base);
/// A base as the steps have made it, in the form in which it was brought; null where it was taken as it is.
SharedSource in_own_form(const WorkingBase& base, const WorkOptions& work);
/// Throws Error(wrong_target) for an output that is not what the kit says, unless that is allowed.
void check_output(KitJob::State& state, const KitOutputPlan& planned, const Digests& found, KitMade& told);
/// Kits and bases, for what lies beside `first`.
Receipt receipt_for(const KitJob::State& state, const std::filesystem::path& first);

std::vector<KitConflict> find_conflicts(std::vector<KitOnItsWay>& ways, const std::vector<KitStepPlan>& steps,
                                        const WorkOptions& work);
Error conflict_error(const std::vector<KitConflict>& conflicts, const std::vector<KitInput>& kits);

}  // namespace hotstitch
