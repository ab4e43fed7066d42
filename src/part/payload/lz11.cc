// SPDX-License-Identifier: MIT
// LZ11 (docs/formats/payloads.md): copies of up to 16, 272 and 65,808 bytes, in two, three and four bytes.
// Tested by tests/part/payload_test.cc.
#include "part/payload/console_codecs.h"
#include "part/payload/lz.h"

namespace hotstitch {
namespace {

struct Lz11 {
    static constexpr std::string_view name = "LZ11";
    static constexpr unsigned literal_flag = 0;
    static constexpr CopyCost costs[] = {{3, 0x10, 17}, {0x11, 0x110, 25}, {0x111, 0x10110, 33}};

    static std::size_t copy_bytes(unsigned first) { return first >> 4 == 0 ? 3 : first >> 4 == 1 ? 4 : 2; }
    static LzStep copy_at(const std::byte* p) {
        const auto byte = [&](int i) { return std::to_integer<unsigned>(p[i]); };
        switch (byte(0) >> 4) {
            case 0: return {((byte(0) & 0xF) << 4 | byte(1) >> 4) + 0x11, ((byte(1) & 0xF) << 8 | byte(2)) + 1};
            case 1:
                return {((byte(0) & 0xF) << 12 | byte(1) << 4 | byte(2) >> 4) + 0x111,
                        ((byte(2) & 0xF) << 8 | byte(3)) + 1};
            default: return {(byte(0) >> 4) + 1, ((byte(0) & 0xF) << 8 | byte(1)) + 1};
        }
    }
    static void write_copy(const LzStep& step, Bytes& out) {
        const auto put = [&](std::uint32_t value) { out.push_back(static_cast<std::byte>(value)); };
        const std::uint32_t distance = step.distance - 1;
        if (step.length <= 0x10) {
            put((step.length - 1) << 4 | distance >> 8);
        } else if (step.length <= 0x110) {
            const std::uint32_t length = step.length - 0x11;
            put(length >> 4), put(length << 4 | distance >> 8);
        } else {
            const std::uint32_t length = step.length - 0x111;
            put(0x10 | length >> 12), put(length >> 4), put(length << 4 | distance >> 8);
        }
        put(distance);
    }
};

}  // namespace

constinit const Codec lz11 = console_lz_codec<Lz11, 0x11>("lz11", "an LZ11-packed file");

}  // namespace hotstitch
