// SPDX-License-Identifier: MIT
// Lynx: a front header of 64 bytes. docs/formats/images.md, "Others". Tested by tests/part/image_test.cc.
#include <fmt/format.h>

#include "base/fixed_text.h"
#include "base/numbers.h"
#include "digest/sums.h"
#include "hotstitch/text.h"
#include "part/cartridge/platform.h"

namespace hotstitch::cartridge {
namespace {

constexpr std::size_t front_size = 64, page_0_at = 4, page_1_at = 6, title_at = 10, title_length = 32, rotation_at = 58;
constexpr std::uint64_t pages = 256;

std::optional<Identity> recognise(ByteView file) {
    if (file.size() < front_size || text_at(file, 0, 4) != "LYNX") return std::nullopt;
    Identity image = behind_front_header(file, front_size);
    image.title = readable(text_at(file, title_at, title_length));
    const unsigned page_0 = u16le(file, page_0_at), page_1 = u16le(file, page_1_at);
    image.declared_size = pages * (page_0 + page_1);
    image.facts.push_back({"pages", "pages",
                           fmt::format("256 of {}{}", counted(page_0, "byte", "bytes"),
                                       page_1 == 0 ? "" : fmt::format(", 256 of {}", page_1))});
    if (const unsigned turn = u8(file, rotation_at); turn == 1 || turn == 2)
        image.facts.push_back({"rotation", "held", turn == 1 ? "turned left" : "turned right"});
    if (image.size != *image.declared_size)
        image.warnings.push_back(fmt::format("the header claims {}, {} follow it",
                                             counted(*image.declared_size, "byte", "bytes"), image.size));
    Evidence(image).add(image.size == *image.declared_size, 12, "the pages fill the file exactly");
    return image;
}

}  // namespace

const Platform lynx{.name = "lynx",
                    .title = "Atari Lynx",
                    .extensions = ".lnx",
                    .recognise = recognise,
                    .fixed_size = "the front header states the size"};

}  // namespace hotstitch::cartridge
