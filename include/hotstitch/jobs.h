// SPDX-License-Identifier: MIT
// Whole jobs on files, as a launcher needs them: apply patches, rewrite a file by a change, go back, do it again with a
// newer patch. Each takes its options, can be asked for its plan, and answers with codes and values; `words.h` says
// them. Nothing that may be expected (a wrong source, a file patched already) is thrown.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/apply.h"
#include "hotstitch/change_list.h"
#include "hotstitch/create.h"
#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "hotstitch/export.h"
#include "hotstitch/fit.h"
#include "hotstitch/inputs.h"
#include "hotstitch/part_jobs.h"
#include "hotstitch/patch.h"

namespace hotstitch {

struct ApplyRequest {
    std::string source;  ///< "FILE" or "FILE:PART"; an archive is opened where the patch wants its content
    std::vector<std::string> patches;  ///< in the order in which they are applied
    std::string output{};              ///< a file, a folder, or empty: by default_apply_output
    std::string as{};                  ///< a pattern of the output's name (placed_as), instead of `output`
    std::string name_like{};           ///< a companion (delivery.h) whose name the output takes
    bool in_place = false;             ///< the output replaces the source
    Replace replace = Replace::never;
    Digests expected{};  ///< what the source has to be, beyond what the patch and its checks file say
    bool allow_source = false, allow_target = false, allow_patch = false;  ///< go on although that check fails
    Room room = Room::any;  ///< where a part of a disc goes that no longer fits
    /// A cue sheet that names the source is written anew beside the output, with the output's name in it.
    bool with_sheet = false;
    bool as_is = false;  ///< the source in no other representation, and not out of an archive
    /// The output in the source's representation, where the patch wanted another: with its front header, in its byte
    /// order, interleaved as it was.
    bool keep_representation = false;
    bool mend = false;                                      ///< internal checks that the patch made stale are put right
    bool receipt = true, reverse = false, digests = false;  ///< as in DeliveryOptions
    std::optional<Receipt> renews{};                        ///< of the output that is made anew
};

/// One patch on its way.
struct ApplyStage : PatchInput {
    ApplyReport made{};
    /// Of the source, where it was not read as it is; `opinion` is set where no check of the patch says so, but what
    /// comes out of it does.
    std::optional<Representation> representation{};
    std::optional<RepresentationOpinion> opinion{};
    bool combined = false;  ///< made for the source of the first patch, and put together with what those before it make
    std::size_t undoes = 0;  ///< from which patch on, from 1, this one takes all changes back; 0: it does not
    /// Whether a check said that it was the right source or the right result, and none said otherwise.
    bool certain() const noexcept {
        return made.overridden.empty() && (made.target_checked || made.fit.answer == FitAnswer::fits);
    }
};

enum class ApplyOutcome {
    made,
    made_already,     ///< the very bytes stood at the output already
    already_patched,  ///< the source is what the patch makes; nothing was made
    wrong_source,     ///< nothing was made; `diagnosis` says why
};

struct ApplyResult {
    ApplyOutcome outcome = ApplyOutcome::made;
    bool swapped = false;             ///< source and patch had been given in each other's place
    std::filesystem::path archive{};  ///< that the source was taken out of
    /// The patch was perhaps made for another representation; the file was taken as it is.
    std::optional<RepresentationOpinion> doubt{};
    std::size_t stopped_at = 0;  ///< the patch that could not be applied, from 1
    std::optional<Diagnosis> diagnosis{};
    bool by_plausibility = false;    ///< no check says so, only what the file is: `allow_source` goes on
    std::optional<Error> refusal{};  ///< of a wrong source: which check, what was wanted and found
    InternalChecks internal_checks = InternalChecks::not_asked;
    std::string_view checks_cover{};  ///< of `untouched`: what the checks cover, for people
    std::string mend_failure{};
    Digests patched{};                       ///< what the last patch makes
    std::optional<Digests> output{};         ///< of the output, where that differs: mended, or put back in its order
    Delivered delivered{};                   ///< where there is a file
    std::vector<CompanionSet> companions{};  ///< that go by another name than the output
    std::vector<SheetBeside> cue_sheets{};   ///< that name the source, and the output has another name
    std::vector<std::string> left_out{};     ///< tracks of the source's disc that the output does not hold: "track 2"
    std::vector<PutStep> put{};              ///< where a part was patched: how it went back into its file
};

/// Source + patches = target, with receipt and way back.
class HOTSTITCH_EXPORT ApplyJob {
public:
    /// Reads nothing yet.
    ApplyJob(ApplyRequest request, WorkOptions options);
    ~ApplyJob();
    ApplyJob(const ApplyJob&) = delete;
    ApplyJob& operator=(const ApplyJob&) = delete;

    /// Opens source and patches and finds what belongs to them. Throws what opening throws, and Error(usage) where the
    /// request contradicts itself.
    void open();

