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

/// What exactly is the matter, where a front end may want to say the next step in its own words: the name of its
/// switch, of its button. The hint says it in general. Stable.
enum class ErrorId : std::uint8_t {
    none,                     ///< code and message say all
    output_exists,            ///< something stands where the output goes
    output_is_input,          ///< the output is one of the inputs
    target_too_large,         ///< a patch asks for more than the limits allow
    archive_too_large,        ///< an archive does
    receipt_place_taken,      ///< something else stands where the receipt goes
    receipt_name_too_long,    ///< for the file system
    no_receipt,               ///< a file has none
    no_place_named,           ///< it is not said where the result goes
    several_places_named,     ///< it is said more than once
    no_format_named,          ///< the format of a patch shows in nothing
    format_of_no_patch,       ///< one is named, and no patch
    platform_not_certain,     ///< so no front header can be made unasked
    platform_without_header,  ///< copiers left none there
    has_front_header,         ///< already
    needs_room,               ///< a part does not fit in its place; it may go elsewhere
    cannot_move,              ///< nothing states where it stands
    cannot_make_room,         ///< what follows cannot move
    needs_keys,               ///< it is encrypted
    needs_map,                ///< nothing says what stands where
    sheet_of_another_form,    ///< the output is in another form than the sheet says
    cannot_be_in_place,       ///< it lies in another file
    archived_in_place,        ///< it lies in an archive
    looks_packed,             ///< an executable
    is_signed,                ///< an executable
    not_as_kit_says,          ///< an output
    part_is_new,              ///< it is not there, and was not to be added
    several_headers_named,    ///< or described, to be attached
    no_patch_to_renew,        ///< in a receipt
    sizes_differ,             ///< so that fields do not tell it
    list_too_large,           ///< for an edit list
    stopped_in_place,         ///< a change of the file `about` was stopped in the middle
    original_not_in_place,    ///< of a shelf
    original_changed,         ///< of a shelf, and not by it: `about`
    original_gone,            ///< from a shelf
};
/// Its name for programs, for example "output-exists"; empty for `none`.
HOTSTITCH_EXPORT std::string_view name_of(ErrorId id) noexcept;

/// The code's name, for example "wrong-source".
HOTSTITCH_EXPORT std::string_view name_of(ErrorCode code) noexcept;

/// What every function of the library throws.
class HOTSTITCH_EXPORT Error : public std::runtime_error {
public:
    /// `message`: one sentence for people, without a final full stop.
    Error(ErrorCode code, const std::string& message) : std::runtime_error(message), code_(code) {}

    ErrorCode code() const noexcept { return code_; }
    ErrorId id() const noexcept { return id_; }
    const std::string& about() const noexcept { return about_; }  ///< the file that the next step is for, or empty
    /// Byte offset in the input that `field` belongs to, where there is one.
    std::optional<std::uint64_t> offset() const noexcept { return offset_; }
    const std::string& field() const noexcept { return field_; }    ///< for example "record size"
    const std::string& found() const noexcept { return found_; }    ///< what stands there
    const std::string& wanted() const noexcept { return wanted_; }  ///< what should stand there
    const std::string& hint() const noexcept { return hint_; }      ///< the next step, or empty

    /// What was done all the same, one sentence for people without a full stop; empty: everything is as it was.
    const std::string& done() const noexcept { return done_; }

    Error&& as(ErrorId id, std::string about = {}) && { return id_ = id, about_ = std::move(about), std::move(*this); }
    Error&& at(std::uint64_t offset) && { return offset_ = offset, std::move(*this); }
    Error&& in(std::string field) && { return field_ = std::move(field), std::move(*this); }
    Error&& found(std::string what) && { return found_ = std::move(what), std::move(*this); }
    Error&& wanted(std::string what) && { return wanted_ = std::move(what), std::move(*this); }
    Error&& hint(std::string next) && { return hint_ = std::move(next), std::move(*this); }
    Error&& done(std::string what) && { return done_ = std::move(what), std::move(*this); }

private:
    ErrorCode code_;
    ErrorId id_ = ErrorId::none;
    std::optional<std::uint64_t> offset_;
    std::string field_, found_, wanted_, hint_, done_, about_;
};

}  // namespace hotstitch
