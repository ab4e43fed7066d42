// SPDX-License-Identifier: MIT
// The way back. A receipt may come from anybody and say anything: nothing is removed or replaced that is not proven to
// have been made or kept by us, by its content, its name and which file it is; what is not proven gets another name.
// Which way leads back: a journal, a folder's way back, a receipt, or a patch that goes backwards.
// Tested by tests/job/receipt_test.cc and tests/faults/faults_test.cc.
#include "job/undo.h"

#include <fmt/format.h>

#include "hotstitch/error.h"
#include "hotstitch/transaction.h"
#include "job/as_made.h"
#include "job/expected.h"
#include "job/receipts.h"

namespace hotstitch {

namespace fs = std::filesystem;

std::optional<fs::path> restore_by(const InputFile& made, bool proven, const InputFile& patch, const Digests& wanted,
                                   const WorkOptions& work,
                                   const std::function<void(const FileStamp&)>& before_it_stands) {
    Transaction outputs(work.progress);
    auto& out = outputs.file(
        made.path(), {.replace = proven ? Replace::without_backup : Replace::keep_backup, .read_as = made.stamp()});
    ApplyOptions options;
    options.backwards = true;
    options.limits = work.limits;
    options.progress = work.progress;
    apply(patch, made, out, options);
    for (const DigestMismatch& m : compare(wanted, digest(WrittenSource(out), choice_for(wanted))))
        throw Error(ErrorCode::wrong_target, "the patch does not make what was there before")
            .in(m.name)
            .wanted(m.wanted)
            .found(m.found)
            .hint("nothing was touched; look for the right patch, or for another copy of what was there before");
    before_it_stands(out.settle());
    outputs.commit();
    return out.keep_backup();
}

namespace {

UndoResult undo_by_patch(const fs::path& file, const std::string& patch_name, const WorkOptions& work) {
    const InputFile patch = open_file(patch_name, work);
    const auto reader = open_patch(patch, work.limits);
    if (!traits_of(reader->facts().format).reversible)
        throw Error(ErrorCode::usage,
                    fmt::format("{} patches do not work backwards", traits_of(reader->facts().format).title))
            .hint("only UPS does; otherwise the receipt or the original is needed");
    const InputFile made(file, work.limits, work.progress);
    if (!fit(*reader, made, {}, work.limits, work.progress).reversible)
        throw Error(ErrorCode::wrong_target, "the file is not what this patch makes")
            .hint("it was changed since, or made by another patch");
    // What is replaced comes again by the patch: no backup is needed.
    restore_by(made, true, patch, reader->facts().source, work, [](const FileStamp&) {});
    UndoResult result{.outcome = UndoOutcome::restored, .file = file};
    result.patch = reader->facts();
    return result;
}

/// The receipt of a change whose journal is undone goes, or that of the change before it comes again.
void step_back_from(const fs::path& file, const Receipt& receipt, UndoResult& result, const WorkOptions& work) {
    result.earlier_changes = !receipt.before.empty();
    if (receipt.before.empty()) {
        if (const auto stamp = stamp_of(receipt_path(file))) remove_file(receipt_path(file), *stamp, false);
        return;
    }
    Receipt earlier = receipt_before(receipt);
    earlier.target().identity = identity_of(*stamp_of(file));
    write_file(receipt_path(file), {.replace = Replace::without_backup}, receipt_to_json(earlier), work.progress);
}

/// `journal`: nothing where one that a receipt names is gone: the change was undone, and then this was stopped.
UndoResult undo_by_journal(const fs::path& file, const std::optional<Journal>& journal,
                           const std::optional<Receipt>& receipt, const WorkOptions& work) {
    UndoResult result{.outcome = UndoOutcome::restored, .file = file};
    result.by_journal = true;
    result.was_stopped = journal && !journal->finished;
    if (journal) undo_in_place(file);
    // One that was stopped before it was done has no receipt yet; of one whose undoing was stopped, the journal goes by
    // another name.
    std::error_code code;
    const bool is_its = receipt && (!journal || journal->path.filename() == receipt->journal ||
                                    !fs::exists(path_beside(receipt->journal, file.parent_path()), code));
    if (is_its) try {
            step_back_from(file, *receipt, result, work);
        } catch (Error& error) {
            throw std::move(error).done(
                "The change is undone; only its receipt is still there, and the same call removes it");
        }
    return result;
}

/// The receipt beside a file, where a journal is its way back.
std::optional<Receipt> receipt_by_journal(const fs::path& file) {
    std::error_code code;
    if (!fs::exists(receipt_path(file), code)) return std::nullopt;
    Receipt receipt = read_receipt(receipt_path(file));
    return receipt.journal.empty() ? std::nullopt : std::optional(std::move(receipt));
}

}  // namespace

UndoResult undo_last(const fs::path& file, const std::string& patch, const WorkOptions& options) {
    std::error_code code;
    clear_leftovers(receipt_path(file));
    if (patch.empty() && fs::is_regular_file(file, code)) {
        const auto receipt = receipt_by_journal(file);
        const auto journal = journal_of(file);
        const bool gone = receipt && !fs::exists(path_beside(receipt->journal, file.parent_path()), code) &&
                          !fs::exists(journal_path(file), code);
        if (gone) return undo_by_journal(file, std::nullopt, receipt, options);
        if (journal) return undo_by_journal(file, journal, receipt, options);
    }
    const bool has_receipt = fs::exists(receipt_path(file), code);
    if (fs::is_directory(file, code) && !has_receipt) {
        const FolderWayBack gone = undo_folder(file, options.progress);
        UndoResult result{.outcome = UndoOutcome::restored, .file = file};
        result.by_journal = true, result.was_stopped = gone.stopped, result.aside = gone.kept;
        result.earlier_changes = way_back_of(file).has_value();
        return result;
    }
    if (!has_receipt && !fs::is_regular_file(file, code))
        throw Error(ErrorCode::io, fmt::format("there is no file {}", file.string()));
    if (!has_receipt && !patch.empty()) return undo_by_patch(file, patch, options);
    return undo_by_receipt(file, patch, options);
}

UndoResult undo(const fs::path& named, const std::string& patch, const WorkOptions& options) {
    const fs::path file = file_of_receipt(named);
    try {
        UndoResult result = undo_last(file, patch, options);
        forget_renewal(file);
        return result;
    } catch (const Error& error) {
        if (!is_expected(error)) throw;
        UndoResult result{.outcome = UndoOutcome::refused, .file = file};
        result.refusal = error;
        return result;
    }
}

}  // namespace hotstitch
