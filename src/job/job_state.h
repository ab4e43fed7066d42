// SPDX-License-Identifier: MIT
// What a job knows and does: job.cc opens and plans, stages.cc makes the target of each patch that a recipe begins
// with, content.cc looks after the whole at the end, output_name.cc says where it goes, deliver.cc puts it there, and
// beside_output.cc looks at what lies beside it.
#pragma once

#include "hotstitch/job.h"
#include "job/maps_in_use.h"
#include "job/sheets.h"
#include "job/step_run.h"

namespace hotstitch {

/// Thrown and caught inside the job: the diagnosis stands in the outcome.
struct WrongSource {};

/// Steps of a call: what they name lies on the disk.
class DiskHost final : public StepHost {
public:
    DiskHost(const Job::State& job, WorkOptions options);
    StepContent open(const std::string& file) override;
    SharedSource open_patch_file(const std::string& file, Limits& limits) override;
    Limits limits_inside(const Limits& inside) const override;
    FileFields fields_of(const SharedSource& content, const Limits& limits) override;

    std::optional<MapsInUse> maps{};  ///< where a step sets fields
    /// Files that steps have named, by how they named them: never written over.
    std::map<std::string, std::shared_ptr<const InputFile>> files{};
};

struct Job::State {
    Recipe recipe;
    WorkOptions work;
    std::optional<Receipt> renews;
    std::optional<InputFile> source{};
    std::vector<ApplyStage> stages{};
    std::vector<std::vector<DigestMismatch>> patch_mismatches{};  ///< of each stage, allowed
    Outcome outcome{};
    DigestChoice receipt_digests{.crc32 = false};  ///< to be taken while the bytes go by
    std::optional<RepresentationTrial> trial{};    ///< of the first stage, where one was made
    bool changed_by_us = false;                    ///< the output is not what the last patch makes
    /// Of patches: the file that the source is a part of: the output is that file.
    std::optional<InputFile> around{};
    std::string inside{};     ///< the address of the part in file() that the steps are about; empty: all of it
    SheetOutput sheet_out{};  ///< the sheet of the output, where the source was opened by one
    bool keeps_form = false;  ///< the output goes back into the source's representation
    std::optional<ChangeList> laid_out{};  ///< of a folder that becomes a disc
    std::unique_ptr<DiskHost> host{};
    WorkingBase working{};  ///< file(), as the steps have made it
    bool planned = false, into_sink = false;

    const InputFile& file() const { return around ? *around : *source; }
    /// Those behind the patches that the recipe begins with.
    std::vector<Step> steps() const;
    bool is_patches_alone() const { return !stages.empty() && stages.size() == recipe.steps.size(); }
    bool mends_patched() const { return recipe.mend.value_or(false); }

    // job.cc
    void open();
    void open_patched(const std::vector<std::string>& patches);
    void open_changed();
    void open_folder();
    void swap_if_unmistakable();
    void open_stage(ApplyStage& stage);
    void refuse_implausible();
    ApplyOptions options_for(const ApplyStage& stage) const;
    bool is_unchecked(const ApplyStage& stage) const;
    bool is_already_patched() const;
    /// False: nothing is to be made, and the outcome says why.
    bool plan();
    bool do_steps();
    bool plan_patches();
    void run_steps();

    // output_name.cc
    std::string output_extension();
    std::string disc_extension() const;
    std::filesystem::path output_path();
    std::filesystem::path plain_output_path();
    std::filesystem::path changed_output_path();
    /// `may_be_nowhere`: what a step finds to be right already goes nowhere.
    void check_destination(bool may_be_nowhere = false) const;

    // deliver.cc
    void deliver();
    void deliver_patched(const std::filesystem::path& path);
    void deliver_working(const std::filesystem::path& path);
    void deliver_patch();
    bool deliver_by_journal(const std::filesystem::path& path);
    void write_into(ByteSink& sink);
    bool goes_by_journal() const;
    void refuse_unsure() const;
    Bytes header_taken_off() const;
    Receipt receipt_for(const std::filesystem::path& folder) const;
    void refuse_read(const std::filesystem::path& output) const;

    // beside_output.cc
    std::optional<std::filesystem::path> add_sheet(Delivery& delivery);
    std::vector<CompanionSet> companions_of(const std::filesystem::path& output) const;
    void name_left_out();

    // stages.cc
    void make(ByteSink& target);
    void make_stage(ApplyStage& stage, const ByteSource& file, ByteSink& target);
    void make_as_read(ApplyStage& stage, const ByteSource& file, ByteSink& target, const ApplyOptions& options);
    bool make_as_before(ApplyStage& stage, const ByteSource& file, ByteSink& target, const ApplyOptions& options);
    bool make_combined(ApplyStage& stage, const ByteSource& file, ByteSink& target, const ApplyOptions& options);
    ApplyReport apply_stage(const ApplyStage& stage, const ByteSource& file, ByteSink& target,
                            const ApplyOptions& options);
    const RepresentationTrial& trial_of(const ApplyStage& stage);
    bool goes_by_opinion(ApplyStage& stage);
    void diagnose_stage(ApplyStage& stage, const ByteSource& file, const Error& error, const ApplyOptions& options);

    // content.cc
    void finish_content(ByteSink& sink);
    void look_at_checks(ByteSink& sink);
    void mend(ByteSink& sink, const ByteSource& made);
    void put_back(ByteSink& sink);
};

}  // namespace hotstitch