    /// Where the output will go. REQUIRES open().
    std::filesystem::path output_path();

    /// Makes the output and puts it into its place. REQUIRES open(). Throws Error(damaged, unsupported, limit, io,
    /// exists, wrong_target, cancelled); nothing is lost then, and what was found so far stands in result().
    const ApplyResult& run();
    /// Makes it into a sink that keeps what it is given (a ScratchFile); nothing else is written.
    const ApplyResult& run(ByteSink& sink);

    const InputFile& source() const;
    const std::vector<ApplyStage>& stages() const noexcept;
    const ApplyResult& result() const noexcept;

private:
    struct State;
    std::unique_ptr<State> state_;
};

/// Where a file goes that was changed by a list of splices: a new file, in its own place, or only a patch of the
/// change.
struct RewriteRequest {
    std::string output{};  ///< a file or a folder
    std::string as{};      ///< a pattern of the output's name (placed_as), instead of `output`
    bool in_place = false;
    std::filesystem::path patch{};
    std::optional<PatchFormat> format{};  ///< of the patch; empty: by its extension
    Replace replace = Replace::never;
    bool receipt = true, digests = false;
    std::vector<std::string> what{};  ///< done to the file, as codes, for the receipt: "checksum", "strip-header 512"
    /// Where patches did it instead: what the receipt says of them (patches, part, representation, mends).
    std::optional<Receipt> patched{};
    std::optional<Receipt> renews{};            ///< of the output that is made anew
    std::vector<std::filesystem::path> read{};  ///< what the change was made of besides: never written over
    /// What is taken off and kept in a file of its own, which appears together with the output; empty: nothing.
    std::filesystem::path aside{};
    ByteView aside_bytes{};
    Replace aside_replace = Replace::never;
};

struct RewriteResult {
    Delivered delivered{};              ///< of the file or the patch
    Digests output{};                   ///< of the file
    std::optional<PatchFacts> patch{};  ///< where a patch was asked for
};

/// Writes `source` as the change makes it, with a receipt, or the change as a patch, which is applied and compared;
/// nothing is matched. Throws Error(usage) when the request does not name exactly one place, or asks to replace what
/// cannot be; what Delivery and create throw.
HOTSTITCH_EXPORT RewriteResult rewrite(const InputFile& source, const ChangeList& change, const RewriteRequest& request,
                                       const WorkOptions& options = {});
/// The same into a sink that can give back what was written; only what is kept aside becomes a file.
HOTSTITCH_EXPORT RewriteResult rewrite(const InputFile& source, const ChangeList& change, const RewriteRequest& request,
                                       ByteSink& sink, const WorkOptions& options = {});
/// A file that is larger is changed where it lies, not copied, in bytes.
inline constexpr std::uint64_t largest_copied = std::uint64_t{64} << 20;

/// Throws what rewrite() would throw about the request alone.
HOTSTITCH_EXPORT void check_rewrite(const InputFile& source, const RewriteRequest& request);

enum class UndoOutcome {
    removed,          ///< the output is gone, the source untouched
    removed_already,  ///< it was gone before
    restored,         ///< the file is as it was before
};

struct UndoResult {
    UndoOutcome outcome{};
    std::filesystem::path file;
    std::filesystem::path source{};  ///< that stands there untouched
    /// The file that was there, kept under another name because nothing proves that it is the one that was made.
    std::optional<std::filesystem::path> kept{};
    std::optional<std::filesystem::path> unproven_reverse{};  ///< a reverse patch that stays for the same reason
    std::vector<std::filesystem::path> left{};   ///< written beside it then, and no longer as it was: it stays
    std::vector<std::filesystem::path> aside{};  ///< of a folder, what was changed since, under backups' names
    bool earlier_changes = false;                ///< there are more, which the same call undoes
    std::optional<PatchFacts> patch{};           ///< where the patch given was what the way back went by
    bool by_journal = false;                     ///< a change in the file's own place was undone
    bool was_stopped = false;                    ///< one that had been stopped in the middle
};

/// The last change of a file, undone: by its receipt, or by a reversible patch where there is no receipt. `patch` may
/// be empty. Throws Error(wrong_target, wrong_source, damaged, usage, io, cancelled); nothing was touched then.
HOTSTITCH_EXPORT UndoResult undo(const std::filesystem::path& file, const std::string& patch = {},
                                 const WorkOptions& options = {});

struct RenewPlan {
    ApplyRequest request;         ///< to be applied
    bool output_changed = false;  ///< what stands there is no longer what was made; it is kept as a backup
};

/// What applying newer patches to the source of a receipt comes to. `receipt`: the receipt or its output. Throws
/// Error(usage) where there was no patch or no source is left, Error(wrong_source), and what reading the receipt
/// throws.
HOTSTITCH_EXPORT RenewPlan plan_renewal(const std::filesystem::path& receipt, std::vector<std::string> patches,
                                        const WorkOptions& options = {});

}  // namespace hotstitch
