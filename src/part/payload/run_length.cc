// SPDX-License-Identifier: MIT
// RLE (docs/formats/payloads.md): a byte with bit 7 set and a length less 3, then the byte that is repeated; else a
// length less 1, then so many literal bytes. The cheapest way is found from the end backwards.
// Tested by tests/part/payload_test.cc.
#include <algorithm>

#include "hotstitch/text.h"
#include "part/payload/console_codecs.h"

namespace hotstitch {
namespace {

constexpr std::string_view run_name = "RLE";
constexpr std::size_t least_run = 3, most_run = 130, most_literals = 128;

Extent measure_runs(ByteView packed) {
    const ConsoleHeader header = console_header(packed, run_name);
    std::size_t at = header.data;
    for (std::uint64_t made = 0; made < header.content;) {
        if (at == packed.size()) payload_truncated(run_name, at, "flag");
        const auto flag = std::to_integer<std::size_t>(packed[at]);
        const bool run = (flag & 0x80) != 0;
        const std::size_t length = (flag & 0x7F) + (run ? least_run : 1), bytes = run ? 1 : length;
        if (packed.size() - at - 1 < bytes) payload_truncated(run_name, at, run ? "run" : "literal");
        if (length > header.content - made)
            payload_damaged(run_name, at, "length",
                            fmt::format("at most {}, to the size that is declared", grouped(header.content - made)),
                            grouped(length));
        at += 1 + bytes, made += length;
    }
    return {at, header.content};
}

void unpack_runs(ByteView packed, MutableByteView content) {
    std::size_t at = console_header(packed, run_name).data;
    for (std::size_t made = 0; made < content.size();) {
        const auto flag = std::to_integer<std::size_t>(packed[at++]);
        const bool run = (flag & 0x80) != 0;
        const std::size_t length = (flag & 0x7F) + (run ? least_run : 1);
        const MutableByteView into = content.subspan(made, length);
        if (run)
            std::fill(into.begin(), into.end(), packed[at]);
        else
            std::copy_n(packed.begin() + static_cast<std::ptrdiff_t>(at), length, into.begin());
        at += run ? 1 : length, made += length;
    }
}

Bytes pack_runs(ByteView content, ByteView like) {
    struct Way {
        std::uint32_t cost = 0;
        std::uint16_t length = 0;
        bool run = false;
    };
    const std::size_t size = content.size();
    std::vector<Way> ways(size + 1);
    std::size_t run = 0;
    for (std::size_t at = size; at-- > 0;) {
        run = at + 1 < size && content[at] == content[at + 1] ? run + 1 : 1;
        Way best{UINT32_MAX, 0, false};
        const auto offer = [&](std::size_t length, std::uint32_t cost, bool is_run) {
            if (cost + ways[at + length].cost < best.cost)
                best = {cost + ways[at + length].cost, static_cast<std::uint16_t>(length), is_run};
        };
        for (std::size_t n = std::min(run, most_run); n >= least_run; --n) offer(n, 2, true);
        for (std::size_t n = 1; n <= std::min(size - at, most_literals); ++n)
            offer(n, static_cast<std::uint32_t>(1 + n), false);
        ways[at] = best;
    }
    Bytes out = console_header_like(like, size);
    for (std::size_t at = 0; at < size; at += ways[at].length) {
        const Way& way = ways[at];
        out.push_back(static_cast<std::byte>(way.run ? 0x80 | (way.length - least_run) : way.length - 1U));
        const auto from = content.begin() + static_cast<std::ptrdiff_t>(at);
        out.insert(out.end(), from, from + (way.run ? 1 : way.length));
    }
    return out;
}

}  // namespace

constinit const Codec run_length{.name = "rle",
                                 .title = "an RLE-packed file",
                                 .begins = [](ByteView head) { return has_console_header(head, 0x30); },
                                 .measure = measure_runs,
                                 .unpack = unpack_runs,
                                 .pack = pack_runs};

}  // namespace hotstitch
