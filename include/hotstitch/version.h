// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <string_view>

#include "hotstitch/export.h"

/// Of the headers; version() tells the library's own.
#define HOTSTITCH_VERSION_MAJOR 0
#define HOTSTITCH_VERSION_MINOR 1
#define HOTSTITCH_VERSION_PATCH 0
/// 0.1.0 is 100.
#define HOTSTITCH_VERSION_NUMBER \
    (HOTSTITCH_VERSION_MAJOR * 10000 + HOTSTITCH_VERSION_MINOR * 100 + HOTSTITCH_VERSION_PATCH)

namespace hotstitch {

/// "0.1.0"
HOTSTITCH_EXPORT std::string_view version() noexcept;

/// The optional libraries this build has, for people: "libdeflate, OpenSSL".
HOTSTITCH_EXPORT std::string built_with();

}  // namespace hotstitch
