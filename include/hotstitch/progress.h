// SPDX-License-Identifier: MIT
// Progress of long work, and the way to stop it.
#pragma once

#include <cstdint>
#include <functional>
#include <string_view>

#include "hotstitch/export.h"

namespace hotstitch {

enum class Phase { reading, checking_source, comparing, writing, checking_result, flushing, indexing };

/// For people: "checking the source", "writing", …
HOTSTITCH_EXPORT std::string_view name_of(Phase phase) noexcept;

struct ProgressState {
    Phase phase;
    std::uint64_t done;   ///< bytes done in this phase
    std::uint64_t total;  ///< bytes of this phase; 0 when not known
};

/// Called about once a mebibyte on the calling thread. Returns whether to go on; on false the operation
/// throws Error with code cancelled and leaves nothing behind. An empty function never stops anything.
using Progress = std::function<bool(const ProgressState&)>;

}  // namespace hotstitch
