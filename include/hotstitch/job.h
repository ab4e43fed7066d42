// SPDX-License-Identifier: MIT
// Recipes done, undone, and done again. A job can be asked for its plan, and answers with codes and values; `words_for`
// says them. Nothing that may be expected (a wrong source, a file patched already) is thrown.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "hotstitch/answer.h"
#include "hotstitch/apply.h"
#include "hotstitch/cartridge.h"
#include "hotstitch/change_list.h"
#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "hotstitch/export.h"
#include "hotstitch/fields.h"
#include "hotstitch/fit.h"
#include "hotstitch/inputs.h"
#include "hotstitch/mend.h"
#include "hotstitch/patch.h"
#include "hotstitch/recipe.h"

namespace hotstitch {

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

/// A part that was put in, added or taken away.
struct PutReport {
    Part part{};             ///< the innermost one
    std::string address{};   ///< of it in the file: "units.bin:content"
    std::string from{};      ///< the address of its new content; empty: it was taken away
    std::string_view how{};  ///< as in PutResult; of the outer part
    std::optional<std::uint64_t> from_offset{}, to_offset{};  ///< where a disc's file was, and is
    std::uint64_t moved_sectors = 0;                          ///< by how much what follows it has moved
    std::vector<std::string> warnings{};
    Part outer{};                                   ///< the part of the file itself that it lies in, or that it is
    std::uint64_t changed = 0, mended = 0;          ///< bytes in `outer`, and outside it in what depends on it
    std::uint64_t size_before = 0, size_after = 0;  ///< of the file
};

/// A front header that was put on.
struct AttachReport {
    std::uint64_t size = 0;  ///< bytes
};

/// A step that was done, and what it came to; a folder's files one by one.
struct StepReport {
    Step step;
    std::variant<std::monostate, PutReport, FieldPlan, MendPlan, StripPlan, AttachReport> did{};
};

/// What became of a recipe. What may be expected stands here and is not thrown.
struct Outcome {
    Answer answer = Answer::made;
    Delivered delivered{};              ///< of the file or the patch, where there is one
    std::optional<Digests> output{};    ///< of the file that was written, where it is not `patched` as it is
    std::optional<PatchFacts> patch{};  ///< where the change was written as one
    std::vector<StepReport> steps{};    ///< but for the patches that a recipe begins with
    std::uint64_t files = 0;            ///< of a folder that became a disc

    // Of the patches that a recipe begins with; their stages are Job::stages().
    bool swapped = false;             ///< base and patch had been given in each other's place
    std::filesystem::path archive{};  ///< that the base was taken out of
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
    std::vector<CompanionSet> companions{};  ///< that go by another name than the output
    std::vector<SheetBeside> cue_sheets{};   ///< that name the base, and the output has another name
    std::vector<std::string> left_out{};     ///< tracks of the base's disc that the output does not hold: "track 2"
};

/// A file that is larger is changed where it lies, not copied, in bytes.
inline constexpr std::uint64_t largest_copied = std::uint64_t{64} << 20;

/// A recipe, done: opened, planned, its result put into its place with receipt and way back. A base that is a part of a
/// file is changed in it, and the output is that file. A base that is a folder with "sys/" and "files/" becomes a disc
/// (part_jobs.h, disc_of_folder), with what is put in taken in place of its files.
class HOTSTITCH_EXPORT Job {
public:
    /// Reads nothing yet. `renews`: the receipt of the output that is made anew.
    Job(Recipe recipe, WorkOptions options, std::optional<Receipt> renews = {});
    ~Job();
    Job(const Job&) = delete;
    Job& operator=(const Job&) = delete;

    /// Opens the base, and patches with what belongs to them. Throws what opening throws, and Error(usage) where the
    /// recipe contradicts itself or does not say where the result goes.
    void open();

    /// Where the output will go. REQUIRES open(), and that it does not go as a patch.
    std::filesystem::path output_path();

    /// Does all steps on a working copy; nothing is written. Each works on what those before it have made. REQUIRES
    /// open(). Throws what the steps throw: Error(usage) where there is no such part or field, Error(unsupported) where
    /// a file has no parts or is only read, Error(refused) for what is not allowed.
    const std::vector<StepReport>& plan();

