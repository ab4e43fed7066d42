// SPDX-License-Identifier: MIT
// The way back. A receipt may come from anybody and say anything: nothing is removed or replaced that is not proven to
// have been made or kept by us, by its content, its name and which file it is; what is not proven gets another name.
// A step that was stopped in the middle is finished when it is asked for again.
// Tested by tests/receipt_test.cc and tests/faults_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <functional>

#include "hotstitch/error.h"
#include "hotstitch/job.h"
#include "hotstitch/transaction.h"
#include "job/kit_receipts.h"
#include "job/receipts.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

bool is_as_placed(const std::optional<FileIdentity>& placed, const FileStamp& found) {
    return placed == identity_of(found);
}

/// The stamp of a file that the receipt names and that is to go. Throws Error(damaged) for a link and the like.
std::optional<FileStamp> own_file(const fs::path& path, const char* field) {
    std::error_code code;
    const fs::file_status status = fs::symlink_status(path, code);
    if (!fs::exists(status)) return std::nullopt;
    if (!fs::is_regular_file(status))
        throw Error(ErrorCode::damaged, "the receipt names something that is no file of ours")
            .in(field)
            .found(path.filename().string());
    return stamp_of(path);
}

/// What the patch makes of the file takes its place. `before_it_stands` is told its stamp. Returns where the file was
/// kept that it replaced, when that is not proven to be ours.
std::optional<fs::path> rebuild(const InputFile& made, bool proven, const InputFile& patch, const Digests& wanted,
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

class Undoing {
public:
    Undoing(const fs::path& file, const std::string& patch, const WorkOptions& work)
        : file_(file),
          folder_(file.parent_path()),
          receipt_file_(receipt_path(file)),
          patch_(patch),
          work_(work),
          receipt_(read_receipt(receipt_file_)),
          before_(work.progress) {
        result_.file = file;
        result_.earlier_changes = !receipt_.before.empty();
    }

    UndoResult run() {
        write_earlier({});
        if (!stamp_of(file_)) return removed_already(), result_;
        const InputFile made = InputFile::regular(file_, work_.limits, work_.progress);
        const auto differences = compare_file(made, receipt_.target.digests, work_.progress);
        if (!differences.empty()) {
            if (receipt_.replaced && compare_file(made, receipt_.replaced->digests, work_.progress).empty())
                return stands_again(), result_;
            if (receipt_.in_place && compare_file(made, receipt_.source.digests, work_.progress).empty())
                return restored_already(), result_;
            const DigestMismatch& first = differences.front();
            throw Error(ErrorCode::wrong_target, "the file is no longer what the receipt says was made")
                .in(first.name)
                .wanted(first.wanted)
                .found(first.found)
                .hint("it was changed since; nothing was touched. Put it aside yourself if it may go");
        }
        const bool proven = made.stamp() && is_as_placed(receipt_.target_identity, *made.stamp());
        if (receipt_.replaced)
            bring_replaced_back(made, proven);
        else if (receipt_.in_place)
            restore(made, proven);
        else
            remove(made, proven);
        return result_;
    }

private:
    /// The source has to stand there untouched, as another file than the one that goes.
    void check_source() {
        if (receipt_.source.path.empty())
            throw Error(ErrorCode::usage, "the source came through a pipe, so nothing shows that it is still there")
                .hint(fmt::format("nothing was removed; if you have the source (crc32 {}), remove the output yourself",
                                  receipt_.source.digests.crc32->hex()));
        const fs::path path = path_from_receipt(receipt_.source.path, folder_);
        const std::string hint = fmt::format("find the source again (crc32 {}), then remove the output yourself",
                                             receipt_.source.digests.crc32->hex());
        must_be(path, receipt_.source.digests, ErrorCode::wrong_source,
                "the source is not there as it was, so the output is not removed", hint, work_.progress);
        if (open_file(path.string(), work_).is_same_file(file_))
            throw Error(ErrorCode::damaged, "the receipt names the file itself as its source, so it stays")
                .in("source")
                .found(receipt_.source.path);
        result_.source = path;
    }

    void remove(const InputFile& made, bool proven) {
        check_source();
        result_.kept = remove_file(file_, *made.stamp(), !proven);
        tidy([&] { remove_beside(), step_back(); });
        result_.outcome = UndoOutcome::removed;
    }

    /// What a receipt names, where the name shows that it is this file's.
    fs::path own_path(const std::string& name, bool is_own, const char* field, std::string_view what) const {
        fs::path path = path_beside(name, folder_);
        if (!is_own)
            throw Error(ErrorCode::damaged, fmt::format("the receipt names {} that is none of this file", what))
                .in(field)
                .found(name)
                .hint("if the file was renamed since, give it and its receipt their old names, then undo it");
        return path;
    }

    fs::path replaced_path() const {
        const std::string& name = receipt_.replaced->path;
        return own_path(name, is_backup_name(name, file_.filename().string()), "replaced", "a backup");
    }

    /// What had been replaced stands at its place again.
    void bring_replaced_back(const InputFile& made, bool proven) {
        if (!receipt_.in_place) check_source();
        const fs::path backup = replaced_path();
        const auto stamp = own_file(backup, "replaced");
        must_be(backup, receipt_.replaced->digests, ErrorCode::wrong_source,
                "what had been replaced is not there as it was, so nothing is touched",
                "look for another copy of what stood there before", work_.progress);
        write_earlier(identity_of(*stamp));
        result_.kept = put_backup_back(backup, *stamp, file_, *made.stamp(), !proven);
        tidy([&] { remove_beside(), step_back(); });
        result_.outcome = UndoOutcome::restored;
    }

    /// Stopped before the receipt went.
    void stands_again() {
        tidy([&] { remove_beside(), step_back(); });
        result_.outcome = UndoOutcome::restored;
    }

    /// The file is as it was before the change by now; what fails from here on is about what lies beside it.
    template <class Work>
    void tidy(Work&& work) try {
        work();
    } catch (Error& error) {
        throw std::move(error).done(
            "The change is undone; only its receipt or what lies beside it is still there, "
            "and the same call removes that");
    }

    /// What was written together with the output, as far as it is proven to be that.
    void remove_beside() {
        for (const Receipt::Beside& beside : receipt_.beside) {
            const fs::path path = path_beside(beside.file.path, folder_);
            const auto stamp = own_file(path, "beside");
            if (!stamp) continue;
            if (is_as_placed(beside.identity, *stamp) &&
                compare_file(path, beside.file.digests, work_.progress).empty())
                remove_file(path, *stamp, false);
            else
                result_.left.push_back(path);
        }
    }

    void restore(const InputFile& made, bool proven) {
        if (!receipt_.backup.empty()) {
            const fs::path backup = backup_path();
            const auto stamp = own_file(backup, "backup");
            must_be(backup, receipt_.source.digests, ErrorCode::wrong_source, "the backup is not what the receipt says",
                    "nothing was touched; look for another copy of what was there before", work_.progress);
            write_earlier(identity_of(*stamp));
            result_.kept = put_backup_back(backup, *stamp, file_, *made.stamp(), !proven);
        } else if (!receipt_.reverse.empty()) {
            const fs::path reverse = reverse_in_folder();
            result_.kept = rebuild_by(InputFile::record(reverse), made, proven);
            tidy([&] { drop_reverse(); });
        } else if (!patch_.empty()) {
            result_.kept = rebuild_by(open_file(patch_, work_), made, proven);
        } else {
            throw no_way_back();
        }
        tidy([&] { step_back(); });
        result_.outcome = UndoOutcome::restored;
    }

    /// Of several changes, one before the last may have kept a backup.
    Error no_way_back() const {
        const auto kept = std::find_if(receipt_.before.begin(), receipt_.before.end(),
                                       [](const Receipt& before) { return !before.backup.empty(); });
        return Error(ErrorCode::usage, "the receipt names neither a backup nor a reverse patch")
            .hint(kept != receipt_.before.end()
                      ? fmt::format("the file as it was before an earlier change is kept: {}", kept->backup)
                      : "if it was made by a UPS patch, name that too; else what was there before has to come from "
                        "elsewhere");
    }

    std::optional<fs::path> rebuild_by(const InputFile& patch, const InputFile& made, bool proven) {
        return rebuild(made, proven, patch, receipt_.source.digests, work_,
                       [&](const FileStamp& stamp) { write_earlier(identity_of(stamp)); });
    }

    void removed_already() {
        if (receipt_.in_place)
            throw Error(ErrorCode::io, fmt::format("there is no file {}", file_.string()))
                .hint(receipt_.backup.empty() ? "" : fmt::format("its backup is {}", receipt_.backup));
        check_source();
        tidy([&] { remove_beside(), step_back(); });
        result_.outcome = UndoOutcome::removed_already;
    }

    /// Stopped before the receipt went, or before anything was replaced at all.
    void restored_already() {
        if (!receipt_.backup.empty()) {
            const fs::path backup = backup_path();
            const auto stamp = own_file(backup, "backup");
            if (stamp && compare_file(backup, receipt_.source.digests, work_.progress).empty())
                remove_file(backup, *stamp, false);
        }
        tidy([&] { drop_reverse(), step_back(); });
        result_.outcome = UndoOutcome::restored;
    }

    fs::path backup_path() const {
        const std::string& name = receipt_.backup;
        return own_path(name, is_backup_name(name, file_.filename().string()), "backup", "a backup");
    }

    fs::path reverse_in_folder() const {
        const std::string& name = receipt_.reverse;
        return own_path(name, is_reverse_name(name, file_.filename().string()), "reverse", "a reverse patch");
    }

    void drop_reverse() {
        if (receipt_.reverse.empty()) return;
        const fs::path path = reverse_in_folder();
        const auto stamp = own_file(path, "reverse");
        if (!stamp) return;
        if (is_as_placed(receipt_.reverse_identity, *stamp))
            remove_file(path, *stamp, false);
        else
            result_.unproven_reverse = path;
    }

    /// The receipt of the change before this one takes the place of the receipt, or nothing does.
    void step_back() {
        if (earlier_ != nullptr)
            before_.commit();
        else if (const auto stamp = stamp_of(receipt_file_))
            remove_file(receipt_file_, *stamp, false);
    }

    /// Written before anything is touched, so that a full disk is an error by then; and once more when it is known
    /// which file will stand there.
    void write_earlier(const std::optional<FileIdentity>& restored) {
        if (receipt_.before.empty()) return;
        Receipt earlier = receipt_before(receipt_);
        if (restored) earlier.target_identity = restored;
        if (earlier_ != nullptr)
            earlier_->clear();
        else
            earlier_ = &before_.file(receipt_file_, {.replace = Replace::without_backup});
        earlier_->write(bytes_of(receipt_to_json(earlier)));
    }

    const fs::path file_, folder_, receipt_file_;
    const std::string& patch_;
    const WorkOptions& work_;
    const Receipt receipt_;
    UndoResult result_;
    Transaction before_;
    ByteSink* earlier_ = nullptr;  ///< the receipt of the change before this one
};

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
    rebuild(made, true, patch, reader->facts().source, work, [](const FileStamp&) {});
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
    earlier.target_identity = identity_of(*stamp_of(file));
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
    if (has_receipt)
        if (const Receipt receipt = read_receipt(receipt_path(file)); receipt.kits && !receipt.in_place)
            return undo_kits(file, receipt, options);
    if (!has_receipt && !fs::is_regular_file(file, code))
        throw Error(ErrorCode::io, fmt::format("there is no file {}", file.string()));
    if (!has_receipt && !patch.empty()) return undo_by_patch(file, patch, options);
    return Undoing(file, patch, options).run();
}

UndoResult undo(const fs::path& named, const std::string& patch, const WorkOptions& options) {
    const fs::path file = file_of_receipt(named);
    try {
        UndoResult result = undo_last(file, patch, options);
        forget_renewal(file);
        return result;
    } catch (const Error& error) {
        const bool expected = error.code() == ErrorCode::wrong_target || error.code() == ErrorCode::wrong_source;
        if (!expected || !error.done().empty()) throw;
        UndoResult result{.outcome = UndoOutcome::refused, .file = file};
        result.refusal = error;
        return result;
    }
}

}  // namespace hotstitch
