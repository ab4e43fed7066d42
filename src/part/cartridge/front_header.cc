// SPDX-License-Identifier: MIT
// Tested by tests/cartridge_test.cc.
#include "hotstitch/cartridge.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>

#include "hotstitch/error.h"
#include "part/cartridge/nes_header.h"
#include "part/cartridge/platform.h"

namespace hotstitch {
namespace {

constexpr std::uint64_t copier = 512;

std::uint64_t number_in(std::string_view key, std::string_view text, std::uint64_t most) {
    std::uint64_t value = 0;
    const auto [end, failure] = std::from_chars(text.data(), text.data() + text.size(), value);
    const std::string_view unit(end, static_cast<std::size_t>(text.data() + text.size() - end));
    const int shift = unit.empty() ? 0 : unit == "K" ? 10 : unit == "M" ? 20 : -1;
    if (failure != std::errc{} || shift < 0 || value > most >> shift)
        throw Error(ErrorCode::usage, fmt::format("the NES header cannot have {}={}", key, text))
            .wanted(fmt::format("a number up to {}", most));
    return value << shift;
}

/// A size as the new layout writes it: units up to EFF, or else 2^E * (2M+1) bytes.
unsigned size_code(std::uint64_t bytes, std::uint64_t unit, std::string_view key) {
    if (bytes % unit == 0 && bytes / unit < 0xF00) return static_cast<unsigned>(bytes / unit);
    for (unsigned multiplier = 0; multiplier < 4; ++multiplier)
        for (unsigned exponent = 0; exponent < 60; ++exponent)
            if ((std::uint64_t{1} << exponent) * (2 * multiplier + 1) == bytes)
                return 0xF00 | exponent << 2 | multiplier;
    throw Error(ErrorCode::usage, fmt::format("a NES header cannot say {}={}", key, bytes))
        .wanted(fmt::format("a multiple of {} bytes", unit));
}

cartridge::NesHeader parsed(std::string_view description) {
    constexpr std::uint64_t most_size = std::uint64_t{1} << 32;
    cartridge::NesHeader h;
    bool has_prg = false;
    while (!description.empty()) {
        const std::size_t end = std::min(description.find(','), description.size());
        const std::string_view item = description.substr(0, end);
        description.remove_prefix(std::min(end + 1, description.size()));
        const std::size_t equals = std::min(item.find('='), item.size());
        const std::string_view key = item.substr(0, equals), value = item.substr(std::min(equals + 1, item.size()));
        const auto wrong = [&](const char* known) {
            throw Error(ErrorCode::usage, fmt::format("a NES header knows no \"{}\"", item)).wanted(known);
        };
        if (key == "prg")
            h.prg = number_in(key, value, most_size), has_prg = true;
        else if (key == "chr")
            h.chr = number_in(key, value, most_size);
        else if (key == "mapper")
            h.mapper = static_cast<unsigned>(number_in(key, value, 4095));
        else if (key == "submapper")
            h.submapper = static_cast<unsigned>(number_in(key, value, 15)), h.new_layout = true;
        else if (item == "battery")
            h.battery = true;
        else if (item == "trainer")
            h.trainer = true;
        else if (key == "mirroring" && value == "vertical")
            h.vertical = true;
        else if (key == "mirroring" && value == "four")
            h.four_screen = true;
        else if (key == "mirroring" && value != "horizontal")
            wrong("mirroring=horizontal, vertical or four");
        else if (key == "timing" && value == "ntsc")
            h.timing = 0, h.new_layout = true;
        else if (key == "timing" && value == "pal")
            h.timing = 1, h.new_layout = true;
        else if (key == "timing" && value == "both")
            h.timing = 2, h.new_layout = true;
        else if (key != "mirroring")
            wrong("prg, chr, mapper, submapper, mirroring, timing, battery, trainer");
    }
    if (!has_prg || h.prg == 0)
        throw Error(ErrorCode::usage, "a NES header needs prg=SIZE").wanted("for example prg=128K,chr=8K,mapper=0");
    return h;
}

}  // namespace

FrontHeader front_header_of(const ByteSource& file) {
    FrontHeader header;
    const std::optional<Cartridge> image = recognise_cartridge(file);
    if (image) {
        header.size = image->front_header;
        header.platform = image->platform_title;
        header.reasons = image->evidence;
        header.sure = image->certainty == Certainty::certain && image->also_like.empty();
        return header;
    }
    if (file.size() > copier && file.size() % 1024 == copier) {
        header.size = copier;
        header.reasons = {"its size leaves 512 bytes over", "nothing behind them is a known platform's image"};
    }
    return header;
}

Bytes nes_front_header(std::string_view description) {
    cartridge::NesHeader h = parsed(description);
    const unsigned prg = size_code(h.prg, 16 << 10, "prg"), chr = size_code(h.chr, 8 << 10, "chr");
    h.new_layout = h.new_layout || h.mapper > 255 || prg > 255 || chr > 255;
    std::array<unsigned, 16> b{'N', 'E', 'S', 0x1A, prg & 0xFF, chr & 0xFF};
    b[6] = (h.mapper & 0xF) << 4 | (h.four_screen ? 8U : 0) | (h.trainer ? 4U : 0) | (h.battery ? 2U : 0) |
           (h.vertical ? 1U : 0);
    b[7] = (h.mapper & 0xF0) | (h.new_layout ? 8U : 0);
    if (h.new_layout) {
        b[8] = h.submapper << 4 | h.mapper >> 8;
        b[9] = (chr >> 8) << 4 | prg >> 8;
        b[12] = h.timing;
    }
    Bytes bytes;
    for (const unsigned value : b) bytes.push_back(static_cast<std::byte>(value));
    return bytes;
}

bool has_copier_headers(std::string_view platform) noexcept {
    const auto all = cartridge::platforms();
    return std::any_of(all.begin(), all.end(),
                       [&](const cartridge::Platform* p) { return p->name == platform && p->copier_header; });
}

Bytes copier_front_header(std::string_view platform) {
    if (!has_copier_headers(platform))
        throw Error(ErrorCode::usage, "copiers left no headers on this platform").found(std::string(platform));
    return Bytes(copier);
}

}  // namespace hotstitch
