// SPDX-License-Identifier: MIT
// What stands in the JSON documents, told once.
#pragma once

#include <span>
#include <string_view>

namespace hotstitch::tell {

/// `owner`: a command, or a type that rows of others name. `type`: "string", "integer", "number", "boolean" or another
/// owner; "[]" behind it: an array of those; "?": or null. A star before the key: it is always there.
struct SchemaRow {
    std::string_view owner, key, type, what;
};

std::span<const SchemaRow> schema_rows() noexcept;

}  // namespace hotstitch::tell
