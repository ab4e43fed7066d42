// SPDX-License-Identifier: MIT
// Nintendo 64: three byte orders, and check words that depend on the boot code. docs/formats/images.md, "Nintendo 64".
// Tested by tests/part/image_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <bit>

#include "base/fixed_text.h"
#include "base/numbers.h"
#include "digest/sums.h"
#include "hotstitch/digest.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/cartridge/platform.h"

namespace hotstitch::cartridge {
namespace {

constexpr std::size_t header_end = 0x40, boot_end = 0x1000, checked_end = 0x101000, words_at = 0x10, title_at = 0x20,
                      code_at = 0x3B, region_at = 0x3E, revision_at = 0x3F, title_length = 20;

struct BootCode {
    std::uint32_t crc32;
    std::string_view name;
    std::uint32_t seed;
};
constexpr std::array<BootCode, 6> boot_codes{{{0x6170A4A1, "6101", 0xF8CA4DDC},
                                              {0x90BB6CB5, "6102", 0xF8CA4DDC},
                                              {0x009E9EA3, "7102", 0xF8CA4DDC},
                                              {0x0B050EE0, "6103", 0xA3886759},
                                              {0x98BC2C86, "6105", 0xDF26F436},
                                              {0xACC8580A, "6106", 0x1FEA617A}}};

const BootCode* boot_code_of(ByteView rom) {
    if (rom.size() < boot_end) return nullptr;
    const std::uint32_t crc = crc32(rom.subspan(header_end, boot_end - header_end)).value;
    const auto* const found =
        std::find_if(boot_codes.begin(), boot_codes.end(), [&](const BootCode& b) { return b.crc32 == crc; });
    return found == boot_codes.end() ? nullptr : found;
}

const BootCode* boot_code_named(std::string_view name) {
    const auto* const found =
        std::find_if(boot_codes.begin(), boot_codes.end(), [&](const BootCode& b) { return b.name == name; });
    if (found != boot_codes.end()) return found;
    std::string known;
    for (const BootCode& b : boot_codes) known += fmt::format("{}{}", known.empty() ? "" : ", ", b.name);
    throw Error(ErrorCode::usage, fmt::format("there is no boot code variant \"{}\"", name)).wanted(known);
}

using CheckWords = std::array<std::uint32_t, 2>;

/// All arithmetic wraps at 32 bits.
CheckWords check_words(ByteView rom, const BootCode& boot) {
    std::uint32_t t1 = boot.seed, t2 = t1, t3 = t1, t4 = t1, t5 = t1, t6 = t1;
    const bool from_boot_code = boot.name == "6105";
    for (std::size_t i = boot_end; i < checked_end; i += 4) {
        const std::uint32_t d = u32be(rom, i);
        if (t6 + d < t6) ++t4;
        t6 += d;
        t3 ^= d;
        const std::uint32_t r = std::rotl(d, static_cast<int>(d & 31));
        t5 += r;
        t2 ^= t2 >= d ? r : t6 ^ d;
        t1 += from_boot_code ? u32be(rom, 0x750 + (i & 0xFF)) ^ d : t5 ^ d;
    }
    if (boot.name == "6103") return {(t6 ^ t4) + t3, (t5 ^ t2) + t1};
    if (boot.name == "6106") return {t6 * t4 + t3, t5 * t2 + t1};
    return {t6 ^ t4 ^ t3, t5 ^ t2 ^ t1};
}

constexpr std::array<DumpOrder, 3> orders{{{"big-endian", {}},
                                           {"pairs-swapped", RepresentationKind::pairs_swapped},
                                           {"little-endian", RepresentationKind::words_reversed}}};
constexpr std::array<std::uint32_t, 3> first_words{0x80371240, 0x37804012, 0x40123780};  ///< in the same order

void state_checks(ByteView rom, Identity& image) {
    const BootCode* const boot = boot_code_of(rom);
    image.facts.push_back(
        {"boot_code", "boot code",
         boot == nullptr ? "of no known variant (CIC)" : fmt::format("variant {} (CIC)", boot->name)});
    std::string why;
    if (rom.size() < checked_end)
        why = "the ROM is shorter than the 0x101000 bytes that count";
    else if (boot == nullptr)
        why = "the boot code is of no known variant";
    if (!why.empty()) return image.checks.push_back(unknown_check("check words", why));
    const CheckWords right = check_words(rom, *boot);
    const auto both = [](std::uint64_t a, std::uint64_t b) { return a << 32 | b; };
    image.checks.push_back(check_of("check words", both(right[0], right[1]),
                                    both(u32be(rom, words_at), u32be(rom, words_at + 4)), 16,
                                    "1 MiB behind the boot code"));
}

constexpr std::array fields{letter_region_field(region_at, "the region letter of the game code"),
                            title_field(title_at, title_length, ' ', "up to 20 characters", true),
                            serial_field(code_at, 4), revision_field(revision_at)};

std::optional<Identity> recognise(ByteView file) {
    if (file.size() < header_end) return std::nullopt;
    const auto* const first = std::find(first_words.begin(), first_words.end(), u32be(file, 0));
    if (first == first_words.end()) return std::nullopt;
    const DumpOrder* const order = &orders[static_cast<std::size_t>(first - first_words.begin())];
    Identity image;
    Bytes storage;
    ByteView rom = file;
    if (order->reading) {
        image.reading = Representation{*order->reading};
        storage.resize(std::min<std::size_t>(file.size(), checked_end));
        const ByteView head = file.first(storage.size() - storage.size() % 4);
        read_as(head, *image.reading)->read(0, head.size(), storage);
        rom = ByteView(storage).first(head.size());
    }
    image.order = order->name;
    image.size = file.size();
    read_fields(rom, fields, image);
    Evidence evidence(image);
    evidence.add(true, 30, "the first word is the platform's");
    evidence.add(is_title(text_at(rom, title_at, title_length), true), 10, "the title can be read");
    evidence.add(!image.region.empty(), 4, "the region is a known one");
    state_checks(rom, image);
    evidence.add(image.checks[0].state == CheckState::right, 40, "the check words are right");
    if (image.evidence_bits < 34) return std::nullopt;
    if (file.size() % 4 != 0) image.warnings.emplace_back("the size is no multiple of four bytes");
    return image;
}

void mend_checksum(Mending& mending, std::string_view) {
    Bytes& rom = mending.rom;
    const std::string& named = mending.options.boot_code;
    const BootCode* const boot = named.empty() ? boot_code_of(rom) : boot_code_named(named);
    if (rom.size() < checked_end)
        throw Error(ErrorCode::unsupported, "the check words cannot be computed: they count 0x101000 bytes")
            .in("size")
            .found(counted(rom.size(), "byte", "bytes"))
            .hint("a console would read past its end; expand the ROM first");
    if (boot == nullptr)
        throw Error(ErrorCode::unsupported, "the check words depend on the boot code, which is of no known variant")
            .in("boot code")
            .hint("name the variant if you know it: 6101, 6102, 6103, 6105, 6106 or 7102");
    const CheckWords right = check_words(rom, *boot);
    set_hex(rom, words_at, right[0], 4, std::endian::big, "check word 1", mending.fields);
    set_hex(rom, words_at + 4, right[1], 4, std::endian::big, "check word 2", mending.fields);
}

constexpr std::array mends{
    MendRow{.name = "checksum", .turn = Turn::checks, .what = "the two check words", .run = mend_checksum}};

}  // namespace

const Platform nintendo_64{.name = "n64",
                           .title = "Nintendo 64 (N64)",
                           .extensions = ".z64",
                           .dump_extensions = ".n64 .v64",
                           .recognise = recognise,
                           .fields = fields,
                           .mends = mends,
                           .orders = orders,
                           .largest = [](const Identity&) -> std::uint64_t { return 64 << 20; },
                           .header = {0, header_end}};

}  // namespace hotstitch::cartridge
