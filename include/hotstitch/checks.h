// SPDX-License-Identifier: MIT
// Sizes and checksums kept beside a patch whose format carries none (docs/formats/checks.md).
#pragma once

#include <string>
#include <string_view>

#include "hotstitch/digest.h"
#include "hotstitch/export.h"

namespace hotstitch {

struct Checks {
    Digests patch;   ///< size and CRC-32: does this file belong to that patch
    Digests source;  ///< what the source has to be
    Digests target;  ///< what comes out
};

/// The JSON text of a checks file, ending with a newline.
HOTSTITCH_EXPORT std::string checks_to_json(const Checks& checks);

/// Throws Error(damaged) when the text is no checks file, Error(unsupported) when it is a newer one.
HOTSTITCH_EXPORT Checks checks_from_json(std::string_view text);

}  // namespace hotstitch
