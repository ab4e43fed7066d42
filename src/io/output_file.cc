// SPDX-License-Identifier: MIT
// All-or-nothing output. Tested by tests/file_io_test.cc and, with signals and full disks, tests/cli/.
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <fmt/chrono.h>

#include <cstdio>
#include <ctime>
#include <random>

#include "bytes/meter.h"
#include "hotstitch/file_io.h"
#include "io/file_writer.h"
#include "io/system_error.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr std::string_view temporary_suffix = ".hotstitch-tmp";

/// Absolute, with every link followed, also where the last part does not exist yet.
fs::path resolved(const fs::path& path) {
    std::error_code code;
    fs::path real = fs::weakly_canonical(path, code);
    // A link to nothing: the file it names is made.
    for (int hops = 0; !code && fs::is_symlink(fs::symlink_status(real)) && hops < 40; ++hops) {
        const fs::path to = fs::read_symlink(real, code);
        real = fs::weakly_canonical(to.is_absolute() ? to : real.parent_path() / to, code);
    }
    if (code) throw system_error("find the place of", path, code.value());
    return fs::absolute(real);
}

void make_folder(const fs::path& folder) {
    std::error_code code;
    fs::create_directories(folder, code);
    if (code) throw system_error("make the folder", folder, code.value());
}

Error exists_already(const fs::path& path) {
    return Error(ErrorCode::usage, fmt::format("{} exists already", path.string()))
        .in("existing output")
        .hint("choose another name, or allow the file to be replaced (it is then kept as a backup)");
}

/// Opens a new file ".NAME.XXXXXX.hotstitch-tmp" beside `path`, whose name goes to `temporary`.
Descriptor open_temporary(const fs::path& path, fs::path& temporary) {
    // A name may have 255 bytes; the longest ones are cut to leave room for what is added.
    const std::string stem = path.filename().string().substr(0, 220);
    std::random_device random;
    while (true) {
        temporary = path.parent_path() / fmt::format(".{}.{:06x}{}", stem, random() & 0xFFFFFF, temporary_suffix);
        Descriptor descriptor(::open(temporary.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0666));
        if (descriptor) return descriptor;
        if (errno == EEXIST) continue;
        temporary.clear();
        throw system_error("write in the folder", path.parent_path());
    }
}

void sync_folder(const fs::path& folder) {
    const Descriptor descriptor(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (descriptor) ::fsync(descriptor.get());  // some file systems refuse this; the rename stands all the same
}

/// A free name "NAME.2026-11-23-075141.backup" beside the path; with "-2", "-3" … when taken.
fs::path backup_name(const fs::path& path) {
    const std::time_t now = std::time(nullptr);
    std::tm parts{};
    ::gmtime_r(&now, &parts);
    const std::string stamp = fmt::format("{:%Y-%m-%d-%H%M%S}", parts);
    for (int n = 1;; ++n) {
        fs::path name = path;
        name += n == 1 ? fmt::format(".{}.backup", stamp) : fmt::format(".{}-{}.backup", stamp, n);
        std::error_code code;  // a name too long is found out when the backup is made
        if (!fs::exists(fs::symlink_status(name, code))) return name;
    }
}

}  // namespace

struct OutputFile::State {
    fs::path path, temporary;
    OutputOptions options;
    std::optional<FileWriter> writer;
    std::optional<struct stat> replaced;

    ~State() {
        if (!temporary.empty()) ::unlink(temporary.c_str());
    }

    void take_over_attributes() const;
    std::optional<fs::path> keep_backup() const;
    void move_into_place();
};

OutputFile::OutputFile(const fs::path& path, const OutputOptions& options) : state_(std::make_unique<State>()) {
    State& s = *state_;
    s.path = resolved(path);
    s.options = options;
    struct stat info {};
    if (::stat(s.path.c_str(), &info) == 0) {
        if (S_ISDIR(info.st_mode))
            throw Error(ErrorCode::usage, fmt::format("{} is a folder, a file is needed", s.path.string()));
        if (!S_ISREG(info.st_mode))
            throw Error(ErrorCode::usage, fmt::format("{} is a device or pipe, not a file", s.path.string()));
        if (options.replace == Replace::never) throw exists_already(s.path);
        s.replaced = info;
    }
    make_folder(s.path.parent_path());
    s.writer.emplace(open_temporary(s.path, s.temporary), s.path);
}

