// SPDX-License-Identifier: MIT
// Lists of known files as XML.
#pragma once

#include <string_view>
#include <vector>

#include "hotstitch/checks.h"

namespace hotstitch {

bool is_xml(std::string_view text) noexcept;

/// Every element `rom` with a checksum. Throws Error(damaged) with the number of the line.
std::vector<KnownFile> files_in_xml(std::string_view text);

}  // namespace hotstitch