    /// The change of file() that the plan comes to; null: patches made other content of the whole. REQUIRES plan().
    const ChangeList* change() const;

    /// Makes the output and puts it into its place. REQUIRES open(). Throws Error(damaged, unsupported, limit, io,
    /// exists, wrong_target, cancelled) and what plan() throws; nothing is lost then, and what was found so far stands
    /// in outcome().
    const Outcome& run();
    /// Makes it into a sink that keeps what it is given (a ScratchFile); nothing else is written but a header that is
    /// taken off.
    const Outcome& run(ByteSink& sink);

    const Recipe& recipe() const noexcept;
    /// What the patches are for or, without one, file().
    const InputFile& source() const;
    /// The file that is changed: that the base is a part of, or the base.
    const InputFile& file() const;
    /// The part of it that the steps are about: its address; empty: all of it.
    const std::string& inside() const noexcept;
    const std::vector<ApplyStage>& stages() const noexcept;
    const Outcome& outcome() const noexcept;
    /// Maps that set steps took: their titles; and those beside the file that could not be read, for people.
    const std::vector<std::string>& maps() const noexcept;
    const std::vector<std::string>& broken_maps() const noexcept;

    struct State;  ///< the library's own

private:
    std::unique_ptr<State> state_;
};

/// The receipt of what was made: beside its first output or, of a folder that was changed in place, in its way back;
/// nothing where there is none. Throws what reading it throws.
HOTSTITCH_EXPORT std::optional<Receipt> receipt_of(const std::filesystem::path& output);

/// What is no longer as it was made, for people; what was written beside an output included. `output`: the first one,
/// or the folder that was changed in place.
HOTSTITCH_EXPORT std::vector<std::string> not_as_made(const Receipt& receipt, const std::filesystem::path& output,
                                                      const WorkOptions& options = {});

enum class UndoOutcome {
    removed,          ///< the output is gone, the source untouched
    removed_already,  ///< it was gone before
    restored,         ///< the file is as it was before
    refused,          ///< nothing was touched; `refusal` says why: it, or its source, is not what was made
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
    std::optional<Error> refusal{};
};

/// The last change of a file, undone: by its receipt, or by a reversible patch where there is no receipt. `patch` may
/// be empty. Throws Error(damaged, usage, io, cancelled); nothing was touched then.
HOTSTITCH_EXPORT UndoResult undo(const std::filesystem::path& file, const std::string& patch = {},
                                 const WorkOptions& options = {});

struct RenewPlan {
    Recipe recipe;                ///< to be done once more
    Receipt renews;               ///< that it makes anew
    bool output_changed = false;  ///< what stands there is no longer what was made; it is kept as a backup
};

/// What the steps of a receipt come to, done once more on its source: with newer patches in place of those that it
/// begins with; with none, all as they were. `receipt`: the receipt or its output. Throws Error(usage) where no source
/// is left or nothing was done that can be done again, Error(wrong_source), and what reading the receipt throws.
HOTSTITCH_EXPORT RenewPlan plan_renewal(const std::filesystem::path& receipt, const std::vector<std::string>& patches,
                                        const WorkOptions& options = {});

// In words. Texts of the file come along as they are: `escaped` makes them fit for a terminal.

/// What no check could tell of a stage; empty: nothing is open. `first`: of several.
HOTSTITCH_EXPORT std::string words_for_unchecked(const ApplyStage& stage, bool first);
/// What undoing came to.
HOTSTITCH_EXPORT std::string words_for(const UndoResult& result);
/// That a file which was changed in place has other names: "the file has 1 other name …".
HOTSTITCH_EXPORT std::string words_for_other_names(std::uint64_t names);
/// How applying went, as far as checks could tell: "source and result are right". REQUIRES a stage.
HOTSTITCH_EXPORT std::string words_for(const std::vector<ApplyStage>& stages, InternalChecks checks);
/// Where the checks of a stage come from: "its checks file".
HOTSTITCH_EXPORT std::string words_for_checks_of(const ApplyStage& stage);

}  // namespace hotstitch
