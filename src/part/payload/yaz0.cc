// SPDX-License-Identifier: MIT
// Yaz0 (docs/formats/payloads.md): a word, the size big-endian, eight bytes more, which stay as they were; copies of up
// to 17 bytes in two, of up to 273 in three. Tested by tests/part/payload_test.cc.
#include "base/numbers.h"
#include "hotstitch/error.h"
#include "part/payload/console_codecs.h"
#include "part/payload/lz.h"

namespace hotstitch {
namespace {

constexpr std::size_t header_size = 16;

struct Yaz0 {
    static constexpr std::string_view name = "Yaz0";
    static constexpr unsigned literal_flag = 1;
    static constexpr CopyCost costs[] = {{3, 0x11, 17}, {0x12, 0x111, 25}};

    static std::size_t copy_bytes(unsigned first) { return first >> 4 == 0 ? 3 : 2; }
    static LzStep copy_at(const std::byte* p) {
        const auto byte = [&](int i) { return std::to_integer<unsigned>(p[i]); };
        const unsigned n = byte(0) >> 4;
        return {n == 0 ? byte(2) + 0x12 : n + 2, ((byte(0) & 0xF) << 8 | byte(1)) + 1};
    }
    static void write_copy(const LzStep& step, Bytes& out) {
        const std::uint32_t distance = step.distance - 1;
        const bool is_long = step.length >= 0x12;
        out.push_back(static_cast<std::byte>((is_long ? 0 : step.length - 2) << 4 | distance >> 8));
        out.push_back(static_cast<std::byte>(distance));
        if (is_long) out.push_back(static_cast<std::byte>(step.length - 0x12));
    }
};

Extent measure_yaz0(ByteView packed) {
    if (packed.size() < header_size) payload_truncated(Yaz0::name, packed.size(), "header");
    return LzCodec<Yaz0>::measure(packed, header_size, u32be(packed, 4));
}

Bytes pack_yaz0(ByteView content, ByteView like) {
    if (content.size() > UINT32_MAX) throw Error(ErrorCode::limit, "a Yaz0 payload holds at most 4 GiB");
    Bytes out(like.begin(), like.begin() + header_size);
    for (unsigned i = 0; i < 4; ++i) out[4 + i] = static_cast<std::byte>(content.size() >> (24 - 8 * i));
    LzCodec<Yaz0>::pack(content, true, out);
    return out;
}

}  // namespace

constinit const Codec yaz0{
    .name = "yaz0",
    .title = "a Yaz0-packed file",
    .by_word = true,
    .begins = [](ByteView head) { return text_of(head).starts_with("Yaz0"); },
    .measure = measure_yaz0,
    .unpack = [](ByteView packed,
                 MutableByteView content) { LzCodec<Yaz0>::unpack(packed.data() + header_size, content); },
    .pack = pack_yaz0};

}  // namespace hotstitch
