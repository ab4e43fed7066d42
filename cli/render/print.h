// SPDX-License-Identifier: MIT
// Writing to the standard streams. Their failing is told by a result: it must never end the process.
#pragma once

#include <cstdio>
#include <string_view>

namespace hotstitch::cli {

/// Writes and flushes. False when the stream does not take it: closed, nobody reading, no space.
bool put(std::FILE* stream, std::string_view text) noexcept;

}  // namespace hotstitch::cli
