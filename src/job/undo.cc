// SPDX-License-Identifier: MIT
// The way back. A receipt may come from anybody and say anything: nothing is removed or replaced that is not proven to
// have been made or kept by us, by its content, its name and which file it is; what is not proven gets another name.
// A step that was stopped in the middle is finished when it is asked for again.
// Tested by tests/job/receipt_test.cc and tests/faults/faults_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <map>

#include "hotstitch/error.h"
#include "hotstitch/job.h"
#include "hotstitch/transaction.h"
#include "job/as_made.h"
#include "job/expected.h"
#include "job/receipts.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

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

/// A receipt may come from anybody, and name anything. Outside of its own folder, only what is proven to have been made
/// by it is touched.
void refuse_elsewhere(const ReceiptOutput& output, const fs::path& path, const fs::path& folder) {
    refuse_links(path, path);
    if (is_inside(path, folder) || is_proven(output, path)) return;
    throw Error(ErrorCode::refused,
                fmt::format("the receipt names {}, which lies outside of its folder", path.string()))
        .in("output")
        .hint(
            "nothing proves that it was made here, and nothing was touched; if you know that it was, remove it "
            "yourself");
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
        write_earlier();
        look();
        if (receipt_.in_place && !receipt_.target().replaced)
            change_back(found_.front());
        else
            take_back();
        return result_;
    }

