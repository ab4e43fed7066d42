// SPDX-License-Identifier: MIT
#include "exhaustive.h"

#include <divsufsort.h>

#include <vector>

namespace bench {
namespace {

using namespace hotstitch;

constexpr std::size_t least_match = 6;

class Suffixes {
public:
    explicit Suffixes(ByteView source) : source_(source), sorted_(source.size()) {
        divsufsort(reinterpret_cast<const sauchar_t*>(source.data()), sorted_.data(),
                   static_cast<saidx_t>(source.size()));
    }

    struct Match {
        std::size_t from = 0, length = 0;
    };

    /// The longest prefix of `wanted` that stands in the source.
    Match longest(ByteView wanted) const {
        Match best;
        std::size_t low = 0, high = sorted_.size(), at_low = 0, at_high = 0;
        while (low < high) {
            const std::size_t middle = low + (high - low) / 2;
            const auto from = static_cast<std::size_t>(sorted_[middle]);
            // Both ends share this many bytes with what is wanted, so the middle does too.
            const std::size_t known = std::min(at_low, at_high);
            const ByteView suffix = source_.subspan(from + known);
            const std::size_t length = known + common_prefix(suffix, wanted.subspan(known));
            if (length > best.length) best = {from, length};
            if (length == wanted.size()) break;
            const bool below = from + length == source_.size() || source_[from + length] < wanted[length];
            if (below)
                low = middle + 1, at_low = length;
            else
                high = middle, at_high = length;
        }
        return best;
    }

private:
    ByteView source_;
    std::vector<saidx_t> sorted_;
};

}  // namespace

void match_exhaustively(ByteView source, ByteView target, EditSink& sink) {
    const Suffixes suffixes(source);
    std::size_t told = 0;
    const auto tell_literal = [&](std::size_t to) {
        if (told != to) sink.put(Edit::literal(target.subspan(told, to - told)));
    };
    for (std::size_t at = 0; at < target.size();) {
        const ByteView rest = target.subspan(at);
        const Suffixes::Match match = suffixes.longest(rest);
        const std::size_t run = 1 + common_prefix(rest, rest.subspan(1));
        const std::size_t length = std::max(match.length, run);
        if (length < least_match) {
            ++at;
            continue;
        }
        tell_literal(at);
        sink.put(run >= match.length ? Edit::run(rest[0], run) : Edit::copy_source(match.from, length));
        told = at += length;
    }
    tell_literal(target.size());
}

}  // namespace bench
