// SPDX-License-Identifier: MIT
// Files of one size are compared in place. Of others, the edits say what was copied; a list can only keep what stands
// in the same order in both, so the heaviest such chain of copies is taken, and what lies between is edited. Tested by
// tests/edits_test.cc.
#include "format/edits/edits_writer.h"

#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/digest.h"
#include "hotstitch/edit_list.h"
#include "hotstitch/words.h"

namespace hotstitch::edits {
namespace {

constexpr std::uint64_t least_gap = 8;    ///< between two edits
constexpr std::uint64_t least_copy = 16;  ///< shorter ones, out of place, are not worth an edit more

/// The heaviest weight of all keys up to one, and by whom it was reached.
class HeaviestUpTo {
public:
    explicit HeaviestUpTo(std::size_t keys) : best_(keys + 1) {}
    void raise(std::size_t key, std::uint64_t weight, std::size_t by) {
        for (++key; key < best_.size(); key += key & (~key + 1))
            if (weight > best_[key].first) best_[key] = {weight, by};
    }
    std::pair<std::uint64_t, std::size_t> upto(std::size_t keys) const {
        std::pair<std::uint64_t, std::size_t> best{0, SIZE_MAX};
        for (; keys > 0; keys -= keys & (~keys + 1))
            if (best_[keys].first > best.first) best = best_[keys];
        return best;
    }

private:
    std::vector<std::pair<std::uint64_t, std::size_t>> best_;
};

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

Flow Writer::put(const Edit& edit) {
    if (edit.kind == EditKind::copy_source && (edit.length >= least_copy || edit.offset == at_)) {
        const bool goes_on = !copies_.empty() && copies_.back().source + copies_.back().length == edit.offset &&
                             copies_.back().target + copies_.back().length == at_;
        if (goes_on)
            copies_.back().length += edit.length;
        else
            copies_.push_back({edit.offset, at_, edit.length});
    }
    at_ += edit.length;
    return Flow::go_on;
}

std::vector<Writer::Same> Writer::in_place() const {
    std::vector<Same> same;
    for (std::size_t at = 0; at < source_.size();) {
        const std::size_t length = common_prefix(source_.subspan(at), target_.subspan(at));
        if (length != 0) same.push_back({at, at, length});
        at += length;
        while (at < source_.size() && source_[at] != target_[at]) ++at;
    }
    return same;
}

std::vector<Writer::Same> Writer::in_order() const {
    std::vector<std::uint64_t> ends;
    for (const Same& copy : copies_) ends.push_back(copy.source + copy.length);
    std::sort(ends.begin(), ends.end());
    const auto rank = [&](std::uint64_t end) {
        return static_cast<std::size_t>(std::lower_bound(ends.begin(), ends.end(), end) - ends.begin());
    };
    HeaviestUpTo heaviest(ends.size());
    std::vector<std::size_t> before(copies_.size(), SIZE_MAX);
    for (std::size_t i = 0; i < copies_.size(); ++i) {
        // Those that end before this one begins.
        const auto upto =
            static_cast<std::size_t>(std::upper_bound(ends.begin(), ends.end(), copies_[i].source) - ends.begin());
        const auto [weight, by] = heaviest.upto(upto);
        before[i] = by;
        heaviest.raise(rank(ends.empty() ? 0 : copies_[i].source + copies_[i].length), weight + copies_[i].length, i);
    }
    std::vector<Same> chain;
    for (std::size_t i = heaviest.upto(ends.size()).second; i != SIZE_MAX; i = before[i]) chain.push_back(copies_[i]);
    std::reverse(chain.begin(), chain.end());
    return chain;
}

void Writer::finish() {
    std::vector<Same> same = source_.size() == target_.size() ? in_place() : in_order();
    same.push_back({source_.size(), target_.size(), 0});
    EditList list;
    list.source = {.size = source_.size(), .crc32 = crc32(source_)};
    list.target = {.size = target_.size(), .crc32 = crc32(target_)};
    std::uint64_t source = 0, target = 0;  // where the edit in work begins
    std::uint64_t bytes = 0, edits = 0;
    bool open = false;
    for (const Same& stretch : same) {
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
