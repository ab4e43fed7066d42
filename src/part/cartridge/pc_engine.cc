// SPDX-License-Identifier: MIT
// PC Engine: no internal header, so the five vectors at the end of the first bank have to do.
// docs/formats/images.md, "Others". Tested by tests/part/image_test.cc.
#include "base/fixed_text.h"
#include "base/numbers.h"
#include "digest/sums.h"
#include "part/cartridge/platform.h"

namespace hotstitch::cartridge {
namespace {

constexpr std::size_t bank = 0x2000, vectors_at = 0x1FF6, vectors = 5;
constexpr std::uint64_t largest = 4 << 20;

std::optional<Identity> recognise_plain(ByteView rom) {
    if (rom.size() < bank || rom.size() % bank != 0 || rom.size() > largest) return std::nullopt;
    Identity image;
    image.size = rom.size();
    Evidence evidence(image);
    bool in_first_bank = true;
    for (std::size_t i = 0; i < vectors; ++i) {
        const unsigned vector = u16le(rom, vectors_at + 2 * i);
        in_first_bank = in_first_bank && vector >= 0xE000 && vector < 0xFFF6;
    }
    const unsigned reset = u16le(rom, vectors_at + 8);
    constexpr std::string_view likely = "\x78\xD4\xD8\x4C\x53\xA9\xC2";
    const bool begins =
        in_first_bank && likely.find(static_cast<char>(u8(rom, reset - 0xE000))) != std::string_view::npos;
    evidence.add(in_first_bank, 15, "all five vectors point into the first bank");
    evidence.add(begins, 5, "a program begins where the reset vector points");
    if (image.evidence_bits < least_bits) return std::nullopt;
    return image;
}

std::optional<Identity> recognise(ByteView file) {
    return with_or_without_header(file, recognise_plain, bank);
}

}  // namespace

const Platform pc_engine{.name = "pc-engine",
                         .title = "PC Engine / TurboGrafx-16",
                         .extensions = ".pce",
                         .recognise = recognise,
                         .copier_header = true};

}  // namespace hotstitch::cartridge
