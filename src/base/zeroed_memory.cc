// SPDX-License-Identifier: MIT
#include "base/zeroed_memory.h"

#include <sys/mman.h>

#include <new>

namespace hotstitch {

void* take_zeroed_memory(std::size_t size) {
    constexpr std::size_t worth_large_pages = std::size_t{8} << 20;
    int flags = MAP_PRIVATE | MAP_ANONYMOUS;
#ifdef MAP_POPULATE
    // Small tables fill up: all pages at once cost less than one by one.
    if (size < worth_large_pages) flags |= MAP_POPULATE;
#endif
    void* memory = ::mmap(nullptr, size, PROT_READ | PROT_WRITE, flags, -1, 0);
    if (memory == MAP_FAILED) throw std::bad_alloc();
#ifdef MADV_HUGEPAGE
    if (size >= worth_large_pages) ::madvise(memory, size, MADV_HUGEPAGE);  // a wish: without it, only slower
#endif
    return memory;
}

void ZeroedMemoryDeleter::operator()(void* memory) const noexcept {
    ::munmap(memory, size);
}

}  // namespace hotstitch
