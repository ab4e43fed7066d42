// SPDX-License-Identifier: MIT
// UPS, docs/formats/ups.md:
//
//     "UPS1"  vlv source-size  vlv target-size  hunk*  u32le crc32 of source, of target, of the patch
//     hunk = vlv skip, xor bytes, 00
//
// The terminating 00 takes one position of the file. Bytes past the end of either file count as 00.
// Tested by tests/format/ups_bps_test.cc against the reference in tests/lib/.
#include "format/ups/ups_reader.h"

#include <algorithm>

#include "base/vlv.h"
#include "format/footer.h"

namespace hotstitch::ups {
namespace {

struct Hunk {
    std::uint64_t at;  ///< position in the file of its first xor byte
    ByteView bytes;    ///< without the terminator
};

[[noreturn]] void past_the_end(std::string_view what, std::uint64_t patch_at, std::uint64_t longest,
                               std::uint64_t found) {
    throw Error(ErrorCode::damaged, fmt::format("a {} runs past the end of both files", what))
        .at(patch_at)
        .in(std::string(what))
        .wanted(fmt::format("at most offset {}", longest))
        .found(fmt::format("offset {}", found));
}

/// Takes one hunk that begins at or after `position`; `longest` is the size of the longer file. Only a
/// terminator may stand at that position itself.
Hunk take_hunk(Cursor& cursor, std::uint64_t position, std::uint64_t longest) {
    const std::uint64_t began = cursor.position();
    const std::uint64_t skip = take_vlv(cursor, "skip");
    if (position > longest || skip > longest - position) past_the_end("skip", began, longest, longest);
    const ByteView rest = cursor.rest();
    const auto end = std::find(rest.begin(), rest.end(), std::byte{0});
    if (end == rest.end())
        throw Error(ErrorCode::damaged, "the last hunk has no terminator")
            .at(cursor.position())
            .in("hunk")
            .wanted("a 00");
    Hunk hunk{position + skip, rest.first(static_cast<std::size_t>(end - rest.begin()))};
    if (hunk.bytes.size() > longest - hunk.at)
        past_the_end("hunk", cursor.position(), longest, hunk.at + hunk.bytes.size());
    cursor.take(hunk.bytes.size() + 1, "hunk");
    return hunk;
}

}  // namespace

Reader::Reader(ByteView patch, const Limits&) {
    const Footer footer = checked_footer(patch, magic.size() + 2);
    hunks_ = patch.first(patch.size() - footer_size);
    Cursor cursor(hunks_, magic.size());
    facts_.format = PatchFormat::ups;
    facts_.patch_size = patch.size();
    facts_.source = {.size = take_vlv(cursor, "source size"), .crc32 = footer.source};
    facts_.target = {.size = take_vlv(cursor, "target size"), .crc32 = footer.target};
    begin_ = cursor.position();
    const std::uint64_t longest = std::max(*facts_.source.size, *facts_.target.size);
    for (std::uint64_t position = 0; cursor.left() != 0; ++facts_.records) {
        const Hunk hunk = take_hunk(cursor, position, longest);
        position = hunk.at + hunk.bytes.size() + 1;
        facts_.reach = std::max(facts_.reach, hunk.at + hunk.bytes.size());
    }
}

std::uint64_t Reader::target_size(std::uint64_t source_size) const noexcept {
    const bool reversed = source_size != *facts_.source.size && source_size == *facts_.target.size;
    return reversed ? *facts_.source.size : *facts_.target.size;
}

Flow Reader::read(std::uint64_t source_size, EditSink& sink) const {
    const std::uint64_t target = target_size(source_size);
    const std::uint64_t longest = std::max(*facts_.source.size, *facts_.target.size);
    std::uint64_t made = 0;
    // The file as it is up to `to`, and 00 past its end.
    const auto keep_up_to = [&](std::uint64_t to) {
        to = std::min(to, target);
        const std::uint64_t copied = std::min(to, source_size);
        if (made < copied && sink.put(Edit::copy_source(made, copied - made)) == Flow::stop) return Flow::stop;
        made = std::max(made, copied);
        if (made < to && sink.put(Edit::run(std::byte{0}, to - made)) == Flow::stop) return Flow::stop;
        made = std::max(made, to);
        return Flow::go_on;
    };
    Cursor cursor(hunks_, begin_);
    for (std::uint64_t position = 0; cursor.left() != 0;) {
        const Hunk hunk = take_hunk(cursor, position, longest);
        position = hunk.at + hunk.bytes.size() + 1;
        if (hunk.at >= target) continue;  // of the longer file's end only the other direction makes something
        if (keep_up_to(hunk.at) == Flow::stop) return Flow::stop;
        const ByteView bytes = hunk.bytes.first(std::min<std::uint64_t>(hunk.bytes.size(), target - hunk.at));
        if (!bytes.empty() && sink.put(Edit::xor_source(hunk.at, bytes)) == Flow::stop) return Flow::stop;
        made += bytes.size();
    }
    return keep_up_to(target);
}

}  // namespace hotstitch::ups
