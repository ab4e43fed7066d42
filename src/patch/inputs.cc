// SPDX-License-Identifier: MIT
#include "patch/inputs.h"

#include <fmt/format.h>

namespace hotstitch {

ByteView whole_of(const ByteSource& source, Bytes& storage, const Limits& limits) {
    if (const auto whole = source.whole()) return *whole;
    if (source.size() > limits.memory)
        throw Error(ErrorCode::limit, "an input that cannot be mapped is too large for the memory budget")
            .wanted(fmt::format("at most {} bytes", limits.memory))
            .found(fmt::format("{} bytes", source.size()));
    storage.resize(static_cast<std::size_t>(source.size()));
    constexpr std::size_t chunk = 1 << 20;
    for (std::size_t at = 0; at < storage.size();) {
        const MutableByteView into = MutableByteView(storage).subspan(at, std::min(chunk, storage.size() - at));
        const ByteView bytes = source.read(at, into.size(), into);
        if (bytes.data() != into.data()) std::copy(bytes.begin(), bytes.end(), into.begin());
        at += into.size();
    }
    return storage;
}

}  // namespace hotstitch
