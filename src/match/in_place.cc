// SPDX-License-Identifier: MIT
// For formats that know a byte only by its place: what stands at the same offset in both files is copied,
// everything else is literal.
#include "match/match.h"

#include <algorithm>
#include <cstring>

namespace hotstitch {
namespace {

/// How many leading bytes differ, each from its counterpart. Eight at a time: a zero byte in the xor of two
/// words is where they agree.
std::size_t common_difference(ByteView a, ByteView b) noexcept {
    constexpr std::uint64_t ones = 0x0101010101010101, highs = 0x8080808080808080;
    const std::size_t most = std::min(a.size(), b.size());
    std::size_t at = 0;
    for (; most - at >= 8; at += 8) {
        std::uint64_t x, y;
        std::memcpy(&x, a.data() + at, 8);
        std::memcpy(&y, b.data() + at, 8);
        const std::uint64_t difference = x ^ y;
        if (((difference - ones) & ~difference & highs) != 0) break;
    }
    while (at < most && a[at] != b[at]) ++at;
    return at;
}

}  // namespace

MatchFacts match(ByteView source, ByteView target, const MatchOptions& options, EditSink& sink, Meter& meter) {
    if (options.anywhere) return match_anywhere(source, target, options, sink, meter);
    match_in_place(source, target, sink, meter);
    return {};
}

void match_in_place(ByteView source, ByteView target, EditSink& sink, Meter& meter) {
    // Pieces keep the progress callback alive on long equal or different stretches.
    constexpr std::size_t piece = 4 << 20;
    const std::size_t both = std::min(source.size(), target.size());
    std::size_t at = 0;
    const auto tell = [&](const Edit& edit) {
        at += edit.length;
        meter.advance(edit.length);
        return sink.put(edit);
    };
    while (at < both) {
        const std::size_t most = std::min(piece, both - at);
        const ByteView s = source.subspan(at, most), t = target.subspan(at, most);
        if (const std::size_t same = common_prefix(s, t); same != 0)
            if (tell(Edit::copy_source(at, same)) == Flow::stop) return;
        const std::size_t done = at - static_cast<std::size_t>(t.data() - target.data());
        if (const std::size_t other = common_difference(s.subspan(done), t.subspan(done)); other != 0)
            if (tell(Edit::literal(t.subspan(done, other))) == Flow::stop) return;
    }
    while (at < target.size())
        if (tell(Edit::literal(target.subspan(at, std::min(piece, target.size() - at)))) == Flow::stop) return;
}

}  // namespace hotstitch
