// SPDX-License-Identifier: MIT
// All-or-nothing output: written beside its place, flushed, then brought there by one rename. While others of the set
// are still on their way, a file that is replaced changes places with the new one, so that it can come back.
// Tested by tests/base/file_io_test.cc and, killed and failing at every step, tests/faults/faults_test.cc.
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <set>

#include "base/meter.h"
#include "hotstitch/change_list.h"
#include "hotstitch/file_io.h"
#include "io/file_writer.h"
#include "io/locks.h"
#include "io/names.h"
#include "io/positioned.h"
#include "io/system_error.h"

namespace hotstitch {

namespace fs = std::filesystem;

struct OutputFile::State {
    fs::path path, temporary;
    OutputOptions options;
    std::vector<fs::path> folders;  ///< made for this file
    std::optional<FileWriter> writer;
    std::optional<struct stat> replaced;
    Descriptor lock;  ///< of the file that is replaced
    std::optional<fs::path> backup;
    std::optional<bool> stands_already;
    bool settled = false, placed = false, exchanged = false, kept = false;

    ~State();
    void settle();
    void take_over_attributes() const;
    void refuse_conflict();
    void keep_backup();
    void place(bool last);
    void take_back() noexcept;
    bool is_as_it_was() const;
};

namespace {

Error changed_meanwhile(const fs::path& path) {
    return Error(ErrorCode::io, fmt::format("{} was changed by another program meanwhile", path.string()))
        .in("replaced file")
        .hint("nothing was replaced; wait until that program is done, then run this again");
}

Error exists_already(const fs::path& path) {
    return Error(ErrorCode::exists, fmt::format("{} exists already", path.string()))
        .in("existing output")
        .as(ErrorId::output_exists)
        .hint("choose another name, or allow the file to be replaced (it is then kept as a backup)");
}

bool holds(const fs::path& path, const ByteSource& bytes) {
    const Descriptor descriptor(::open(path.c_str(), O_RDONLY | O_CLOEXEC));
    struct stat info {};
    if (!descriptor || ::fstat(descriptor.get(), &info) != 0 || !S_ISREG(info.st_mode)) return false;
    if (static_cast<std::uint64_t>(info.st_size) != bytes.size()) return false;
    try {
        return are_same(bytes, PositionedSource(descriptor.get(), path, bytes.size()));
    } catch (const Error&) {
        return false;  // it cannot be read, so it is not taken for the same
    }
}

}  // namespace

OutputFile::State::~State() {
    if (!temporary.empty()) ::unlink(temporary.c_str());
    // A backup that was not needed: the file that it was made of still stands under its own name.
    if (backup && !kept && is_as_it_was()) ::unlink(backup->c_str());
    settle_folders(path.parent_path(), placed);
}

OutputFile::OutputFile(const fs::path& path, const OutputOptions& options) : state_(std::make_unique<State>()) {
    State& s = *state_;
    s.path = resolved(path);
    s.options = options;
    refuse_long_name(s.path, "the output", "choose a shorter name");
    struct stat info {};
    if (::stat(s.path.c_str(), &info) == 0) {
        if (S_ISDIR(info.st_mode))
            throw Error(ErrorCode::usage, fmt::format("{} is a folder, a file is needed", s.path.string()));
        if (!S_ISREG(info.st_mode))
            throw Error(ErrorCode::usage, fmt::format("{} is a device or pipe, not a file", s.path.string()));
        if (options.replace != Replace::never) {
            s.lock = lock_file(s.path);
            if (::stat(s.path.c_str(), &info) != 0) throw changed_meanwhile(s.path);
            if (options.read_as && stamp_from(info) != *options.read_as) throw changed_meanwhile(s.path);
            s.replaced = info;
        }
    } else if (options.read_as) {
        throw changed_meanwhile(s.path);
    }
    if (s.replaced && options.replace == Replace::keep_backup)
        refuse_long_name(longest_backup_name(s.path), "the backup",
                         "choose a shorter name, or do without the backup (and so without a way back)");
    s.folders = make_folders(s.path.parent_path());
    clear_leftovers(s.path);
    s.writer.emplace(open_only_temporary(s.path, s.temporary), s.path, true);
}

OutputFile::~OutputFile() = default;
OutputFile::OutputFile(OutputFile&&) noexcept = default;
OutputFile& OutputFile::operator=(OutputFile&&) noexcept = default;

void OutputFile::reserve(std::uint64_t size) {
    state_->writer->reserve(size);
}
void OutputFile::write(ByteView bytes) {
    state_->settled = false;
    state_->stands_already.reset();
    state_->writer->write(bytes);
}
void OutputFile::clear() {
    state_->settled = false;
    state_->stands_already.reset();
    state_->writer->clear();
}
void OutputFile::read_back(std::uint64_t offset, MutableByteView into) const {
    state_->writer->read_back(offset, into);
}
std::optional<ByteView> OutputFile::written() {
    return state_->writer->map();
}
std::uint64_t OutputFile::written_size() const {
    return state_->writer->size();
}
const fs::path& OutputFile::path() const noexcept {
    return state_->path;
}

const std::vector<fs::path>& OutputFile::made_folders() const noexcept {
    return state_->folders;
}

void OutputFile::State::take_over_attributes() const {
    const int descriptor = writer->descriptor();
    if (replaced) {
        // Only root can give a file away; everybody else owns what they replace or cannot keep its owner.
        if (::fchown(descriptor, replaced->st_uid, replaced->st_gid) != 0) errno = 0;
        ::fchmod(descriptor, replaced->st_mode & 07777);
        const struct timespec times[2] = {replaced->st_atim, replaced->st_mtim};
        ::futimens(descriptor, times);
        return;
    }
    struct stat model {
    }, own{};
    if (!options.executable_like || ::stat(options.executable_like->c_str(), &model) != 0 ||
        ::fstat(descriptor, &own) != 0)
        return;
    // Whoever may read it by the umask may execute it, if the model allows that.
    ::fchmod(descriptor, (own.st_mode | (((own.st_mode & 0444) >> 2) & model.st_mode)) & 07777);
}

void OutputFile::State::settle() {
    if (settled) return;
    writer->trim();
    take_over_attributes();
    settled = true;
}

FileStamp OutputFile::settle() {
    state_->settle();
    struct stat info {};
    if (::fstat(state_->writer->descriptor(), &info) != 0) throw system_error("read back", state_->path);
    return stamp_from(info);
}

bool OutputFile::stands_already() {
    State& s = *state_;
    s.settle();
    if (!s.stands_already) s.stands_already = !s.replaced && holds(s.path, WrittenSource(*this));
    return *s.stands_already;
}

bool OutputFile::State::is_as_it_was() const {
    const auto now = stamp_of(path);
    return replaced && now && *now == stamp_from(*replaced);
}

void OutputFile::State::keep_backup() {
    if (backup || !replaced || options.replace != Replace::keep_backup) return;
    if (!is_as_it_was()) throw changed_meanwhile(path);
    backup = make_backup(path);
}

std::optional<fs::path> OutputFile::keep_backup() {
    state_->keep_backup();
    return state_->backup;
}

void OutputFile::State::refuse_conflict() {
    struct stat info {};
    if (replaced ? !is_as_it_was() : false) throw changed_meanwhile(path);
    if (!replaced && ::lstat(path.c_str(), &info) == 0) throw exists_already(path);
}

/// The last file of a set need not come back, so it is simply put over the old one.
void OutputFile::State::place(bool last) {
    refuse_conflict();
    if (!replaced) {
        if (!rename_to_new(temporary, path))
            throw errno == EEXIST ? exists_already(path) : system_error("put into place", path);
        temporary.clear();
    } else if (!last && ::renameat2(AT_FDCWD, temporary.c_str(), AT_FDCWD, path.c_str(), RENAME_EXCHANGE) == 0) {
        exchanged = true;
    } else {
        if (!last && errno != EINVAL && errno != ENOSYS) throw system_error("put into place", path);
        if (::rename(temporary.c_str(), path.c_str()) != 0) throw system_error("put into place", path);
        temporary.clear();
    }
    placed = kept = true;
}

/// After place(), when another file of the set could not follow.
void OutputFile::State::take_back() noexcept {
    if (!placed) return;
    placed = kept = false;
    if (exchanged) {
        ::renameat2(AT_FDCWD, temporary.c_str(), AT_FDCWD, path.c_str(), RENAME_EXCHANGE);
    } else if (backup) {
        if (::rename(backup->c_str(), path.c_str()) == 0) backup.reset();
        kept = true;
    } else if (!replaced) {
        ::unlink(path.c_str());
    }
}

std::optional<fs::path> OutputFile::commit(const Progress& progress) {
    OutputSet::commit_together({this}, progress);
    return state_->backup;
}

OutputSet::OutputSet() noexcept = default;
OutputSet::~OutputSet() = default;
OutputSet::OutputSet(OutputSet&&) noexcept = default;
OutputSet& OutputSet::operator=(OutputSet&&) noexcept = default;

OutputFile& OutputSet::add(const fs::path& path, const OutputOptions& options) {
    files_.push_back(std::make_unique<OutputFile>(path, options));
    return *files_.back();
}

void OutputSet::withdraw(const OutputFile& file) noexcept {
    std::erase_if(files_, [&](const auto& member) { return member.get() == &file; });
}

void OutputSet::commit(const Progress& progress) {
    std::vector<OutputFile*> files;
    for (const auto& file : files_) files.push_back(file.get());
    commit_together(files, progress);
}

void OutputSet::commit_together(const std::vector<OutputFile*>& files, const Progress& progress) {
    Meter meter(progress, Phase::flushing, 0);
    std::vector<OutputFile::State*> order;  // the first file last
    for (OutputFile* const file : files)
        if (!file->stands_already()) order.insert(order.begin(), file->state_.get());
    for (const OutputFile::State* file : order)
        if (::fsync(file->writer->descriptor()) != 0) throw system_error("flush", file->path);
    meter.finish();
    for (OutputFile::State* file : order) file->refuse_conflict();
    for (OutputFile::State* file : order) file->keep_backup();
    try {
        for (OutputFile::State* file : order) file->place(file == order.back());
    } catch (const Error&) {
        for (auto file = order.rbegin(); file != order.rend(); ++file) (*file)->take_back();
        throw;
    }
    std::set<fs::path> folders;
    for (const OutputFile::State* file : order) folders.insert(file->path.parent_path());
    for (const fs::path& folder : folders) sync_folder(folder);
}

}  // namespace hotstitch
