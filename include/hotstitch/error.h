// SPDX-License-Identifier: MIT
// The one error type. A refusal is a diagnosis: what was wanted, what was found, where, what next.
#pragma once

#include <cstdint>
#include <optional>
#include <stdexcept>
#include <string>
#include <string_view>
#include <utility>

#include "hotstitch/export.h"

namespace hotstitch {

/// Few and stable: the numbers are part of the interface and never change.
enum class ErrorCode : int {
    usage = 1,            ///< the call itself is wrong, or the format cannot hold the change
    io = 2,               ///< the system failed: not found, not readable, no space, shrank while read
    not_this_format = 3,  ///< the bytes are no patch, or not one of the format asked for
    damaged = 4,          ///< the format's rules are broken
    truncated = 5,        ///< the bytes end before the format says they do
    unsupported = 6,      ///< valid, but this build or version does not read it
    limit = 7,            ///< a budget of `Limits` would be passed
    wrong_source = 8,     ///< the source is not the one the patch was made for
    wrong_target = 9,     ///< the result is not what it should be
    cancelled = 10,       ///< the progress callback said stop
    exists = 11,          ///< another file stands where the output goes, and may not be replaced
    refused = 12,         ///< it would break something, and needs a go-ahead (`Allowed`, limits.h)
};

/// The code's name, for example "wrong-source".
HOTSTITCH_EXPORT std::string_view name_of(ErrorCode code) noexcept;

/// What every function of the library throws.
class HOTSTITCH_EXPORT Error : public std::runtime_error {
public:
    /// `message`: one sentence for people, without a final full stop.
    Error(ErrorCode code, const std::string& message) : std::runtime_error(message), code_(code) {}

    ErrorCode code() const noexcept { return code_; }
    /// Byte offset in the input that `field` belongs to, where there is one.
    std::optional<std::uint64_t> offset() const noexcept { return offset_; }
    const std::string& field() const noexcept { return field_; }    ///< for example "record size"
    const std::string& found() const noexcept { return found_; }    ///< what stands there
    const std::string& wanted() const noexcept { return wanted_; }  ///< what should stand there
    const std::string& hint() const noexcept { return hint_; }      ///< the next step, or empty

    /// What was done all the same, one sentence for people without a full stop; empty: everything is as it was.
    const std::string& done() const noexcept { return done_; }

    Error&& at(std::uint64_t offset) && { return offset_ = offset, std::move(*this); }
    Error&& in(std::string field) && { return field_ = std::move(field), std::move(*this); }
    Error&& found(std::string what) && { return found_ = std::move(what), std::move(*this); }
    Error&& wanted(std::string what) && { return wanted_ = std::move(what), std::move(*this); }
    Error&& hint(std::string next) && { return hint_ = std::move(next), std::move(*this); }
    Error&& done(std::string what) && { return done_ = std::move(what), std::move(*this); }

private:
    ErrorCode code_;
    std::optional<std::uint64_t> offset_;
    std::string field_, found_, wanted_, hint_, done_;
};

}  // namespace hotstitch
