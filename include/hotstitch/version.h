// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <string_view>

#include "hotstitch/export.h"

namespace hotstitch {

/// "0.1.0"
HOTSTITCH_EXPORT std::string_view version() noexcept;

/// The optional libraries this build has, for people: "libdeflate, OpenSSL".
HOTSTITCH_EXPORT std::string built_with();

}  // namespace hotstitch
