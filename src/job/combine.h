// SPDX-License-Identifier: MIT
// Two mods of one source in one file.
#pragma once

#include <optional>

#include "hotstitch/bytes.h"
#include "hotstitch/limits.h"

namespace hotstitch {

/// What `a` and `b`, made of `source`, change together. Where both change a byte, and differently, it has to be one
/// that the mend "checksum" computes: then it is as the mend makes it. Nothing, where it is not, or where sizes differ.
std::optional<Bytes> combined(ByteView source, ByteView a, ByteView b, const Limits& limits);

}  // namespace hotstitch
