// SPDX-License-Identifier: MIT
// Tested by tests/part/cartridge_test.cc.
#include "hotstitch/cartridge.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

#include "hotstitch/error.h"
#include "part/cartridge/platform.h"
#include "part/representation.h"
#include "source/whole.h"

namespace hotstitch {

using cartridge::platform_of;

namespace {

/// Bytes as the map counts them. Platforms with several byte orders have no map, so a view does.
ByteView rom_in(const Identity& image, ByteView file) {
    return file.subspan(image.reading ? static_cast<std::size_t>(image.reading->bytes) : 0);
}

std::optional<std::uint64_t> hex_number(std::string_view text) {
    std::uint64_t value = 0;
    const auto [end, failure] = std::from_chars(text.data(), text.data() + text.size(), value, 16);
    return failure == std::errc{} && end == text.data() + text.size() ? std::optional(value) : std::nullopt;
}

std::string_view without_mark(std::string_view text) {
    if (text.starts_with("0x") || text.starts_with("0X")) return text.substr(2);
    return text.starts_with("$") ? text.substr(1) : text;
}

[[noreturn]] void no_address(std::string_view text, std::string_view example) {
    throw Error(ErrorCode::usage, fmt::format("\"{}\" is no address", text))
        .wanted(fmt::format("an address such as {}, or +0x1234 for an offset in the file", example));
}

std::uint64_t offset_of(const Identity& image, ByteView rom, std::string_view text) {
    const cartridge::Platform& platform = platform_of(image);
    if (platform.map == nullptr)
        throw Error(ErrorCode::unsupported, fmt::format("the library knows no addresses of {} ROMs", platform.title))
            .hint("give an offset in the file: +0x1234");
    const std::size_t colon = text.find(':');
    const bool banked = colon != std::string_view::npos;
    auto bank = banked ? hex_number(without_mark(text.substr(0, colon))) : std::optional<std::uint64_t>(0);
    auto at = hex_number(without_mark(banked ? text.substr(colon + 1) : text));
    if (!bank || !at || *bank > 0xFFFF) no_address(text, platform.map->example);
    bool has_bank = banked;
    // Six digits without a colon are a bank and an address, where there are 24 bits of them.
    if (!banked && *at > 0xFFFF && *at <= 0xFFFFFF) bank = *at >> 16, at = *at & 0xFFFF, has_bank = true;
    const auto offset = platform.map->offset(rom, static_cast<unsigned>(*bank), *at, has_bank);
    if (!offset)
        throw Error(ErrorCode::usage, fmt::format("no ROM stands at {}", text))
            .wanted(fmt::format("an address such as {}, or +0x1234 for an offset in the file", platform.map->example));
    return *offset;
}

}  // namespace

bool cartridge::has_map(const Identity& image) {
    return platform_of(image).map != nullptr;
}

std::string cartridge::address_in(const Identity& image, ByteView file, std::uint64_t rom_offset) {
    const cartridge::MemoryMap* const map = platform_of(image).map;
    return map == nullptr ? std::string() : map->address(rom_in(image, file), rom_offset).value_or(std::string());
}

Place cartridge::place_at(const Identity& image, ByteView file, std::string_view text) {
    Place place;
    if (text.starts_with('+')) {
        const auto offset = hex_number(without_mark(text.substr(1)));
        if (!offset) no_address(text, has_map(image) ? platform_of(image).map->example : "+0x1234");
        if (*offset < image.front_header)
            throw Error(ErrorCode::usage, fmt::format("{} lies in the front header", text))
                .wanted(fmt::format("+{:#x} or more", image.front_header));
        place.rom_offset = *offset - image.front_header;
    } else {
        // The map of a platform whose front header belongs to the file wants all of it.
        place.rom_offset = offset_of(image, rom_in(image, file), text);
    }
    place.file_offset = place.rom_offset + image.front_header;
    if (place.file_offset >= file.size())
        throw Error(ErrorCode::usage, fmt::format("{} lies past the end of the ROM", text))
            .wanted(fmt::format("below {:#x} in the file", file.size()))
            .found(fmt::format("{:#x}", place.file_offset));
    place.address = address_in(image, file, place.rom_offset);
    return place;
}

std::vector<FreeRun> free_runs(const Identity& image, const ByteSource& source, std::uint64_t least) {
    const WholeView view(source);
    const ByteView file = view;
    const std::uint64_t bank = bank_size(image);
    Bytes in_order;
    ByteView rom = file.subspan(static_cast<std::size_t>(image.front_header));
    if (image.reading && image.reading->kind != RepresentationKind::without_front_header)
        rom = in_order = bytes_read(file, image.reading);
    std::vector<FreeRun> runs;
    for (std::size_t at = 0; at < rom.size();) {
        const std::uint64_t bank_end =
            bank == 0 ? rom.size() : std::min<std::uint64_t>((at / bank + 1) * bank, rom.size());
        const ByteView rest = rom.subspan(at, static_cast<std::size_t>(bank_end) - at);
        const std::size_t length = 1 + common_prefix(rest, rest.subspan(1));
        if (length >= least) runs.push_back({at, length, rom[at], bank == 0 ? 0 : at / bank});
        at += length;
    }
    return runs;
}

std::uint64_t bank_size(const Identity& image) {
    const cartridge::MemoryMap* const map = platform_of(image).map;
    return map == nullptr || map->bank_size == nullptr ? 0 : map->bank_size(image);
}

}  // namespace hotstitch
