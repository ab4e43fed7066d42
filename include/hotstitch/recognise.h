// SPDX-License-Identifier: MIT
// What kind of file is this, by its content.
#pragma once

#include <string_view>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"

namespace hotstitch {

struct FileKind {
    std::string_view name;   ///< stable, for programs: "patch", "archive", "web-page", "executable", "data", …
    std::string_view title;  ///< for people: "a zip archive"
};

/// Looks at the first 512 bytes at most. Never fails: what it does not know is "data".
HOTSTITCH_EXPORT FileKind recognise_file(ByteView head) noexcept;

}  // namespace hotstitch