OutputFile::~OutputFile() = default;
OutputFile::OutputFile(OutputFile&&) noexcept = default;
OutputFile& OutputFile::operator=(OutputFile&&) noexcept = default;

void OutputFile::reserve(std::uint64_t size) {
    state_->writer->reserve(size);
}
void OutputFile::write(ByteView bytes) {
    state_->writer->write(bytes);
}
void OutputFile::clear() {
    state_->writer->clear();
}
void OutputFile::read_back(std::uint64_t offset, MutableByteView into) const {
    state_->writer->read_back(offset, into);
}
std::optional<ByteView> OutputFile::written() {
    return state_->writer->map();
}
const fs::path& OutputFile::path() const noexcept {
    return state_->path;
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

std::optional<fs::path> OutputFile::State::keep_backup() const {
    if (!replaced || options.replace != Replace::keep_backup) return std::nullopt;
    fs::path backup = backup_name(path);
    // A second name for the old file, so that its own name is never missing; a plain move where the file
    // system knows no second names.
    if (::link(path.c_str(), backup.c_str()) != 0 && ::rename(path.c_str(), backup.c_str()) != 0)
        throw system_error("keep a backup of", path);
    return backup;
}

void OutputFile::State::move_into_place() {
    const bool may_replace = options.replace != Replace::never;
    int result = ::renameat2(AT_FDCWD, temporary.c_str(), AT_FDCWD, path.c_str(), may_replace ? 0 : RENAME_NOREPLACE);
    if (result != 0 && errno == EEXIST) throw exists_already(path);
    if (result != 0 && (errno == EINVAL || errno == ENOSYS)) {
        if (!may_replace && ::access(path.c_str(), F_OK) == 0) throw exists_already(path);
        result = ::rename(temporary.c_str(), path.c_str());
    }
    if (result != 0) throw system_error("put into place", path);
    temporary.clear();
}

std::optional<fs::path> OutputFile::commit(const Progress& progress) {
    State& s = *state_;
    Meter meter(progress, Phase::flushing, 0);
    s.writer->trim();
    s.take_over_attributes();
    if (::fsync(s.writer->descriptor()) != 0) throw system_error("flush", s.path);
    meter.finish();
    auto backup = s.keep_backup();
    try {
        s.move_into_place();
    } catch (const Error&) {
        std::error_code code;
        if (backup && fs::exists(s.path, code))
            fs::remove(*backup, code);
        else if (backup)
            fs::rename(*backup, s.path, code);
        throw;
    }
    sync_folder(s.path.parent_path());
    return backup;
}

struct ScratchFile::State {
    FileWriter writer;
};

ScratchFile::ScratchFile() {
    const fs::path folder = fs::temp_directory_path();
    fs::path temporary;
    Descriptor descriptor = open_temporary(folder / "scratch", temporary);
    ::unlink(temporary.c_str());
    state_ = std::make_unique<State>(State{FileWriter(std::move(descriptor), folder / "scratch")});
}
ScratchFile::~ScratchFile() = default;
ScratchFile::ScratchFile(ScratchFile&&) noexcept = default;
ScratchFile& ScratchFile::operator=(ScratchFile&&) noexcept = default;

void ScratchFile::reserve(std::uint64_t size) {
    state_->writer.reserve(size);
}
void ScratchFile::write(ByteView bytes) {
    state_->writer.write(bytes);
}
void ScratchFile::clear() {
    state_->writer.clear();
}
void ScratchFile::read_back(std::uint64_t offset, MutableByteView into) const {
    state_->writer.read_back(offset, into);
}
std::optional<ByteView> ScratchFile::written() {
    return state_->writer.map();
}

void ScratchFile::copy_to(int descriptor, const Progress& progress) {
    const ByteView all = state_->writer.map();
    Meter meter(progress, Phase::writing, all.size());
    constexpr std::size_t chunk = 1 << 20;
    for (std::size_t at = 0; at < all.size(); at += chunk) {
        write_all(descriptor, all.subspan(at, std::min(chunk, all.size() - at)), "standard output");
        meter.advance(chunk);
    }
}

}  // namespace hotstitch
