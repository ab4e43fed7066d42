// SPDX-License-Identifier: MIT
// A few bytes of a source as a copy. REQUIRES in both: they lie in the source. Throw Error(io).
#pragma once

#include <algorithm>

#include "hotstitch/source.h"

namespace hotstitch {

inline void read_into(const ByteSource& source, std::uint64_t offset, MutableByteView into) {
    const ByteView bytes = source.read(offset, into.size(), into);
    if (bytes.data() != into.data()) std::copy(bytes.begin(), bytes.end(), into.begin());
}

inline Bytes stretch_of(const ByteSource& source, std::uint64_t offset, std::uint64_t length) {
    Bytes bytes(static_cast<std::size_t>(length));
    read_into(source, offset, bytes);
    return bytes;
}

}  // namespace hotstitch
