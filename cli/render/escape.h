// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <string_view>

namespace hotstitch::cli {

/// Text from a file or a file name, fit to be shown: control and direction characters and bytes that are no
/// UTF-8 become \n, \x1b, \u202e … so that nothing can move the cursor or hide what it is.
std::string escaped(std::string_view text);

/// As a word of a command that a person may copy into a shell: quoted where it has to be.
std::string shell_word(std::string_view text);

/// The name of a file as such a word; a leading dash is no option.
std::string shell_file(std::string_view name);

/// A JSON document whose texts hold no character that a terminal obeys: those are written as \uXXXX, which reads back
/// as the same.
std::string json_for_terminals(std::string_view document);

/// The same bytes as valid UTF-8, for JSON: wrong bytes become U+FFFD, all else stays.
std::string as_utf8(std::string_view text);

}  // namespace hotstitch::cli
