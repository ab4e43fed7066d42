// SPDX-License-Identifier: MIT
// A whole folder as output: filled beside its place, flushed, brought there by one rename.
// Tested by tests/cli_kit_test.cc and, killed at every step, tests/kit_faults_test.cc.
#include <fcntl.h>
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
    std::optional<fs::path> backup;
    bool placed = false;

    ~State() {
        std::error_code code;
        if (!temporary.empty()) fs::remove_all(temporary, code);
        settle_folders(path.parent_path(), placed);
    }
};

namespace {

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

bool same_folder(const fs::path& a, const fs::path& b) {
    const std::set<fs::path> names = names_below(a);
    if (names != names_below(b)) return false;
    for (const fs::path& name : names)
        if (!same_entry(a / name, b / name)) return false;
    return true;
}

}  // namespace

OutputFolder::OutputFolder(const fs::path& path, Replace replace) : state_(std::make_unique<State>()) {
    State& s = *state_;
    s.path = resolved(path);
    s.replace = replace;
    refuse_long_name(s.path, "the output", "choose a shorter name");
    std::error_code code;
    if (fs::exists(s.path, code) && !fs::is_directory(s.path, code))
        throw Error(ErrorCode::usage, fmt::format("{} is a file, and a folder is made", s.path.string()));
    s.folders = make_folders(s.path.parent_path());
    clear_leftovers(s.path);
    s.lock = open_temporary_folder(s.path, s.temporary);
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

void OutputFolder::flush() {
    if (stands_already()) return;
    state_->writer->flush();
    std::error_code code;
    if (fs::exists(state_->path, code) && state_->replace == Replace::never)
        throw Error(ErrorCode::exists, fmt::format("{} exists already", state_->path.string()))
            .in("existing output")
            .hint("choose another name, or allow the folder to be replaced (it is then kept as a backup)");
}

std::optional<fs::path> OutputFolder::place() {
    State& s = *state_;
    if (stands_already()) return std::nullopt;
    std::error_code code;
    // First the old folder gets its backup's name: should this end in between, both are there under other names.
    if (fs::exists(s.path, code)) s.backup = rename_to_backup(s.path);
    if (!rename_to_new(s.temporary, s.path)) {
        const int why = errno;
        if (s.backup) ::rename(s.backup->c_str(), s.path.c_str());
        s.backup.reset();
        throw system_error("put into place", s.path, why);
    }
    s.placed = true;
    sync_folder(s.path.parent_path());
    return s.backup;
}

void OutputFolder::take_back() noexcept {
    State& s = *state_;
    if (!s.placed) return;
    s.placed = false;
    ::rename(s.path.c_str(), s.temporary.c_str());
    if (s.backup) ::rename(s.backup->c_str(), s.path.c_str());
    s.backup.reset();
}

void OutputFolder::finish() noexcept {
    State& s = *state_;
    if (s.placed) s.temporary.clear();
    std::error_code code;
    if (s.backup && s.replace == Replace::without_backup) fs::remove_all(*s.backup, code), s.backup.reset();
}

const std::vector<fs::path>& OutputFolder::made_folders() const noexcept {
    return state_->folders;
}

std::uint64_t OutputFolder::inode() const {
    return inode_at(state_->temporary);
}

fs::path set_aside_as_backup(const fs::path& path, const fs::path& as) {
    return rename_to_backup(resolved(path), as);
}

fs::path keep_as_backup(const fs::path& file, const fs::path& as) {
    return make_backup(file, as);
}

void remove_folder(const fs::path& named) {
    const fs::path folder = resolved(named);
    fs::path temporary;
    const Descriptor lock = open_temporary_folder(folder, temporary);
    if (::rename(folder.c_str(), (temporary / "gone").c_str()) != 0) {
        const int why = errno;
        ::rmdir(temporary.c_str());
        throw system_error("remove", folder, why);
    }
    std::error_code code;
    fs::remove_all(temporary, code);
}

std::uint64_t inode_at(const fs::path& path) noexcept {
    struct stat info {};
    return ::lstat(path.c_str(), &info) == 0 ? info.st_ino : 0;
}

const fs::path& OutputFolder::path() const noexcept {
    return state_->path;
}

}  // namespace hotstitch
