// SPDX-License-Identifier: MIT
// Atari 7800: a front header of 128 bytes. docs/formats/images.md, "Others". Tested by tests/part/image_test.cc.
#include <fmt/format.h>

#include "base/fixed_text.h"
#include "base/numbers.h"
#include "digest/sums.h"
#include "hotstitch/text.h"
#include "part/cartridge/platform.h"

namespace hotstitch::cartridge {
namespace {

constexpr std::size_t front_size = 128, magic_at = 1, title_at = 0x11, title_length = 32, size_at = 0x31, tv_at = 0x39;
constexpr std::string_view magic = "ATARI7800";

std::optional<Identity> recognise(ByteView file) {
    if (file.size() < front_size || text_at(file, magic_at, magic.size()) != magic) return std::nullopt;
    Identity image = behind_front_header(file, front_size, 64);
    image.title = readable(text_at(file, title_at, title_length));
    image.region = (u8(file, tv_at) & 1) != 0 ? "PAL" : "NTSC";
    image.declared_size = u32be(file, size_at);
    if (image.size != *image.declared_size)
        image.warnings.push_back(fmt::format("the header claims {}, {} follow it",
                                             counted(*image.declared_size, "byte", "bytes"), image.size));
    return image;
}

}  // namespace

const Platform atari_7800{.name = "atari-7800",
                          .title = "Atari 7800",
                          .extensions = ".a78",
                          .recognise = recognise,
                          .fixed_size = "the front header states the size"};

}  // namespace hotstitch::cartridge
