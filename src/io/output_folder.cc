// SPDX-License-Identifier: MIT
// A whole folder as output: filled beside its place, flushed, brought there by one rename.
// Tested by tests/kit/cli_kit_test.cc and, killed at every step, tests/faults/kit_faults_test.cc.
#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <set>

#include "hotstitch/file_io.h"
#include "io/folder_writer.h"
#include "io/names.h"
#include "io/system_error.h"

namespace hotstitch {

namespace fs = std::filesystem;

struct OutputFolder::State {
    fs::path path, temporary;
    Replace replace = Replace::never;
    Descriptor lock;
    std::vector<fs::path> folders;  ///< made for this one
    std::optional<FolderWriter> writer;
    std::optional<bool> stands_already;
    std::optional<fs::path> backup, wanted_backup;
    std::optional<FolderStamps> as_seen;
    std::string temporary_name;
    bool placed = false, finished = false;

    void place();
    void change_places();
    ~State() {
        std::error_code code;
        // The old one, which nobody has looked at again.
        if (placed && !finished && !temporary.empty() && !path.empty()) try {
                rename_to_backup(temporary, path);
                temporary.clear();
            } catch (const std::exception&) {
                temporary.clear();
            }
        if (!temporary.empty()) fs::remove_all(temporary, code);
        settle_folders(path.parent_path(), placed);
    }
};

namespace {

/// Both change places at once. False with errno set, EINVAL or ENOSYS where the file system cannot.
bool exchange(const fs::path& a, const fs::path& b) noexcept {
    return ::renameat2(AT_FDCWD, a.c_str(), AT_FDCWD, b.c_str(), RENAME_EXCHANGE) == 0;
}

bool same_entry(const fs::path& a, const fs::path& b) {
    struct stat x {
    }, y{};
    if (::lstat(a.c_str(), &x) != 0 || ::lstat(b.c_str(), &y) != 0) return false;
    if ((x.st_mode & S_IFMT) != (y.st_mode & S_IFMT)) return false;
    if (S_ISDIR(x.st_mode)) return true;
    if (S_ISLNK(x.st_mode)) return fs::read_symlink(a) == fs::read_symlink(b);
    return S_ISREG(x.st_mode) && x.st_size == y.st_size && (x.st_mode & 0100) == (y.st_mode & 0100) && same_bytes(a, b);
}

std::set<fs::path> names_below(const fs::path& folder) {
    std::set<fs::path> names;
    for (const auto& entry : fs::recursive_directory_iterator(folder))
        names.insert(entry.path().lexically_relative(folder));
    return names;
}

/// By one rename to a temporary name of `output`, which the next call for that cleans up when this one is killed.
void remove_at_once(const fs::path& folder, const fs::path& output, const std::optional<FolderStamps>& as_seen) {
    fs::path temporary;
    const Descriptor lock = open_temporary_folder(output, temporary);
    const fs::path gone = temporary / "gone";
    if (::rename(folder.c_str(), gone.c_str()) != 0) {
        const int why = errno;
        ::rmdir(temporary.c_str());
        throw system_error("remove", folder, why);
    }
    if (as_seen && stamps_below(gone) != *as_seen) {
        // Something new may have its name by now.
        if (!rename_to_new(gone, folder)) rename_to_backup(gone, folder);
        ::rmdir(temporary.c_str());
        throw Error(ErrorCode::io, fmt::format("{} was changed by another program meanwhile", folder.string()))
            .in("replaced folder")
            .hint("it stays; wait until that program is done, then run this again");
    }
    std::error_code code;
    fs::remove_all(temporary, code);
}

bool same_folder(const fs::path& a, const fs::path& b) {
    const std::set<fs::path> names = names_below(a);
    if (names != names_below(b)) return false;
    for (const fs::path& name : names)
        if (!same_entry(a / name, b / name)) return false;
    return true;
}

}  // namespace

OutputFolder::OutputFolder(const fs::path& path, Replace replace, std::optional<FolderStamps> as_seen)
    : state_(std::make_unique<State>()) {
    State& s = *state_;
    s.path = resolved(path);
    s.as_seen = std::move(as_seen);
    s.replace = replace;
    refuse_long_name(s.path, "the output", "choose a shorter name");
    std::error_code code;
    if (fs::exists(s.path, code) && !fs::is_directory(s.path, code))
        throw Error(ErrorCode::usage, fmt::format("{} is a file, and a folder is made", s.path.string()));
    s.folders = make_folders(s.path.parent_path());
    clear_leftovers(s.path);
    s.lock = open_temporary_folder(s.path, s.temporary);
    s.temporary_name = s.temporary.filename().string();
    s.writer.emplace(s.temporary);
}

OutputFolder::~OutputFolder() = default;
OutputFolder::OutputFolder(OutputFolder&&) noexcept = default;
OutputFolder& OutputFolder::operator=(OutputFolder&&) noexcept = default;

void OutputFolder::add_folder(const std::string& name) {
    state_->writer->folder(name);
}
void OutputFolder::add_link(const std::string& name, const std::string& to) {
    state_->writer->link(name, to);
}
void OutputFolder::add_file(const std::string& name, bool executable, const std::function<void(ByteSink&)>& write) {
    state_->writer->file(name, executable, write);
}

bool OutputFolder::stands_already() {
    State& s = *state_;
    std::error_code code;
    if (!s.stands_already) s.stands_already = fs::is_directory(s.path, code) && same_folder(s.temporary, s.path);
    return *s.stands_already;
}

std::optional<fs::path> OutputFolder::keep_backup() {
    State& s = *state_;
    std::error_code code;
    if (!s.wanted_backup && !s.backup && s.replace == Replace::keep_backup && fs::exists(s.path, code) &&
        !stands_already())
        s.wanted_backup = free_backup_name(s.path);
    return s.backup ? s.backup : s.wanted_backup;
}

void OutputFolder::flush() {
    if (stands_already()) return;
    state_->writer->flush();
    std::error_code code;
    if (fs::exists(state_->path, code) && state_->replace == Replace::never)
        throw Error(ErrorCode::exists, fmt::format("{} exists already", state_->path.string()))
            .in("existing output")
            .as(ErrorId::output_exists)
            .hint("choose another name, or allow the folder to be replaced (it is then kept as a backup)");
}

std::optional<fs::path> OutputFolder::place() {
    State& s = *state_;
    if (stands_already()) return std::nullopt;
    s.place();
    s.placed = true;
    sync_folder(s.path.parent_path());
    return s.backup;
}

void OutputFolder::State::place() {
    std::error_code code;
    if (!fs::exists(path, code)) {
        if (!rename_to_new(temporary, path)) throw system_error("put into place", path);
        temporary.clear();
        return;
    }
    const bool keeps_old = replace != Replace::without_backup || (as_seen && stamps_below(path) != *as_seen);
    if (!keeps_old) {
        if (exchange(temporary, path)) return;  // the old one has the temporary name now
        if (errno != EINVAL && errno != ENOSYS) throw system_error("put into place", path);
    }
    change_places();
}

/// Under a name that tells whoever comes after a kill which of the two has it, so that something stands at the path at
/// every moment where the file system can do that. The old one is locked meanwhile, as the new one is.
void OutputFolder::State::change_places() {
    const Descriptor old(::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (old) ::flock(old.get(), LOCK_EX | LOCK_NB);
    const fs::path swap = swap_name(path, temporary);
    if (!rename_to_new(temporary, swap)) throw system_error("put into place", path);
    if (!exchange(swap, path)) {
        const int why = errno;
        ::rename(swap.c_str(), temporary.c_str());
        if ((why != EINVAL && why != ENOSYS) || !rename_to_new(path, swap))
            throw system_error("put into place", path, why);
        if (!rename_to_new(temporary, path)) {
            const int no_place = errno;
            ::rename(swap.c_str(), path.c_str());
            throw system_error("put into place", path, no_place);
        }
    }
    try {
        backup = wanted_backup && rename_to_new(swap, *wanted_backup) ? *wanted_backup : rename_to_backup(swap, path);
        temporary.clear();
    } catch (const Error&) {
        if (exchange(swap, path)) {
            ::rename(swap.c_str(), temporary.c_str());
        } else {
            ::rename(path.c_str(), temporary.c_str());
            ::rename(swap.c_str(), path.c_str());
        }
        throw;
    }
}

void OutputFolder::take_back() noexcept {
    State& s = *state_;
    if (!s.placed) return;
    s.placed = false;
    if (!s.backup && !s.temporary.empty()) {
        exchange(s.temporary, s.path);
        return;
    }
    s.temporary = s.path.parent_path() / s.temporary_name;
    ::rename(s.path.c_str(), s.temporary.c_str());
    if (s.backup) ::rename(s.backup->c_str(), s.path.c_str());
    s.backup.reset();
}

std::optional<fs::path> OutputFolder::finish() noexcept {
    State& s = *state_;
    s.finished = true;
    if (!s.placed) return s.backup;
    if (s.temporary.empty()) {
        // Where the two could not change places, the old one has a backup's name, wanted or not.
        if (s.backup && s.replace == Replace::without_backup) try {
                remove_at_once(*s.backup, s.path, s.as_seen);
                s.backup.reset();
            } catch (const std::exception&) {  // something was written into it: it stays
            }
        return s.backup;
    }
    bool as_it_was = !s.as_seen;
    try {
        as_it_was = as_it_was || stamps_below(s.temporary) == *s.as_seen;
    } catch (const std::exception&) {  // who cannot look at it does not remove it
    }
    if (as_it_was) return std::nullopt;
    // What was written into the old one since is somebody's.
    try {
        s.backup = rename_to_backup(s.temporary, s.path);
    } catch (const std::exception&) {  // then it stays where it is
    }
    s.temporary.clear();
    return s.backup;
}

const std::vector<fs::path>& OutputFolder::made_folders() const noexcept {
    return state_->folders;
}

FileStamp OutputFolder::settle() const {
    return stamp_of_folder(state_->temporary).value_or(FileStamp{});
}

fs::path set_aside_as_backup(const fs::path& path, const fs::path& as) {
    return rename_to_backup(resolved(path), as);
}

fs::path keep_as_backup(const fs::path& file, const fs::path& as) {
    return make_backup(file, as);
}

FolderStamps stamps_below(const fs::path& folder) {
    FolderStamps all;
    std::error_code code;
    fs::recursive_directory_iterator entry(folder, code), end;
    for (; !code && entry != end; entry.increment(code)) {
        struct stat info {};
        if (::lstat(entry->path().c_str(), &info) != 0) throw system_error("read", entry->path());
        FileStamp stamp = stamp_from(info);
        if (S_ISDIR(info.st_mode)) stamp.size = 0, stamp.modified = 0;
        all.emplace(entry->path().lexically_relative(folder).generic_string(), stamp);
    }
    if (code) throw system_error("read", folder, code.value());
    return all;
}

void remove_folder(const fs::path& named, const FolderStamps& as_seen) {
    const fs::path folder = resolved(named);
    remove_at_once(folder, folder, as_seen);
}

bool change_places(const fs::path& one, const fs::path& other) {
    if (!exchange(one, other)) {
        if (errno == EINVAL || errno == ENOSYS) return false;
        throw system_error("put back", one);
    }
    sync_folder(one.parent_path());
    return true;
}

void put_back(const fs::path& backup, const fs::path& place) {
    if (!rename_to_new(backup, place)) throw system_error("put back", backup);
    sync_folder(place.parent_path());
}

std::uint64_t other_names_of(const fs::path& file) noexcept {
    struct stat info {};
    return ::stat(file.c_str(), &info) == 0 && S_ISREG(info.st_mode) ? info.st_nlink - 1 : 0;
}

std::optional<FileStamp> stamp_of_folder(const fs::path& path) noexcept {
    struct stat info {};
    if (::lstat(path.c_str(), &info) != 0 || !S_ISDIR(info.st_mode)) return std::nullopt;
    return stamp_from(info);
}

const fs::path& OutputFolder::path() const noexcept {
    return state_->path;
}

}  // namespace hotstitch
