// SPDX-License-Identifier: MIT
// Preloaded into the tool: counts the system calls that change something on disk and lets one of them fail, or ends the
// process there. By environment:
//   FAULT_AT=N      the N-th such call (from 1)
//   FAULT_KIND=X    kill: SIGKILL before the call; or the number of the error that it returns
//   FAULT_HIT=PATH  made when it has happened
//   FAULT_DISK=N    bytes that the disk still takes, over all files
//   FAULT_NO_LINKS  a file system that knows no second names and only the oldest rename
#include <dlfcn.h>
#include <fcntl.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <cstdarg>
#include <cstdlib>
#include <cstring>

namespace {

long number(const char* name) {
    const char* const text = std::getenv(name);
    return text == nullptr ? -1 : std::atol(text);
}

/// Whether the call that is about to happen fails, with errno set. Ends the process where asked.
bool fails() {
    static const long at = number("FAULT_AT");
    static long calls = 0;
    if (at < 0 || ++calls != at) return false;
    const char* const kind = std::getenv("FAULT_KIND");
    if (const char* const hit = std::getenv("FAULT_HIT"))
        ::close(static_cast<int>(::syscall(SYS_open, hit, O_WRONLY | O_CREAT, 0600)));
    if (kind == nullptr || std::strcmp(kind, "kill") == 0) ::kill(::getpid(), SIGKILL);
    errno = kind == nullptr ? EIO : std::atoi(kind);
    return true;
}

/// Whether the disk takes so many bytes more.
bool disk_full(long bytes) {
    static long left = number("FAULT_DISK");
    if (left < 0) return false;
    if (bytes > left) return errno = ENOSPC, true;
    left -= bytes;
    return false;
}

bool is_file(int descriptor) {
    struct stat info {};
    return descriptor > 2 && ::fstat(descriptor, &info) == 0 && S_ISREG(info.st_mode);
}

template <class Function>
Function next(const char* name) {
    return reinterpret_cast<Function>(::dlsym(RTLD_NEXT, name));
}

const bool no_links = std::getenv("FAULT_NO_LINKS") != nullptr;

}  // namespace

#define FORWARD(result, name, parameters, arguments)                \
    extern "C" result name parameters {                             \
        static const auto real = next<result(*) parameters>(#name); \
        if (fails()) return -1;                                     \
        return real arguments;                                      \
    }

FORWARD(int, rename, (const char* from, const char* to), (from, to))
FORWARD(int, unlink, (const char* path), (path))
FORWARD(int, unlinkat, (int folder, const char* path, int flags), (folder, path, flags))
FORWARD(int, symlink, (const char* to, const char* path), (to, path))
FORWARD(int, syncfs, (int descriptor), (descriptor))
FORWARD(int, rmdir, (const char* path), (path))
FORWARD(int, mkdir, (const char* path, mode_t mode), (path, mode))
FORWARD(int, ftruncate, (int descriptor, off_t size), (descriptor, size))
FORWARD(int, fsync, (int descriptor), (descriptor))
FORWARD(int, fchmod, (int descriptor, mode_t mode), (descriptor, mode))
FORWARD(int, futimens, (int descriptor, const struct timespec* times), (descriptor, times))

extern "C" int link(const char* from, const char* to) {
    static const auto real = next<int (*)(const char*, const char*)>("link");
    if (no_links) return errno = EPERM, -1;
    return fails() ? -1 : real(from, to);
}

extern "C" int renameat2(int from_folder, const char* from, int to_folder, const char* to, unsigned flags) {
    static const auto real = next<int (*)(int, const char*, int, const char*, unsigned)>("renameat2");
    if (no_links && flags != 0) return errno = EINVAL, -1;
    return fails() ? -1 : real(from_folder, from, to_folder, to, flags);
}

extern "C" int open(const char* path, int flags, ...) {
    static const auto real = next<int (*)(const char*, int, ...)>("open");
    va_list list;
    va_start(list, flags);
    const mode_t mode = (flags & (O_CREAT | O_TMPFILE)) != 0 ? va_arg(list, mode_t) : 0;
    va_end(list);
    if ((flags & O_CREAT) != 0 && fails()) return -1;
    return real(path, flags, mode);
}

extern "C" ssize_t write(int descriptor, const void* bytes, size_t size) {
    static const auto real = next<ssize_t (*)(int, const void*, size_t)>("write");
    if (is_file(descriptor) && (fails() || disk_full(static_cast<long>(size)))) return -1;
    return real(descriptor, bytes, size);
}

/// What is written over takes no room.
extern "C" ssize_t pwrite(int descriptor, const void* bytes, size_t size, off_t offset) {
    static const auto real = next<ssize_t (*)(int, const void*, size_t, off_t)>("pwrite");
    struct stat info {};
    const bool grows = ::fstat(descriptor, &info) == 0 && offset + static_cast<off_t>(size) > info.st_size;
    if (fails() || (grows && disk_full(static_cast<long>(size)))) return -1;
    return real(descriptor, bytes, size, offset);
}

extern "C" int fallocate(int descriptor, int mode, off_t offset, off_t size) {
    static const auto real = next<int (*)(int, int, off_t, off_t)>("fallocate");
    if (number("FAULT_DISK") >= 0) return errno = EOPNOTSUPP, -1;  // then each write is counted
    return fails() ? -1 : real(descriptor, mode, offset, size);
}
