// SPDX-License-Identifier: MIT
// FUZZ_ENTRY 0: any bytes as a payload of every codec: measured and unpacked to exactly what was measured, or refused.
// 1: any bytes packed by every codec of our own, which gives them back, and is never larger when it is done again.
#include <algorithm>
#include <cstdint>

#include "hotstitch/error.h"
#include "hotstitch/part.h"
#include "part/payload/codec.h"
#include "require.h"

using namespace hotstitch;

namespace {

void unpack_all(ByteView input) {
    Limits limits;
    limits.archive_unpacked = 4 << 20;  // what is legitimately large only takes time
    limits.memory = 16 << 20;
    for (const Codec* const codec : codecs()) try {
            if (!codec->begins(input.first(std::min<std::size_t>(input.size(), 64)))) continue;
            const Extent extent = measure(*codec, input, limits);
            require(extent.packed <= input.size());
            if (extent.content > limits.archive_unpacked) continue;
            MemorySink sink;
            unpack(*codec, input, sink, limits);
            require(sink.bytes().size() == extent.content);
        } catch (const Error& error) {
            require(error.code() != ErrorCode::io && error.code() != ErrorCode::usage);
        }
    try {
        const MemorySource file(input);
        if (const auto container = open_container(file, limits)) container->parts();
    } catch (const Error& error) {
        require(error.code() != ErrorCode::io);
    }
}

void pack_all(ByteView input) {
    constexpr unsigned char samples[][16] = {{0x10, 5, 0, 0, 0x40, 0, 0x10, 0},
                                             {0x10, 1, 0, 0, 0, 0},
                                             {0x11, 5, 0, 0, 0x40, 0, 0x30, 0},
                                             {0x24, 1, 0, 0, 1, 0xC0, 0xB, 4, 0, 0, 0, 0x40},
                                             {0x28, 1, 0, 0, 1, 0xC0, 0x4B, 0x4B},
                                             {0x30, 1, 0, 0, 0, 0x41},
                                             {'Y', 'a', 'z', '0'}};
    for (const auto& sample : samples) {
        const ByteView like = std::as_bytes(std::span(sample));
        const Codec* const codec = codec_by_begin(like);
        require(codec != nullptr);
        const Bytes packed = codec->pack(input, like);
        const Extent extent = codec->measure(packed);
        require(extent.packed == packed.size() && extent.content == input.size());
        Bytes content(input.size());
        codec->unpack(packed, content);
        require(std::equal(content.begin(), content.end(), input.begin()));
        require(codec->pack(input, packed).size() <= packed.size() + 16);
    }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const ByteView input = std::as_bytes(std::span(data, size));
    if (FUZZ_ENTRY == 0)
        unpack_all(input);
    else
        pack_all(input);
    return 0;
}
