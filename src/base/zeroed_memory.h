// SPDX-License-Identifier: MIT
// Memory for large tables: zero, aligned to a cache line, in large pages where the system has them, because a table
// that is read here and there otherwise waits for its addresses to be looked up too. Pages come as they are touched.
#pragma once

#include <cstddef>
#include <memory>

namespace hotstitch {

struct ZeroedMemoryDeleter {
    std::size_t size = 0;
    void operator()(void* memory) const noexcept;
};
template <class T>
using ZeroedMemory = std::unique_ptr<T[], ZeroedMemoryDeleter>;

/// Throws std::bad_alloc.
void* take_zeroed_memory(std::size_t size);

template <class T>
ZeroedMemory<T> zeroed_memory(std::size_t count) {
    return {static_cast<T*>(take_zeroed_memory(count * sizeof(T))), ZeroedMemoryDeleter{count * sizeof(T)}};
}

}  // namespace hotstitch
