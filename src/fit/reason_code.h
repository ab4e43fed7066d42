// SPDX-License-Identifier: MIT
#pragma once

#include <string_view>

#include "hotstitch/fit.h"

namespace hotstitch {

/// The stable code of a reason; several share one where a program would do the same.
std::string_view reason_code(const Reason& reason) noexcept;

}  // namespace hotstitch
