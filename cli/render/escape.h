// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <string_view>

namespace hotstitch::cli {

/// Text from a file or a file name, fit to be shown: control and direction characters and bytes that are no
/// UTF-8 become \n, \x1b, \u202e … so that nothing can move the cursor or hide what it is.
std::string escaped(std::string_view text);

/// The same bytes as valid UTF-8, for JSON: wrong bytes become U+FFFD, all else stays.
std::string as_utf8(std::string_view text);

}  // namespace hotstitch::cli
