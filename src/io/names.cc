// SPDX-License-Identifier: MIT
// Names are found by trying: link and rename refuse one that is taken, so no two processes ever get the same.
// Every temporary file is locked as long as its maker lives; one that can be locked has been left behind.
// Tested by tests/base/file_io_test.cc and tests/faults/faults_test.cc.
#include "io/names.h"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <fmt/chrono.h>

#include <array>
#include <cctype>
#include <cstdio>
#include <ctime>
#include <mutex>
#include <random>
#include <set>

#include "hotstitch/text.h"
#include "io/file_writer.h"
#include "io/locks.h"
#include "io/system_error.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr std::string_view temporary_suffix = ".hotstitch-tmp", backup_suffix = ".backup",
                           swap_suffix = ".swap.hotstitch";
constexpr std::size_t longest_stem = 220;      ///< of a temporary file's name: most systems take 255 bytes in all
constexpr std::size_t most_entries = 100'000;  ///< of a folder that is searched for leftovers

/// Made for outputs that do not stand yet.
std::mutex folders_mutex;
std::set<fs::path> folders_made;

Error too_long(const fs::path& path, std::string_view what, std::string_view hint) {
    return Error(ErrorCode::usage, fmt::format("the name of {} would be too long for the file system", what))
        .in("name")
        .found(
            fmt::format("{}: {}", counted(path.filename().native().size(), "byte", "bytes"), path.filename().string()))
        .hint(std::string(hint));
}

std::string temporary_prefix(const fs::path& path) {
    return fmt::format(".{}.", path.filename().string().substr(0, longest_stem));
}

/// ".NAME.XXXXXX.hotstitch-tmp" of whatever output.
bool is_temporary(std::string_view name) {
    constexpr std::size_t digits = 6;
    if (!name.starts_with('.') || !name.ends_with(temporary_suffix)) return false;
    name.remove_suffix(temporary_suffix.size());
    return name.size() > digits + 1 && name[name.size() - digits - 1] == '.' &&
           name.find_first_not_of("0123456789abcdef", name.size() - digits) == std::string_view::npos;
}

bool is_temporary_of(std::string_view name, std::string_view prefix) {
    return is_temporary(name) && name.starts_with(prefix) && name.size() == prefix.size() + 6 + temporary_suffix.size();
}

bool is_swap_of(std::string_view name, std::string_view prefix) {
    if (!name.starts_with(prefix) || !name.ends_with(swap_suffix)) return false;
    name.remove_prefix(prefix.size()), name.remove_suffix(std::min(name.size(), swap_suffix.size()));
    return !name.empty() && name.find_first_not_of("0123456789abcdef") == std::string_view::npos;
}

std::vector<fs::path> entries_of(const fs::path& folder) {
    std::vector<fs::path> all;
    std::error_code code;
    for (fs::directory_iterator entry(folder, code), end; !code && entry != end; entry.increment(code)) {
        if (all.size() == most_entries) break;
        all.push_back(entry->path());
    }
    return all;
}

/// Of somebody who is no longer there: it can be locked.
void remove_left_behind(const fs::path& path) {
    const Descriptor left(::open(path.c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC));
    if (!left || ::flock(left.get(), LOCK_EX | LOCK_NB) != 0 || !is_still_named(left.get(), path)) return;
    std::error_code stays;
    fs::remove_all(path, stays);
}

