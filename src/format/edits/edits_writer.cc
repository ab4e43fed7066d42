// SPDX-License-Identifier: MIT
// Files of one size are compared in place. Of others, the edits say what was copied; a list can only keep what stands
// in the same order in both, so the heaviest such chain of copies is taken, and what lies between is edited. Tested by
// tests/format/edits_test.cc.
#include "format/edits/edits_writer.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/digest.h"
#include "hotstitch/edit_list.h"
#include "hotstitch/text.h"

namespace hotstitch::edits {
namespace {

constexpr std::uint64_t least_gap = 8;  ///< between two edits

Bytes bytes_between(ByteView file, std::uint64_t from, std::uint64_t to) {
    const ByteView view = file.subspan(static_cast<std::size_t>(from), static_cast<std::size_t>(to - from));
    return {view.begin(), view.end()};
}

}  // namespace

Error too_large(std::uint64_t new_bytes, std::uint64_t edits) {
    return Error(ErrorCode::usage, "an edit list does not hold a change of this size")
        .in("change")
        .wanted(fmt::format("at most {} in {} edits", counted(most_listed_bytes, "new byte", "new bytes"),
                            grouped(most_listed_edits)))
        .found(fmt::format("{} in {}", counted(new_bytes, "byte", "bytes"), counted(edits, "edit", "edits")))
        .hint("bps and vcdiff hold it");
}

std::vector<SameStretch> Writer::in_place() const {
    std::vector<SameStretch> same;
    for (std::size_t at = 0; at < source_.size();) {
        const std::size_t length = common_prefix(source_.subspan(at), target_.subspan(at));
        if (length != 0) same.push_back({at, at, length});
        at += length;
        while (at < source_.size() && source_[at] != target_[at]) ++at;
    }
    return same;
}

void Writer::finish() {
    std::vector<SameStretch> same = source_.size() == target_.size() ? in_place() : copies_.heaviest_chain();
    same.push_back({source_.size(), target_.size(), 0});
    EditList list;
    list.source = {.size = source_.size(), .crc32 = crc32(source_)};
    list.target = {.size = target_.size(), .crc32 = crc32(target_)};
    std::uint64_t source = 0, target = 0;  // where the edit in work begins
    std::uint64_t bytes = 0, edits = 0;
    bool open = false;
    for (const SameStretch& stretch : same) {
        const bool is_end = &stretch == &same.back();
        if (stretch.source != source || stretch.target != target) open = true;
        if (!is_end && open && stretch.length < least_gap) continue;
        if (!is_end && !open) {
            source += stretch.length, target += stretch.length;
            continue;
        }
        if (open) {
            bytes += stretch.target - target, ++edits;
            if (bytes <= most_listed_bytes && edits <= most_listed_edits)
                list.edits.push_back({.at = source,
                                      .old_bytes = bytes_between(source_, source, stretch.source),
                                      .new_bytes = bytes_between(target_, target, stretch.target)});
        }
        source = stretch.source + stretch.length, target = stretch.target + stretch.length;
        open = false;
    }
    if (bytes > most_listed_bytes || edits > most_listed_edits) throw too_large(bytes, edits);
    patch_.write(bytes_of(edit_list_text(list)));
}

}  // namespace hotstitch::edits
