// SPDX-License-Identifier: MIT
// Undoing on disk: nothing is replaced or removed that is not still what it was when it was checked.
// Tested by tests/job/receipt_test.cc and tests/faults/faults_test.cc.
#include <unistd.h>

#include "hotstitch/file_io.h"
#include "io/locks.h"
#include "io/names.h"
#include "io/system_error.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

void must_be(const fs::path& path, const FileStamp& was) {
    if (stamp_of(path) == was) return;
    throw Error(ErrorCode::io, fmt::format("{} was changed by another program meanwhile", path.string()))
        .in("replaced file")
        .hint("nothing was touched; wait until that program is done, then run this again");
}

}  // namespace

std::optional<fs::path> put_backup_back(const fs::path& backup, const FileStamp& backup_was, const fs::path& file,
                                        const FileStamp& file_was, bool keep_replaced) {
    const Descriptor lock = lock_file(file);
    clear_leftovers(file);
    must_be(file, file_was);
    must_be(backup, backup_was);
    std::optional<fs::path> kept;
    if (keep_replaced && !backup_was.is_same_file(file_was)) kept = make_backup(file);
    // Two names of one file: renaming one to the other does nothing, by the letter of the standard.
    const bool one_file = backup_was.is_same_file(file_was);
    if (one_file ? ::unlink(backup.c_str()) != 0 : ::rename(backup.c_str(), file.c_str()) != 0)
        throw system_error("put into place", file);
    sync_folder(file.parent_path());
    return kept;
}

std::optional<fs::path> remove_file(const fs::path& file, const FileStamp& was, bool keep) {
    const Descriptor lock = lock_file(file);
    clear_leftovers(file);
    must_be(file, was);
    std::optional<fs::path> kept;
    if (keep) kept = make_backup(file);
    if (::unlink(file.c_str()) != 0) throw system_error("remove", file);
    sync_folder(file.parent_path());
    return kept;
}

}  // namespace hotstitch
