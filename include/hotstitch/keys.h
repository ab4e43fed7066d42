// SPDX-License-Identifier: MIT
// Keys that a user brings for encrypted discs. None comes with the library. docs/formats/discs.md, "Encrypted
// partitions".
#pragma once

#include <array>
#include <cstddef>
#include <functional>
#include <map>
#include <string>
#include <string_view>

#include "hotstitch/export.h"

namespace hotstitch {

using Key = std::array<std::byte, 16>;

/// By their names: "common" opens what names common key 0, "common-2" what names common key 1, and so on.
struct Keys {
    std::map<std::string, Key, std::less<>> by_name;
};

/// Lines of "NAME = 32 hexadecimal digits"; empty lines and what follows a # are read over. Throws Error(damaged) with
/// the line that is wrong, Error(limit) for more than 64 KiB.
HOTSTITCH_EXPORT Keys read_keys(std::string_view text);

}  // namespace hotstitch
