// SPDX-License-Identifier: MIT
// Files are one set already (OutputSet); folders get into their places before it and are taken back after it, so that a
// set that fails leaves all as it was. Tested by tests/base/file_io_test.cc and, killed and failing at every call,
// tests/faults/faults_test.cc and tests/faults/kit_faults_test.cc.
#include "hotstitch/transaction.h"

#include <algorithm>

namespace hotstitch {

namespace fs = std::filesystem;

Transaction::Transaction(Progress progress) : progress_(std::move(progress)) {}
Transaction::~Transaction() = default;

OutputFile& Transaction::file(const fs::path& path, const OutputOptions& options) {
    return files_.add(path, options);
}

OutputFolder& Transaction::folder(const fs::path& path, Replace replace, std::optional<FolderStamps> as_seen) {
    folders_.push_back(
        std::make_unique<Folder>(Folder{OutputFolder(path, replace, std::move(as_seen)), replace, Replaced{}}));
    return folders_.back()->output;
}

void Transaction::withdraw(const OutputFile& file) noexcept {
    files_.withdraw(file);
}

void Transaction::withdraw(const OutputFolder& folder) noexcept {
    std::erase_if(folders_, [&](const auto& one) { return &one->output == &folder; });
}

std::optional<fs::path> Transaction::in_place(const InputFile& file, const ChangeList& change,
                                              const std::vector<std::string>& what, bool keep) {
    return change_in_place(file, change, what, keep, progress_);
}

fs::path Transaction::in_place(const fs::path& folder, const std::vector<FolderChange>& changes,
                               const std::function<std::string()>& receipt) {
    return change_folder(folder, changes, receipt, progress_);
}

void Transaction::commit() {
    for (const auto& one : folders_) one->output.flush();
    try {
        for (const auto& one : folders_) one->replaced.backup = one->output.place();
        files_.commit(progress_);
    } catch (...) {
        for (auto one = folders_.rbegin(); one != folders_.rend(); ++one) (*one)->output.take_back();
        throw;
    }
    for (const auto& one : folders_) {
        const auto kept = one->output.finish();
        std::error_code code;
        Replaced& replaced = one->replaced;
        replaced.written_into = kept && one->replace == Replace::without_backup;
        if (kept) replaced.backup = kept;
        if (replaced.backup && !fs::exists(*replaced.backup, code)) replaced.backup.reset();
    }
}

Transaction::Replaced Transaction::replaced_by(const OutputFolder& folder) const {
    const auto found =
        std::find_if(folders_.begin(), folders_.end(), [&](const auto& one) { return &one->output == &folder; });
    return found == folders_.end() ? Replaced{} : (*found)->replaced;
}

WrittenFile write_file(const fs::path& path, const OutputOptions& options, const std::function<void(ByteSink&)>& write,
                       const Progress& progress) {
    Transaction transaction(progress);
    OutputFile& file = transaction.file(path, options);
    write(file);
    WrittenFile written{.path = file.path(), .stood_already = file.stands_already(), .size = file.written_size()};
    transaction.commit();
    written.backup = file.keep_backup();
    return written;
}

WrittenFile write_file(const fs::path& path, const OutputOptions& options, std::string_view text,
                       const Progress& progress) {
    return write_file(
        path, options, [&](ByteSink& out) { out.write(bytes_of(text)); }, progress);
}

}  // namespace hotstitch
