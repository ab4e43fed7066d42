// SPDX-License-Identifier: MIT
// LZ10 (docs/formats/payloads.md): copies of 3 to 18 bytes, all of the same cost. Tested by tests/part/payload_test.cc.
#include "part/payload/console_codecs.h"
#include "part/payload/lz.h"

namespace hotstitch {
namespace {

struct Lz10 {
    static constexpr std::string_view name = "LZ10";
    static constexpr unsigned literal_flag = 0;
    static constexpr CopyCost costs[] = {{3, 18, 17}};

    static std::size_t copy_bytes(unsigned) { return 2; }
    static LzStep copy_at(const std::byte* p) {
        const unsigned a = std::to_integer<unsigned>(p[0]), b = std::to_integer<unsigned>(p[1]);
        return {(a >> 4) + 3, ((a & 0xF) << 8 | b) + 1};
    }
    static void write_copy(const LzStep& step, Bytes& out) {
        out.push_back(static_cast<std::byte>((step.length - 3) << 4 | (step.distance - 1) >> 8));
        out.push_back(static_cast<std::byte>(step.distance - 1));
    }
};

}  // namespace

constinit const Codec lz10 = console_lz_codec<Lz10, 0x10>("lz10", "an LZ10-packed file");

}  // namespace hotstitch
