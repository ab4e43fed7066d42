// SPDX-License-Identifier: MIT
#pragma once

#include <optional>

#include "hotstitch/bytes.h"
#include "hotstitch/part.h"

namespace hotstitch {

/// The file so read, as a copy.
Bytes bytes_read(ByteView file, const std::optional<Representation>& reading);

}  // namespace hotstitch
