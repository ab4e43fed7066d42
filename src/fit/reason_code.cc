// SPDX-License-Identifier: MIT
// The codes of docs/diagnosis.md. Tested by tests/job/diagnose_test.cc.
#include "fit/reason_code.h"

namespace hotstitch {
namespace {

/// The code of a file that is the right one but for its representation.
std::string_view code_of_reading(const Representation& reading) {
    if (is_pregap(reading)) return "pregap";
    switch (reading.kind) {
        case RepresentationKind::without_front_header: return "front-header";
        case RepresentationKind::with_front_header: return "no-front-header";
        case RepresentationKind::pairs_swapped:
        case RepresentationKind::words_reversed:
        case RepresentationKind::halves_swapped: return "byte-order";
        case RepresentationKind::de_interleaved:
        case RepresentationKind::interleaved: return "interleaved";
        case RepresentationKind::user_data: return "whole-sectors";
        case RepresentationKind::data_track: return "other-tracks-too";
        case RepresentationKind::in_whole_sectors: return "user-data-alone";
        case RepresentationKind::without_padding: return "padded";
        case RepresentationKind::with_padding: return "trimmed";
        case RepresentationKind::line_ends_restored: break;
    }
    return "line-ends";
}

}  // namespace

std::string_view reason_code(const Reason& reason) noexcept {
    switch (reason.why) {
        case Why::empty: return "empty";
        case Why::fits_as: return code_of_reading(*reason.representation);
        case Why::fits_mended: return "mended-copy";
        case Why::looks_packed: return "looks-packed";
        case Why::target_as: return "already-patched";
        case Why::unpacked_source: return "unpacked-source";
        case Why::reads_past_end: return "too-short";
        case Why::windows_right:
        case Why::other_content: return "other-content";
        case Why::one_window_wrong:
        case Why::all_windows_wrong: return "no-window-right";
        case Why::right_up_to_a_window: return "right-to-a-point";
        case Why::some_windows_right: return "some-windows-right";
        case Why::has_other_patch: return "other-patch-applied";
        case Why::needs_other_patch:
        case Why::needs_other_patch_and_source: return "needs-other-patch";
        case Why::web_page: return "web-page";
        case Why::archive: return "archive";
        case Why::is_a_patch: return "is-a-patch";
        case Why::other_kind: return "other-kind";
        case Why::leaves_gap:
        case Why::writes_past_end: return "writes-past-end";
        case Why::pointer: return "pointer";
        case Why::other_value: return "other-value";
        case Why::no_checks_at_all:
        case Why::nothing_to_know_by:
        case Why::no_representation_fits: return "cannot-be-known";
        case Why::front_header_and_more: return "front-header-and-more";
        case Why::front_header_missing: return "no-front-header";
        case Why::cut_short: return "cut-short";
        case Why::disc_cut: return "cut-disc";
        case Why::other_track: return "other-track";
        case Why::for_a_part: return "for-a-part";
        case Why::compressed_copy: return "compressed-copy";
        case Why::scrubbed_copy: return "scrubbed-copy";
        case Why::trimmed_copy: return "trimmed-copy";
        case Why::longer_than_disc: return "longer-than-disc";
        case Why::right_in_front: return "more-behind";
        case Why::other_generation: return "other-generation";
        case Why::other_than_named: return "other-than-named";
        case Why::other_size: return "other-size";
        case Why::edition: break;
    }
    return "edition";
}

std::string_view code_of(InternalChecks checks) noexcept {
    switch (checks) {
        case InternalChecks::none_in_source: return "none-in-source";
        case InternalChecks::wrong_before: return "wrong-before";
        case InternalChecks::none_in_result: return "none-in-result";
        case InternalChecks::right: return "right";
        case InternalChecks::untouched: return "untouched";
        case InternalChecks::stale: return "stale";
        case InternalChecks::put_right: return "put-right";
        case InternalChecks::mended: return "mended";
        case InternalChecks::cannot_be_mended: return "cannot-be-mended";
        case InternalChecks::not_asked: break;
    }
    return "not-asked";
}

}  // namespace hotstitch