private:
    /// An output, as it is now.
    struct Found {
        enum class Is : std::uint8_t {
            gone,
            made,
            replaced,  ///< by what stood there before: a call was stopped before the receipt went
            source,    ///< of a file changed in place: the same
            changed,   ///< beside another; it stays
        };
        const ReceiptOutput& output;
        fs::path path;
        Is is = Is::gone;
        std::optional<FileStamp> stamp{};  ///< of a file
        FolderStamps seen{};               ///< of a folder
        bool proven = false;
        fs::path backup{};                      ///< of what it replaced
        std::optional<FileStamp> backup_was{};  ///< of a file
    };

    bool is_source(const Found& one) const {
        return receipt_.in_place && &one.output == &receipt_.target() &&
               compare_file(one.path, receipt_.source().file.digests, work_.progress).empty();
    }

    /// What there is of the outputs. Throws Error(wrong_target) where one is another by now; nothing was touched then.
    void look() {
        std::vector<std::string> wrong;
        for (const ReceiptOutput& output : receipt_.outputs) {
            Found& one = found_.emplace_back(Found{output, path_of(output, receipt_, file_)});
            std::error_code code;
            clear_leftovers(one.path);  // of an undo that was killed
            if (!fs::exists(fs::symlink_status(one.path, code))) continue;
            refuse_elsewhere(output, one.path, folder_);
            if (output.folder)
                one.seen = stamps_below(one.path);
            else
                one.stamp = stamp_of(one.path);
            const std::vector<std::string> differences = differing(output, one.path, work_);
            one.proven = differences.empty() && is_proven(output, one.path);
            if (differences.empty())
                one.is = Found::Is::made;
            else if (output.replaced && is_as_replaced(output, one.path, work_.progress))
                one.is = Found::Is::replaced;
            else if (is_source(one))
                one.is = Found::Is::source;
            else if (output.beside)
                one.is = Found::Is::changed;
            else
                wrong.insert(wrong.end(), differences.begin(), differences.end());
        }
        if (!wrong.empty()) throw changed_since_made(wrong);
    }

    Error changed_since_made(const std::vector<std::string>& wrong) const {
        const std::string hint = "it was changed since; nothing was touched. Put it aside yourself if it may go";
        if (const ReceiptOutput& target = receipt_.target(); receipt_.kits.empty())
            for (const DigestMismatch& first : compare_file(file_, target.file.digests, work_.progress))
                return Error(ErrorCode::wrong_target, "the file is no longer what the receipt says was made")
                    .in(first.name)
                    .wanted(first.wanted)
                    .found(first.found)
                    .hint(hint);
        return Error(ErrorCode::wrong_target, "an output is no longer what was made")
            .in("output")
            .found(fmt::format("{}", fmt::join(wrong, "\n")))
            .hint(hint);
    }

    /// What all was made of has to stand there untouched, as other files than those that go.
    void check_sources() {
        for (const ReceiptSource& source : receipt_.sources) {
            const Digests& digests = source.file.digests;
            const std::string known = digests.crc32->hex();
            if (source.file.path.empty())
                throw Error(ErrorCode::usage, "the source came through a pipe, so nothing shows that it is still there")
                    .hint(fmt::format("nothing was removed; if you have the source (crc32 {}), remove the output "
                                      "yourself",
                                      known));
            const fs::path path = path_from_receipt(source.file.path, folder_);
            if (result_.source.empty()) result_.source = path;
            std::error_code code;
            if (source.folder &&
                (fs::is_directory(path, code) || (!address_of(path.string()).names_part() && fs::exists(path, code))))
                continue;
            must_be(path, digests, ErrorCode::wrong_source,
                    fmt::format("{} is not there as it was, so what was made of it stays", path.string()),
                    fmt::format("find it again (crc32 {}), then remove the output yourself", known), work_.progress);
            const InputFile opened = open_file(path.string(), work_);
            for (const Found& one : found_)
                if (one.stamp && opened.is_same_file(one.path))
                    throw Error(ErrorCode::damaged, "the receipt names the file itself as its source, so it stays")
                        .in("source")
                        .found(source.file.path);
        }
    }

    /// What a receipt names beside an output, where the name shows that it is that output's.
    fs::path own_path(const std::string& name, const fs::path& beside, bool is_own, const char* field,
                      std::string_view what) const {
        fs::path path = path_beside(name, beside.parent_path());
        if (!is_own)
            throw Error(ErrorCode::damaged, fmt::format("the receipt names {} that is none of this file", what))
                .in(field)
                .found(name)
                .hint("if the file was renamed since, give it and its receipt their old names, then undo it");
        return path;
    }

    /// Finds what the outputs had replaced. Throws Error(wrong_source) where it is not there as it was.
    void find_replaced(std::map<fs::path, FileIdentity>& restored) {
        for (Found& one : found_) {
            if (!one.output.replaced) continue;
            const std::string& name = one.output.replaced->path;
            one.backup =
                own_path(name, one.path, is_backup_name(name, one.path.filename().string()), "replaced", "a backup");
            std::error_code code;
            const bool there = fs::exists(fs::symlink_status(one.backup, code));
            if (one.is == Found::Is::replaced || (one.is == Found::Is::gone && !there)) continue;
            if (!one.output.folder) one.backup_was = own_file(one.backup, "replaced");
            if (!is_as_replaced(one.output, one.backup, work_.progress))
                throw Error(ErrorCode::wrong_source,
                            "what had been replaced is not there as it was, so nothing is touched")
                    .in("replaced")
                    .found(one.backup.string())
                    .hint("look for another copy of what stood there before");
            if (const auto identity =
                    one.output.folder ? identity_of_folder(one.backup) : std::optional(identity_of(*one.backup_was)))
                restored.emplace(one.path, *identity);
        }
    }

    /// Outputs go, or what they had replaced stands there again.
    void take_back() {
        if (!receipt_.in_place) check_sources();
        std::map<fs::path, FileIdentity> restored;
        find_replaced(restored);
        write_earlier(restored);
        result_.outcome = UndoOutcome::removed_already;
        for (Found& one : found_)
            if (!one.output.beside) take_back(one, restored.contains(one.path));
        tidy([&] { remove_beside(), step_back(); });
    }

    void take_back(Found& one, bool bring_back) {
        using Is = Found::Is;
        if (bring_back || one.is == Is::replaced || one.is == Is::source)
            result_.outcome = UndoOutcome::restored;
        else if (one.is == Is::made && result_.outcome == UndoOutcome::removed_already)
            result_.outcome = UndoOutcome::removed;
        if (one.is == Is::made && one.output.folder && bring_back && change_places(one.backup, one.path))
            one.is = Is::replaced;
        if (one.is == Is::made) {
            std::optional<fs::path> kept;
            if (bring_back && !one.output.folder)
                kept = put_backup_back(one.backup, *one.backup_was, one.path, *one.stamp, !one.proven);
            else if (!one.output.folder)
                kept = remove_file(one.path, *one.stamp, !one.proven);
            else
                one.proven ? remove_folder(one.path, one.seen) : void(kept = set_aside_as_backup(one.path));
            if (kept) result_.kept = kept;
        }
        // Stopped just here, it is found to be gone, and this is done by the next call.
        if (bring_back && (one.is == Is::gone || (one.is == Is::made && one.output.folder)))
            put_back(one.backup, one.path);
        if (one.is == Is::replaced && one.output.folder) tidy([&] { remove_changed_place(one); });
    }

    /// A folder that was made has its backup's name since what it had replaced is back.
    void remove_changed_place(const Found& one) {
        std::error_code code;
        if (!fs::is_directory(one.backup, code)) return;
        if (is_proven(one.output, one.backup) && differing(one.output, one.backup, work_).empty())
            remove_folder(one.backup, stamps_below(one.backup));
        else
            result_.kept = one.backup;
    }

    /// All is as it was before the change by now; what fails from here on is about what lies beside it.
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
        for (const Found& one : found_) {
            if (!one.output.beside || one.is == Found::Is::gone) continue;
            if (one.proven)
                remove_file(one.path, *one.stamp, false);
            else
                result_.left.push_back(one.path);
        }
    }

    /// A file that was changed in its place.
    void change_back(const Found& one) {
        if (one.is == Found::Is::gone)
            throw Error(ErrorCode::io, fmt::format("there is no file {}", file_.string()))
                .hint(receipt_.backup.empty() ? "" : fmt::format("its backup is {}", receipt_.backup));
        result_.outcome = UndoOutcome::restored;
        if (one.is == Found::Is::source) return tidy_restored();
        if (!one.stamp) throw Error(ErrorCode::damaged, "the receipt of a file says that it is a folder").in("folder");
        const InputFile made = InputFile::regular(file_, work_.limits, work_.progress);
        if (!receipt_.backup.empty()) {
            const fs::path backup = backup_path();
            const auto stamp = own_file(backup, "backup");
            must_be(backup, receipt_.source().file.digests, ErrorCode::wrong_source,
                    "the backup is not what the receipt says",
                    "nothing was touched; look for another copy of what was there before", work_.progress);
            write_earlier({{file_, identity_of(*stamp)}});
            result_.kept = put_backup_back(backup, *stamp, file_, *one.stamp, !one.proven);
        } else if (!receipt_.reverse.empty()) {
            const fs::path reverse = reverse_in_folder();
            result_.kept = rebuild_by(InputFile::record(reverse), made, one.proven);
            tidy([&] { drop_reverse(); });
        } else if (!patch_.empty()) {
            result_.kept = rebuild_by(open_file(patch_, work_), made, one.proven);
        } else {
            throw no_way_back();
        }
        tidy([&] { step_back(); });
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
        return rebuild(made, proven, patch, receipt_.source().file.digests, work_, [&](const FileStamp& stamp) {
            write_earlier({{file_, identity_of(stamp)}});
        });
    }

    /// Stopped before the receipt went, or before anything was replaced at all.
    void tidy_restored() {
        if (!receipt_.backup.empty()) {
            const fs::path backup = backup_path();
            const auto stamp = own_file(backup, "backup");
            if (stamp && compare_file(backup, receipt_.source().file.digests, work_.progress).empty())
                remove_file(backup, *stamp, false);
        }
        tidy([&] { drop_reverse(), step_back(); });
    }

    fs::path backup_path() const {
        const std::string& name = receipt_.backup;
        return own_path(name, file_, is_backup_name(name, file_.filename().string()), "backup", "a backup");
    }

    fs::path reverse_in_folder() const {
        const std::string& name = receipt_.reverse;
        return own_path(name, file_, is_reverse_name(name, file_.filename().string()), "reverse", "a reverse patch");
    }

    void drop_reverse() {
        if (receipt_.reverse.empty()) return;
        const fs::path path = reverse_in_folder();
        const auto stamp = own_file(path, "reverse");
        if (!stamp) return;
        if (receipt_.reverse_identity == identity_of(*stamp))
            remove_file(path, *stamp, false);
        else
            result_.unproven_reverse = path;
    }

    /// The receipt of the change before this one takes the place of the receipt, or nothing does.
    void step_back() {
        if (earlier_ != nullptr) before_.commit();
        if (earlier_ == nullptr || earlier_path_ != receipt_file_)
            if (const auto stamp = stamp_of(receipt_file_)) remove_file(receipt_file_, *stamp, false);
        remove_made_folders(receipt_, folder_);
    }

    /// Written before anything is touched, so that a full disk is an error by then; and once more when it is known
    /// which files will stand there.
    void write_earlier(const std::map<fs::path, FileIdentity>& restored = {}) {
        if (receipt_.before.empty()) return;
        Receipt earlier = receipt_before(receipt_);
        const fs::path first = path_from_receipt(earlier.target().file.path, folder_);
        for (ReceiptOutput& output : earlier.outputs) {
            const auto found = restored.find(path_of(output, earlier, file_));
            if (found != restored.end()) output.identity = found->second;
        }
        if (earlier_ != nullptr) {
            earlier_->clear();
        } else {
            earlier_path_ = earlier.kits.empty() ? receipt_file_ : receipt_path(first);
            earlier_ = &before_.file(earlier_path_, {.replace = Replace::without_backup});
        }
        earlier_->write(bytes_of(receipt_to_json(earlier)));
    }

    const fs::path file_, folder_, receipt_file_;
    const std::string& patch_;
    const WorkOptions& work_;
    const Receipt receipt_;
    std::vector<Found> found_;
    UndoResult result_;
    Transaction before_;
    ByteSink* earlier_ = nullptr;  ///< the receipt of the change before this one
    fs::path earlier_path_;
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
    return Undoing(file, patch, options).run();
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
