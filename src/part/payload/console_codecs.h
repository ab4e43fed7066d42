// SPDX-License-Identifier: MIT
// The codecs of game consoles, one a file.
#pragma once

#include "part/payload/lz.h"

namespace hotstitch {

extern const Codec lz10, lz11, yaz0, huffman4, huffman8, run_length;

/// LZ10 and LZ11 differ in their formats only. Where the old payload has no copies from the byte before, as memory that
/// is written two bytes at a time demands, the new one has none.
template <class Format, unsigned first_byte>
constexpr Codec console_lz_codec(std::string_view name, std::string_view title) {
    return {.name = name,
            .title = title,
            .begins = [](ByteView head) { return has_console_header(head, first_byte); },
            .measure =
                [](ByteView packed) {
                    const ConsoleHeader header = console_header(packed, Format::name);
                    return LzCodec<Format>::measure(packed, header.data, header.content);
                },
            .unpack =
                [](ByteView packed, MutableByteView content) {
                    LzCodec<Format>::unpack(packed.data() + console_header(packed, Format::name).data, content);
                },
            .pack =
                [](ByteView content, ByteView like) {
                    const ConsoleHeader header = console_header(like, Format::name);
                    bool near_copies = false;
                    LzCodec<Format>::measure(like, header.data, header.content, &near_copies);
                    Bytes out = console_header_like(like, content.size());
                    LzCodec<Format>::pack(content, near_copies, out);
                    return out;
                }};
}

}  // namespace hotstitch
