// SPDX-License-Identifier: MIT
// In which other representations a file may be the right one.
#pragma once

#include <optional>
#include <vector>

#include "hotstitch/source.h"

namespace hotstitch {

/// Every representation that the sizes allow; with no size wanted, those that are likely at all. Throws Error(io).
std::vector<Representation> readings_for(const ByteSource& file, const std::optional<std::uint64_t>& wanted);

/// The file so read, which it shares. As read_as().
SharedSource shared_as(const SharedSource& file, const Representation& reading);

/// What was made of the file as it was read, back in the file's own form: behind its front header, in its byte order,
/// in its sectors and before its other tracks. Padding and line ends belong to no form: then null. Throws Error(usage)
/// where sectors do not hold it, Error(io, limit).
SharedSource in_form_of(const SharedSource& file, const Representation& reading, const SharedSource& content);

/// Whether front headers have this size in bytes on one platform or another.
bool is_header_size(std::uint64_t size) noexcept;

}  // namespace hotstitch
