// SPDX-License-Identifier: MIT
// Tested by tests/cli/cli_disc_test.cc, with little address space.
#include "io/positioned.h"

#include <sys/stat.h>

#include "io/system_error.h"

namespace hotstitch {

void read_at(int descriptor, MutableByteView into, std::uint64_t offset, const std::filesystem::path& name) {
    while (!into.empty()) {
        const ssize_t got = ::pread(descriptor, into.data(), into.size(), static_cast<off_t>(offset));
        if (got < 0 && errno == EINTR) continue;
        if (got <= 0) throw system_error("read", name, got == 0 ? EIO : errno);
        offset += static_cast<std::uint64_t>(got);
        into = into.subspan(static_cast<std::size_t>(got));
    }
}

std::uint64_t size_of(int descriptor, const std::filesystem::path& name) {
    struct stat info {};
    if (::fstat(descriptor, &info) != 0) throw system_error("read", name);
    return static_cast<std::uint64_t>(info.st_size);
}

}  // namespace hotstitch
