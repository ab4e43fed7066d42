// SPDX-License-Identifier: MIT
// The way back by a receipt. Everything that it names is looked at before anything is touched; a call that was stopped
// is finished when it is asked for again. Tested by tests/job/receipt_test.cc, tests/kit/cli_kit_test.cc and, killed at
// every step, tests/faults/faults_test.cc and tests/faults/kit_faults_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "hotstitch/error.h"
#include "hotstitch/transaction.h"
#include "job/as_made.h"
#include "job/receipts.h"
#include "job/undo.h"

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
        std::size_t done = 0;
        for (Found& one : found_) try {
                if (one.output.beside) continue;
                take_back(one, restored.contains(one.path));
                ++done;
            } catch (Error& error) {
                if (done == 0 || !error.done().empty()) throw;
                throw std::move(error).done("Other outputs are undone already; the same call goes on from there");
            }
        tidy([&] { remove_beside(), step_back(); });
    }

    void take_back(Found& one, bool bring_back) {
        using Is = Found::Is;
        if (bring_back || one.is == Is::replaced || one.is == Is::source)
            result_.outcome = UndoOutcome::restored;
        else if (one.is == Is::made && result_.outcome == UndoOutcome::removed_already)
            result_.outcome = UndoOutcome::removed;
        if (one.is == Is::replaced && one.output.folder) return tidy([&] { remove_left_behind(one); });
        if (one.is == Is::made && one.output.folder && bring_back && change_places(one.backup, one.path))
            return tidy([&] { remove_changed_place(one); });
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
    }

    /// A folder that was made has its backup's name since what it had replaced is back.
    void remove_changed_place(const Found& one) {
        one.proven ? remove_folder(one.backup, one.seen) : void(result_.kept = one.backup);
    }

    /// The same, where a call was stopped between the two.
    void remove_left_behind(Found& one) {
        std::error_code code;
        if (!fs::is_directory(one.backup, code)) return;
        one.seen = stamps_below(one.backup);
        one.proven = is_proven(one.output, one.backup) && differing(one.output, one.backup, work_).empty();
        remove_changed_place(one);
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
        return restore_by(made, proven, patch, receipt_.source().file.digests, work_, [&](const FileStamp& stamp) {
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

}  // namespace

UndoResult undo_by_receipt(const fs::path& file, const std::string& patch, const WorkOptions& work) {
    return Undoing(file, patch, work).run();
}

}  // namespace hotstitch
