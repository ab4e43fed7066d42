// SPDX-License-Identifier: MIT
// What LZ10, LZ11 and Yaz0 share: a byte of eight flags, then what they flag, a literal byte or a copy. A format says
// which flag is a literal, and how a copy is written.
#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <cstring>

#include "hotstitch/text.h"
#include "part/payload/codec.h"
#include "part/payload/lz_parse.h"

namespace hotstitch {

/// A format has: `name`; `literal_flag`; `costs`; `largest_copy`; copy_bytes(first), how many bytes a copy takes by
/// its first one; copy_at(bytes), what it says; write_copy(step, out).
template <class Format>
class LzCodec {
public:
    /// Checks every copy; nothing is made. `data`: where the flags begin.
    static Extent measure(ByteView packed, std::size_t data, std::uint64_t content, bool* near_copies = nullptr) {
        std::size_t at = data;
        unsigned flags = 0, left = 0;
        for (std::uint64_t made = 0; made < content;) {
            if (left == 0) {
                if (at == packed.size()) payload_truncated(Format::name, at, "flags");
                flags = std::to_integer<unsigned>(packed[at++]), left = 8;
            }
            const bool literal = (flags >> --left & 1) == Format::literal_flag;
            const std::size_t bytes =
                literal || at == packed.size() ? 1 : Format::copy_bytes(std::to_integer<unsigned>(packed[at]));
            if (packed.size() - at < bytes) payload_truncated(Format::name, at, literal ? "literal" : "copy");
            if (literal) {
                ++at, ++made;
                continue;
            }
            const LzStep copy = Format::copy_at(packed.data() + at);
            if (copy.distance > made)
                payload_damaged(Format::name, at, "copy distance",
                                fmt::format("at most {}, which is where the content begins", grouped(made)),
                                grouped(copy.distance));
            if (copy.length > content - made)
                payload_damaged(Format::name, at, "copy length",
                                fmt::format("at most {}, to the size that is declared", grouped(content - made)),
                                grouped(copy.length));
            if (near_copies != nullptr && copy.distance == 1) *near_copies = true;
            at += bytes, made += copy.length;
        }
        return {at, content};
    }

    /// REQUIRES measure().
    static void unpack(const std::byte* in, MutableByteView content) {
        std::byte *out = content.data(), *const end = out + content.size();
        while (out != end) {
            auto flags = std::to_integer<unsigned>(*in++);
            for (int i = 0; i < 8 && out != end; ++i, flags <<= 1) {
                if ((flags >> 7 & 1) == Format::literal_flag) {
                    *out++ = *in++;
                    continue;
                }
                const LzStep copy = Format::copy_at(in);
                in += Format::copy_bytes(std::to_integer<unsigned>(*in));
                const std::byte* from = out - copy.distance;
                std::byte* const to = out + copy.length;
                // Whole words where they fit and do not overlap.
                if (copy.distance >= 8)
                    for (; to - out >= 8; out += 8, from += 8) std::memcpy(out, from, 8);
                while (out != to) *out++ = *from++;
            }
        }
    }

    static void pack(ByteView content, bool near_copies, Bytes& out) {
        const LzRules rules{.costs = Format::costs, .least_distance = near_copies ? 1U : 2U};
        std::size_t flags_at = 0, at = 0;
        int left = 0;
        for (const LzStep& step : cheapest_parse(content, rules)) {
            if (left == 0) flags_at = out.size(), out.push_back({}), left = 8;
            --left;
            if ((step.distance == 0) == static_cast<bool>(Format::literal_flag))
                out[flags_at] |= static_cast<std::byte>(1U << left);
            if (step.distance == 0)
                out.push_back(content[at]);
            else
                Format::write_copy(step, out);
            at += step.length;
        }
    }
};

}  // namespace hotstitch
