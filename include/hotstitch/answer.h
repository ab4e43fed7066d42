// SPDX-License-Identifier: MIT
// What may be expected of whatever makes something, as a value: it is never thrown.
#pragma once

#include <cstdint>
#include <string_view>

#include "hotstitch/export.h"

namespace hotstitch {

enum class Answer : std::uint8_t {
    made,
    made_already,     ///< the very bytes stood at the output already
    unchanged,        ///< the steps change nothing; a named output was written all the same
    already_patched,  ///< the base is what the patch makes; nothing was made
    wrong_source,     ///< nothing was made: the base is another, or is not there
    conflict,         ///< nothing was made: two kits contradict each other
};
/// "made", "made-already", "unchanged", "already-patched", "wrong-source", "conflict": stable, for programs.
HOTSTITCH_EXPORT std::string_view code_of(Answer answer) noexcept;

}  // namespace hotstitch
