// SPDX-License-Identifier: MIT
// Values that several of our texts have: checksums of a file, values of fields; and how they are written.
#pragma once

#include <string>
#include <string_view>

#include "hotstitch/digest.h"
#include "toml/document.h"

namespace hotstitch {

/// The keys size, crc32, md5, sha1 and sha256 of a table that may have others. Throws value.error().
Digests digests_in(TomlTable& table);
/// A table of these keys alone. `what`: for people.
Digests digests_of(const TomlValue& value, const char* what);

/// A value of a field as a person writes it in a call.
std::string value_text(const TomlValue& value);

/// A text in quotes; what TOML does not take as it is, is written as \u.
std::string in_quotes(std::string_view text);

/// A number without quotes, all else in them.
std::string value_in_toml(const std::string& value);

/// "size = 5, crc32 = \"…\"": the keys of an inline table, or of a table with `between` a line end.
std::string digests_in_toml(const Digests& digests, std::string_view between = ", ");

}  // namespace hotstitch
