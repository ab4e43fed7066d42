// SPDX-License-Identifier: MIT
#include "hotstitch/error.h"

#include "hotstitch/limits.h"

namespace hotstitch {

std::string_view name_of(ErrorCode code) noexcept {
    switch (code) {
        case ErrorCode::usage: return "usage";
        case ErrorCode::io: return "io";
        case ErrorCode::not_this_format: return "not-this-format";
        case ErrorCode::damaged: return "damaged";
        case ErrorCode::truncated: return "truncated";
        case ErrorCode::unsupported: return "unsupported";
        case ErrorCode::limit: return "limit";
        case ErrorCode::wrong_source: return "wrong-source";
        case ErrorCode::wrong_target: return "wrong-target";
        case ErrorCode::cancelled: return "cancelled";
        case ErrorCode::exists: return "exists";
        case ErrorCode::refused: return "refused";
    }
    return "unknown";
}

std::string_view name_of(ErrorId id) noexcept {
    using enum ErrorId;
    switch (id) {
        case none: break;
        case output_exists: return "output-exists";
        case output_is_input: return "output-is-input";
        case target_too_large: return "target-too-large";
        case archive_too_large: return "archive-too-large";
        case receipt_place_taken: return "receipt-place-taken";
        case receipt_name_too_long: return "receipt-name-too-long";
        case no_receipt: return "no-receipt";
        case no_place_named: return "no-place-named";
        case several_places_named: return "several-places-named";
        case no_format_named: return "no-format-named";
        case format_of_no_patch: return "format-of-no-patch";
        case platform_not_certain: return "platform-not-certain";
        case platform_without_header: return "platform-without-header";
        case has_front_header: return "has-front-header";
        case needs_room: return "needs-room";
        case cannot_move: return "cannot-move";
        case cannot_make_room: return "cannot-make-room";
        case needs_keys: return "needs-keys";
        case needs_map: return "needs-map";
        case sheet_of_another_form: return "sheet-of-another-form";
        case cannot_be_in_place: return "cannot-be-in-place";
        case archived_in_place: return "archived-in-place";
        case looks_packed: return "looks-packed";
        case is_signed: return "is-signed";
        case not_as_kit_says: return "not-as-kit-says";
        case part_is_new: return "part-is-new";
        case several_headers_named: return "several-headers-named";
        case no_patch_to_renew: return "no-patch-to-renew";
        case sizes_differ: return "sizes-differ";
        case list_too_large: return "list-too-large";
        case stopped_in_place: return "stopped-in-place";
        case original_not_in_place: return "original-not-in-place";
        case original_changed: return "original-changed";
        case original_gone: return "original-gone";
    }
    return {};
}

std::string_view name_of(Phase phase) noexcept {
    switch (phase) {
        case Phase::reading: return "reading";
        case Phase::checking_source: return "checking the source";
        case Phase::comparing: return "comparing";
        case Phase::writing: return "writing";
        case Phase::checking_result: return "checking the result";
        case Phase::flushing: return "flushing to the disk";
        case Phase::indexing: return "reading the source";
    }
    return "working";
}

}  // namespace hotstitch
