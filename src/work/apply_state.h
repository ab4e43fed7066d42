// SPDX-License-Identifier: MIT
// What an ApplyJob knows and does: apply_job.cc opens inputs and delivers, apply_stages.cc makes each patch's target,
// apply_content.cc looks after the whole at the end.
#pragma once

#include "hotstitch/jobs.h"
#include "work/sheets.h"

namespace hotstitch {

/// Thrown and caught inside the job: the diagnosis stands in the result.
struct WrongSource {};

struct ApplyJob::State {
    ApplyRequest request;
    WorkOptions work;
    std::optional<InputFile> source;
    std::vector<ApplyStage> stages;
    std::vector<std::vector<DigestMismatch>> patch_mismatches;  ///< of each stage, allowed
    ApplyResult result;
    DigestChoice receipt_digests{.crc32 = false};  ///< to be taken while the bytes go by
    std::optional<RepresentationTrial> trial;      ///< of the first stage, where one was made
    bool changed_by_us = false;                    ///< the output is not what the last patch makes
    /// The file that the source is a part of, and the part's address in it: the output is that file.
    std::optional<std::pair<InputFile, std::string>> around{};
    SheetOutput sheet_out{};  ///< the sheet of the output, where the source was opened by one
    bool keeps_form = false;  ///< the output goes back into the source's representation

    // apply_job.cc
    void open();
    void swap_if_unmistakable();
    void open_stage(ApplyStage& stage);
    void refuse_implausible();
    ApplyOptions options_for(const ApplyStage& stage) const;
    bool is_unchecked(const ApplyStage& stage) const;
    std::string output_extension();
    std::string disc_extension() const;
    std::filesystem::path output_path();
    std::filesystem::path plain_output_path();
    void settle_form(const std::filesystem::path& output);
    void name_left_out();
    void deliver();
    void deliver_copy(const std::function<void(ByteSink&)>& write);
    std::optional<std::filesystem::path> add_sheet(Delivery& delivery);
    Receipt receipt_for(const std::filesystem::path& folder) const;
    std::vector<CompanionSet> companions_of(const std::filesystem::path& output) const;
    bool is_already_patched() const;

    // apply_in_place.cc
    bool goes_by_journal() const;
    void deliver_by_journal();

    // apply_part.cc
    std::optional<std::pair<InputFile, std::string>> file_around() const;
    void deliver_around();

    // apply_stages.cc
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

    // apply_content.cc
    void finish_content(ByteSink& sink);
    void look_at_checks(ByteSink& sink);
    void mend(ByteSink& sink, const ByteSource& made);
    void put_back(ByteSink& sink);
};

}  // namespace hotstitch
