// SPDX-License-Identifier: MIT
// WonderSwan: the header is the last ten bytes, after a far jump. docs/formats/images.md, "Others". Tested by
// tests/part/image_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "base/fixed_text.h"
#include "base/numbers.h"
#include "digest/sums.h"
#include "hotstitch/error.h"
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

/// Places count from the end of the ROM; the header of a field row, from its begin.
constexpr std::array fields{
    size_field(
        header_at - size_at,
        [](unsigned code) { return code < sizes.size() ? std::optional(sizes[code]) : std::nullopt; },
        [](std::uint64_t size) -> std::optional<unsigned> {
            const auto* const found = std::find(sizes.begin(), sizes.end(), size);
            if (found == sizes.end()) return std::nullopt;
            return static_cast<unsigned>(found - sizes.begin());
        }),
    revision_field(header_at - revision_at)};

std::optional<Identity> recognise(ByteView rom) {
    const std::size_t n = rom.size();
    if (n < 0x10000 || n % 0x10000 != 0) return std::nullopt;
    const unsigned code = u8(rom, n - size_at), save = u8(rom, n - save_at);
    const bool size_agrees = code < sizes.size() && sizes[code] == n;
    const bool save_known = save <= 5 || save == 0x10 || save == 0x20 || save == 0x50;
    Identity image;
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
    image.internal_header = n - header_at;
    read_fields(rom, fields, image);
    image.facts.push_back({"for", "made for", u8(rom, n - colour_at) == 1 ? "WonderSwan Color" : "WonderSwan"});
    image.checks.push_back(check_of("checksum", right, stated, 4, "the whole ROM"));
    return image;
}

void mend_checksum(Mending& mending, std::string_view) {
    Bytes& rom = mending.rom;
    set_hex(rom, rom.size() - sum_at, sum_of(rom), 2, std::endian::little, "checksum", mending.fields);
}

constexpr std::array mends{
    MendRow{.name = "checksum", .turn = Turn::checks, .what = "the checksum", .run = mend_checksum}};

}  // namespace

const Platform wonderswan{.name = "wonderswan",
                          .title = "WonderSwan",
                          .extensions = ".ws .wsc",
                          .recognise = recognise,
                          .fields = fields,
                          .mends = mends,
                          .fixed_size = "the header is the end of the ROM: room goes before it",
                          .header = {0, header_at}};

}  // namespace hotstitch::cartridge
