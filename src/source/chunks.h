// SPDX-License-Identifier: MIT
// A source from its begin to its end, with what has to be computed computed ahead.
#pragma once

#include <functional>

#include "hotstitch/source.h"

namespace hotstitch {

/// Hands out the source in pieces of `size` bytes, the last one shorter. Of a source that is not addressable as a
/// whole, the next piece is read by another thread while the last one is worked on. Throws what reading and `work`
/// throw.
void each_chunk(const ByteSource& source, std::size_t size, const std::function<void(ByteView)>& work);

}  // namespace hotstitch
