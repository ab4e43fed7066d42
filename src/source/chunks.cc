// SPDX-License-Identifier: MIT
// Tested by tests/base/source_test.cc.
#include "source/chunks.h"

#include <algorithm>
#include <array>
#include <future>

namespace hotstitch {

void each_chunk(const ByteSource& source, std::size_t size, const std::function<void(ByteView)>& work) {
    const auto length_at = [&](std::uint64_t at) {
        return static_cast<std::size_t>(std::min<std::uint64_t>(size, source.size() - at));
    };
    const bool ahead = !source.whole() && source.size() > size;
    std::array<Bytes, 2> buffers;
    for (std::size_t i = 0; i < (source.whole() ? 0U : ahead ? 2U : 1U); ++i) buffers[i].resize(length_at(0));
    std::future<ByteView> next;  // goes before the buffers, and waits
    for (std::uint64_t at = 0, turn = 0; at < source.size(); ++turn) {
        const std::size_t length = length_at(at);
        const ByteView bytes = next.valid() ? next.get() : source.read(at, length, buffers[turn % 2]);
        at += length;
        if (ahead && at < source.size())
            next = std::async(std::launch::async | std::launch::deferred,
                              [&source, &buffers, at, turn, more = length_at(at)] {
                                  return source.read(at, more, buffers[(turn + 1) % 2]);
                              });
        work(bytes);
    }
}

}  // namespace hotstitch
