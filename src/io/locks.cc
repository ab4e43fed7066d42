// SPDX-License-Identifier: MIT
// Advisory locks, which end with their holder, however that ends. Tested by tests/base/file_io_test.cc,
// tests/faults/faults_test.cc and tests/kit/shelf_test.cc.
#include "io/locks.h"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <fstream>
#include <sstream>

#include "hotstitch/file_io.h"
#include "io/system_error.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

/// "process 1234", from the kernel's list of locks, or "another process".
std::string holder_of(const struct stat& info) {
    std::ifstream locks("/proc/locks");
    const std::string inode = fmt::format(":{}", info.st_ino);
    for (std::string line; std::getline(locks, line);) {
        std::istringstream column(line);
        std::string number, kind, mode, access, process, file;
        column >> number >> kind >> mode >> access >> process >> file;
        if (kind == "FLOCK" && file.ends_with(inode)) return "process " + process;
    }
    return "another process";
}

}  // namespace

bool is_still_named(int descriptor, const fs::path& path) {
    struct stat open {
    }, named{};
    return ::fstat(descriptor, &open) == 0 && ::stat(path.c_str(), &named) == 0 && open.st_dev == named.st_dev &&
           open.st_ino == named.st_ino;
}

Error in_use(const fs::path& path, const struct stat* info) {
    return Error(ErrorCode::io, fmt::format("{} is being worked on by {}", path.string(),
                                            info != nullptr ? holder_of(*info) : "another process"))
        .in("lock")
        .hint("wait until that is done, then run this again");
}

Descriptor lock_folder(const fs::path& path) {
    while (true) {
        Descriptor descriptor(::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
        if (!descriptor && (errno == ELOOP || errno == ENOTDIR)) refuse_links(path, path);
        if (!descriptor) throw system_error("open", path);
        if (::flock(descriptor.get(), LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK) {
            struct stat info {};
            ::fstat(descriptor.get(), &info);
            throw in_use(path, &info);
        }
        if (is_still_named(descriptor.get(), path)) return descriptor;
    }
}

void refuse_links(const fs::path& folder, const fs::path& path) {
    std::error_code code;
    const auto refuse = [&](const fs::path& one) {
        if (fs::is_symlink(fs::symlink_status(one, code)))
            throw Error(ErrorCode::refused,
                        fmt::format("{} is a link, and what lies behind it is not touched", one.string()))
                .in("record")
                .found(fs::read_symlink(one, code).string())
                .hint("if you made it, put the folder or file itself there; else move it away");
    };
    refuse(folder);
    fs::path at = folder;
    for (const fs::path& one : path.lexically_relative(folder)) refuse(at /= one);
}

FolderLock::FolderLock(const fs::path& folder) : descriptor_(std::make_unique<Descriptor>(lock_folder(folder))) {}
FolderLock::~FolderLock() = default;
FolderLock::FolderLock(FolderLock&&) noexcept = default;
FolderLock& FolderLock::operator=(FolderLock&&) noexcept = default;

Descriptor lock_file(const fs::path& path) {
    while (true) {
        Descriptor descriptor(::open(path.c_str(), O_RDONLY | O_NONBLOCK | O_CLOEXEC));
        if (!descriptor) return descriptor;
        if (::flock(descriptor.get(), LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK) {
            struct stat info {};
            ::fstat(descriptor.get(), &info);
            throw in_use(path, &info);
        }
        // Replaced between opening and locking: the lock is wanted on what stands there now.
        if (is_still_named(descriptor.get(), path)) return descriptor;
    }
}

}  // namespace hotstitch
