// SPDX-License-Identifier: MIT
// WonderSwan: the header is the last ten bytes, after a far jump. docs/formats/images.md, "Others". Tested by
// tests/image_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "hotstitch/error.h"
#include "part/cartridge/fields.h"
#include "part/cartridge/platform.h"

namespace hotstitch::cartridge {
namespace {

constexpr std::uint64_t kib = 1024, mib = 1024 * kib;
constexpr std::array<std::uint64_t, 10> sizes{128 * kib, 256 * kib, 512 * kib, 1 * mib, 2 * mib,
                                              3 * mib,   4 * mib,   6 * mib,   8 * mib, 16 * mib};
/// Counted from the end.
constexpr std::size_t jump_at = 16, header_at = 10, colour_at = 9, game_at = 8, revision_at = 7, size_at = 6,
                      save_at = 5, sum_at = 2;

unsigned sum_of(ByteView rom) {
    return static_cast<unsigned>(sum_of_bytes(rom.first(rom.size() - sum_at))) & 0xFFFF;
}

std::optional<Cartridge> recognise(ByteView rom) {
    const std::size_t n = rom.size();
    if (n < 0x10000 || n % 0x10000 != 0) return std::nullopt;
    const unsigned code = u8(rom, n - size_at), save = u8(rom, n - save_at);
    const bool size_agrees = code < sizes.size() && sizes[code] == n;
    const bool save_known = save <= 5 || save == 0x10 || save == 0x20 || save == 0x50;
    Cartridge image;
    Evidence evidence(image);
    evidence.add(u8(rom, n - jump_at) == 0xEA, 8, "a far jump stands before the header");
    evidence.add(size_agrees, 8, "the size field agrees");
    evidence.add(u8(rom, n - colour_at) <= 1, 7, "the colour flag is a possible one");
    evidence.add(save_known, 4, "the save memory is a known one");
    if (u8(rom, n - jump_at) != 0xEA || image.evidence_bits < least_bits - 1) return std::nullopt;
    const unsigned right = sum_of(rom), stated = u16le(rom, n - sum_at);
    evidence.add(right == stated, 16, "the checksum is right");
    if (image.evidence_bits < 24) return std::nullopt;
    image.size = n;
    image.serial = fmt::format("{:02X}-{:02X}", u8(rom, n - header_at), u8(rom, n - game_at));
    image.revision = u8(rom, n - revision_at);
    if (code < sizes.size()) image.declared_size = sizes[code];
    image.details.push_back({"for", "made for", u8(rom, n - colour_at) == 1 ? "WonderSwan Color" : "WonderSwan"});
    image.checks.push_back(check_of("checksum", right, stated, 4));
    return image;
}

void mend_size(Bytes& rom, std::string_view, Mending& mending) {
    const auto* const found = std::find(sizes.begin(), sizes.end(), rom.size());
    if (found == sizes.end())
        throw Error(ErrorCode::unsupported, "no size field of this platform says the file's size");
    const std::size_t at = rom.size() - size_at;
    const auto words = [](unsigned c) {
        return c < sizes.size() ? fmt::format("{} KiB", sizes[c] / kib) : hex_text(c, 2);
    };
    const auto code = static_cast<unsigned>(found - sizes.begin());
    const std::array field{static_cast<std::byte>(code)};
    set_field(rom, at, field, "ROM size", words(u8(rom, at)), words(code), mending);
}

void mend_checksum(Bytes& rom, std::string_view, Mending& mending) {
    set_hex(rom, rom.size() - sum_at, sum_of(rom), 2, std::endian::little, "checksum", mending);
}

constexpr std::array<PlatformMend, 2> mends{
    {{"rom-size", Turn::field, "", "the size that the header states", mend_size},
     {"checksum", Turn::checks, "", "the checksum", mend_checksum}}};

}  // namespace

extern const Platform wonderswan;
const Platform wonderswan{.name = "wonderswan",
                          .title = "WonderSwan",
                          .recognise = recognise,
                          .mends = mends,
                          .fixed_size = "the header is the end of the ROM: room goes before it",
                          .header = [](const Cartridge& image) {
                              return ByteRange{image.size - 10, 10};
                          }};

}  // namespace hotstitch::cartridge