/// Of a swap that was stopped.
void finish_swap(const fs::path& entry, const fs::path& path) {
    if (entry == swap_name(path, entry)) return remove_left_behind(entry);
    const Descriptor left(::open(entry.c_str(), O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
    if (!left || ::flock(left.get(), LOCK_EX | LOCK_NB) != 0) return;
    if (!rename_to_new(entry, path)) rename_to_backup(entry, path);
}

fs::path backup_name(const fs::path& file, int number) {
    const std::time_t now = std::time(nullptr);
    std::tm parts{};
    ::gmtime_r(&now, &parts);
    return fs::path(file).concat(
        fmt::format(".{:%Y-%m-%d-%H%M%S}{}{}", parts, number == 1 ? "" : fmt::format("-{}", number), backup_suffix));
}

/// A backup that is only a second name of the file: its maker was killed before it replaced anything.
std::optional<fs::path> unused_backup(const fs::path& file, const struct stat& info) {
    if (info.st_nlink < 2) return std::nullopt;
    for (const fs::path& entry : entries_of(file.parent_path())) {
        struct stat other {};
        if (is_backup_name(entry.filename().string(), file.filename().string()) &&
            ::lstat(entry.c_str(), &other) == 0 && other.st_dev == info.st_dev && other.st_ino == info.st_ino)
            return entry;
    }
    return std::nullopt;
}

/// What a file system says that knows no second names.
bool means_no_links(int code) {
    return code == EPERM || code == EOPNOTSUPP || code == ENOSYS || code == EMLINK || code == EXDEV;
}

/// A whole copy under a temporary name beside `as`, flushed, with the file's mode bits and times. Returns its name.
fs::path copied(const fs::path& file, const fs::path& as) {
    const Descriptor from(::open(file.c_str(), O_RDONLY | O_CLOEXEC));
    struct stat info {};
    if (!from || ::fstat(from.get(), &info) != 0) throw system_error("read", file);
    fs::path temporary;
    const Descriptor to = open_temporary(as, temporary);
    try {
        Bytes buffer(1 << 20);
        while (true) {
            const ssize_t got = ::read(from.get(), buffer.data(), buffer.size());
            if (got < 0 && errno == EINTR) continue;
            if (got < 0) throw system_error("read", file);
            if (got == 0) break;
            write_all(to.get(), ByteView(buffer).first(static_cast<std::size_t>(got)), temporary);
        }
        const struct timespec times[2] = {info.st_atim, info.st_mtim};
        ::fchmod(to.get(), info.st_mode & 07777);
        ::futimens(to.get(), times);
        if (::fsync(to.get()) != 0) throw system_error("flush", temporary);
    } catch (...) {
        ::unlink(temporary.c_str());
        throw;
    }
    return temporary;
}

}  // namespace

fs::path resolved(const fs::path& path) {
    std::error_code code, missing;
    fs::path real = fs::weakly_canonical(path, code);
    // A link to nothing: the file it names is made.
    for (int hops = 0; !code && fs::is_symlink(fs::symlink_status(real, missing)) && hops < 40; ++hops) {
        const fs::path to = fs::read_symlink(real, code);
        real = fs::weakly_canonical(to.is_absolute() ? to : real.parent_path() / to, code);
    }
    if (!code) real = fs::absolute(real, code);
    if (code == std::errc::filename_too_long) throw too_long(path, "the output", "choose a shorter name");
    if (code) throw system_error("find the place of", path, code.value());
    return real;
}

FileStamp stamp_from(const struct stat& info) noexcept {
    return {.device = info.st_dev,
            .inode = info.st_ino,
            .size = static_cast<std::uint64_t>(info.st_size),
            .modified = std::int64_t{info.st_mtim.tv_sec} * 1'000'000'000 + info.st_mtim.tv_nsec};
}

std::optional<FileStamp> stamp_of(const fs::path& path) noexcept {
    struct stat info {};
    if (::stat(path.c_str(), &info) != 0 || !S_ISREG(info.st_mode)) return std::nullopt;
    return stamp_from(info);
}

void refuse_long_name(const fs::path& path, std::string_view what, std::string_view hint) {
    struct stat info {};
    if (::lstat(path.c_str(), &info) != 0 && errno == ENAMETOOLONG) throw too_long(path, what, hint);
}

Descriptor open_temporary(const fs::path& path, fs::path& temporary) {
    const std::string prefix = temporary_prefix(path);
    std::random_device random;
    while (true) {
        temporary = path.parent_path() / fmt::format("{}{:06x}{}", prefix, random() & 0xFFFFFF, temporary_suffix);
        Descriptor descriptor(::open(temporary.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0666));
        const int why = errno;
        if (descriptor) {
            // Where locks are unknown, nobody cleans up either. Somebody who did so just now is tried again.
            const bool locked = ::flock(descriptor.get(), LOCK_EX | LOCK_NB) == 0 || errno != EWOULDBLOCK;
            if (locked && is_still_named(descriptor.get(), temporary)) return descriptor;
            continue;
        }
        if (why == EEXIST || why == EINTR) continue;
        temporary.clear();
        throw system_error("write in the folder", path.parent_path(), why);
    }
}

Descriptor open_only_temporary(const fs::path& path, fs::path& temporary) {
    if (path.filename().native().size() > longest_stem) return open_temporary(path, temporary);
    temporary = path.parent_path() / fmt::format("{}000000{}", temporary_prefix(path), temporary_suffix);
    while (true) {
        Descriptor descriptor(::open(temporary.c_str(), O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0666));
        if (descriptor) {
            const bool locked = ::flock(descriptor.get(), LOCK_EX | LOCK_NB) == 0 || errno != EWOULDBLOCK;
            if (locked && is_still_named(descriptor.get(), temporary)) return descriptor;
            continue;
        }
        if (const int why = errno; why != EEXIST) {
            if (why == EINTR) continue;
            const fs::path folder = temporary.parent_path();
            temporary.clear();
            throw system_error("write in the folder", folder, why);
        }
        // Left behind, or somebody's who is at work.
        const Descriptor there(::open(temporary.c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC));
        if (!there && errno == ENOENT) continue;
        if (there && ::flock(there.get(), LOCK_EX | LOCK_NB) == 0) {
            if (is_still_named(there.get(), temporary)) ::unlink(temporary.c_str());
            continue;
        }
        struct stat info {};
        const bool known = there && ::fstat(there.get(), &info) == 0;
        temporary.clear();
        throw in_use(path, known ? &info : nullptr);
    }
}

Descriptor open_temporary_folder(const fs::path& path, fs::path& temporary) {
    const std::string prefix = temporary_prefix(path);
    std::random_device random;
    while (true) {
        temporary = path.parent_path() / fmt::format("{}{:06x}{}", prefix, random() & 0xFFFFFF, temporary_suffix);
        if (::mkdir(temporary.c_str(), 0777) != 0) {
            if (errno == EEXIST) continue;
            const int why = errno;
            temporary.clear();
            throw system_error("write in the folder", path.parent_path(), why);
        }
        Descriptor descriptor(::open(temporary.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
        const bool locked = descriptor && (::flock(descriptor.get(), LOCK_EX | LOCK_NB) == 0 || errno != EWOULDBLOCK);
        if (locked && is_still_named(descriptor.get(), temporary)) return descriptor;
    }
}

fs::path swap_name(const fs::path& path, const fs::path& fresh) {
    struct stat info {};
    if (::lstat(fresh.c_str(), &info) != 0) throw system_error("read", fresh);
    // Not the inode alone: some file systems number their files anew each time they are mounted.
    const auto written = static_cast<std::uint64_t>(info.st_mtim.tv_sec) * 1'000'000'000 +
                         static_cast<std::uint64_t>(info.st_mtim.tv_nsec);
    const std::uint64_t mark = info.st_ino * 0x9E3779B97F4A7C15 ^ written;
    return path.parent_path() / fmt::format("{}{:016x}{}", temporary_prefix(path), mark, swap_suffix);
}

fs::path free_backup_name(const fs::path& file) {
    std::error_code code;
    for (int number = 1;; ++number)
        if (fs::path name = backup_name(file, number); !fs::exists(fs::symlink_status(name, code))) return name;
}

fs::path rename_to_backup(const fs::path& path, const fs::path& as) {
    for (int number = 1;; ++number) {
        fs::path name = backup_name(as.empty() ? path : as, number);
        if (rename_to_new(path, name)) return name;
        if (errno != EEXIST) throw system_error("keep a backup of", path);
    }
}

void clear_leftovers(const fs::path& named) noexcept try {
    const fs::path path = resolved(named);
    const std::string prefix = temporary_prefix(path);
    for (const fs::path& entry : entries_of(path.parent_path())) {
        const std::string name = entry.filename().string();
        if (is_temporary_of(name, prefix)) remove_left_behind(entry);
        if (is_swap_of(name, prefix)) finish_swap(entry, path);
    }
} catch (const std::exception&) {  // leftovers may stay
}

void clear_own_folder(const fs::path& folder, bool backups) noexcept try {
    const std::vector<fs::path> entries = entries_of(folder);
    for (const fs::path& entry : entries) {
        const std::string name = entry.filename().string();
        if (is_temporary(name)) remove_left_behind(entry);
        if (!backups) continue;
        // Its maker was killed before it replaced anything.
        struct stat info {
        }, own{};
        for (const fs::path& file : entries)
            if (is_backup_name(name, file.filename().string()) && ::lstat(entry.c_str(), &info) == 0 &&
                ::lstat(file.c_str(), &own) == 0 && S_ISREG(info.st_mode) && info.st_dev == own.st_dev &&
                info.st_ino == own.st_ino)
                ::unlink(entry.c_str());
    }
} catch (const std::exception&) {  // leftovers may stay
}

bool is_backup_name(std::string_view name, std::string_view file) {
    constexpr std::string_view pattern = ".0000-00-00-000000";
    if (!name.starts_with(file) || !name.ends_with(backup_suffix) ||
        name.size() < file.size() + pattern.size() + backup_suffix.size())
        return false;
    std::string_view stamp = name.substr(file.size(), name.size() - file.size() - backup_suffix.size());
    const auto digit = [](char c) { return c >= '0' && c <= '9'; };
    for (std::size_t i = 0; i < pattern.size(); ++i)
        if (pattern[i] == '0' ? !digit(stamp[i]) : stamp[i] != pattern[i]) return false;
    stamp.remove_prefix(pattern.size());
    return stamp.empty() ||
           (stamp.size() >= 2 && stamp[0] == '-' && stamp.find_first_not_of("0123456789", 1) == std::string_view::npos);
}

fs::path longest_backup_name(const fs::path& file) {
    return backup_name(file, 100);
}

fs::path make_backup(const fs::path& file, const fs::path& as_named) {
    const fs::path& as = as_named.empty() ? file : as_named;
    struct stat info {};
    if (::stat(file.c_str(), &info) != 0) throw system_error("keep a backup of", file);
    if (auto left = unused_backup(as, info)) return *left;
    fs::path copy;
    for (int number = 1;; ++number) {
        fs::path name = backup_name(as, number);
        if (copy.empty() && ::link(file.c_str(), name.c_str()) == 0) return name;
        if (copy.empty() && means_no_links(errno)) copy = copied(file, as);
        if (!copy.empty() && rename_to_new(copy, name)) return name;
        if (const int why = errno; why != EEXIST) {
            if (!copy.empty()) ::unlink(copy.c_str());
            throw system_error("keep a backup of", file, why);
        }
    }
}

bool same_bytes(const fs::path& a, const fs::path& b) {
    const InputFile one(a), other(b);
    const bool same = are_same(one, other);
    one.check_intact(), other.check_intact();
    return same;
}

bool rename_to_new(const fs::path& from, const fs::path& to) noexcept {
    if (::renameat2(AT_FDCWD, from.c_str(), AT_FDCWD, to.c_str(), RENAME_NOREPLACE) == 0) return true;
    if (errno != EINVAL && errno != ENOSYS) return false;
    // A file system that cannot say "only if new" in one step: link can, where it is known.
    if (::link(from.c_str(), to.c_str()) == 0) return ::unlink(from.c_str()), true;
    if (!means_no_links(errno)) return false;
    struct stat info {};
    if (::lstat(to.c_str(), &info) == 0) return errno = EEXIST, false;
    return ::rename(from.c_str(), to.c_str()) == 0;
}

void sync_folder(const fs::path& folder) noexcept {
    const Descriptor descriptor(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (descriptor) ::fsync(descriptor.get());  // some file systems refuse this; the rename stands all the same
}

std::vector<fs::path> make_folders(const fs::path& folder) {
    std::vector<fs::path> missing;
    std::error_code code;
    for (fs::path at = folder; !fs::exists(at, code) && at.has_relative_path(); at = at.parent_path())
        missing.insert(missing.begin(), at);
    std::vector<fs::path> made;
    for (const fs::path& one : missing) {
        const bool is_new = fs::create_directory(one, code);
        if (code) {
            settle_folders(one.parent_path(), false);
            throw system_error("make the folder", one, code.value());
        }
        if (!is_new) continue;
        made.push_back(one);
        const std::lock_guard lock(folders_mutex);
        folders_made.insert(one);
    }
    if (!fs::is_directory(folder, code)) throw system_error("make the folder", folder, ENOTDIR);
    return made;
}

void settle_folders(const fs::path& folder, bool stands) noexcept {
    const std::lock_guard lock(folders_mutex);
    for (fs::path at = folder; folders_made.contains(at); at = at.parent_path()) {
        if (!stands && ::rmdir(at.c_str()) != 0 && errno != ENOENT) return;
        folders_made.erase(at);
    }
}

}  // namespace hotstitch
