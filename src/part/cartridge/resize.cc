// SPDX-License-Identifier: MIT
// Tested by tests/mend_test.cc.
#include "part/cartridge/resize.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <charconv>

#include "hotstitch/error.h"
#include "part/cartridge/fields.h"

namespace hotstitch::cartridge {
namespace {

/// Sizes stay multiples of this, so that no copy looks as if it had a front header.
constexpr std::uint64_t granule = 1024;
/// A shorter run at the end may well be data.
constexpr std::uint64_t telling_run = 16;

std::string bytes_text(std::uint64_t n) {
    if (n % (1 << 20) == 0) return fmt::format("{} MiB", n >> 20);
    return n % 1024 == 0 ? fmt::format("{} KiB", n >> 10) : fmt::format("{} bytes", n);
}

/// "4M", "512K", "1048576".
std::uint64_t parsed_size(std::string_view text) {
    std::uint64_t number = 0;
    const auto [end, failure] = std::from_chars(text.data(), text.data() + text.size(), number);
    const std::string_view unit(end, static_cast<std::size_t>(text.data() + text.size() - end));
    const int shift = unit.empty() ? 0 : unit == "K" || unit == "KiB" ? 10 : unit == "M" || unit == "MiB" ? 20 : -1;
    if (failure != std::errc{} || shift < 0 || number == 0 || number > UINT64_MAX >> (shift + 1))
        throw Error(ErrorCode::usage, fmt::format("\"{}\" is no size", text)).wanted("bytes, or with K or M: 512K, 4M");
    return number << shift;
}

/// Where the run of one byte, 00 or FF, at the end begins.
std::uint64_t end_of_data(ByteView rom) {
    const std::byte last = rom.empty() ? std::byte{1} : rom.back();
    if (last != std::byte{0} && last != std::byte{0xFF}) return rom.size();
    std::size_t end = rom.size();
    while (end != 0 && rom[end - 1] == last) --end;
    return end;
}

std::byte fill_of(ByteView rom) {
    return rom.size() - end_of_data(rom) >= telling_run ? rom.back() : std::byte{0xFF};
}

/// What the header says is used must not go, even where it is all of one byte.
std::uint64_t least_size(ByteView rom, const Cartridge& image) {
    const std::uint64_t used = image.used_size.value_or(0);
    return std::max(end_of_data(rom), used <= rom.size() ? used : 0);
}

std::uint64_t trimmed_size(ByteView rom, const Cartridge& image, std::string_view value) {
    const std::uint64_t least = least_size(rom, image);
    if (value.empty()) return std::min<std::uint64_t>((least + granule - 1) / granule * granule, rom.size());
    const std::uint64_t wanted = parsed_size(value);
    if (wanted > rom.size())
        throw Error(ErrorCode::usage, "trim makes no file larger")
            .wanted(bytes_text(wanted))
            .found(bytes_text(rom.size()));
    if (wanted < least)
        throw Error(ErrorCode::usage, "that would cut data off")
            .wanted(fmt::format("at least {}", bytes_text(least)))
            .found(bytes_text(wanted));
    return wanted;
}

std::uint64_t padded_size(const Cartridge& image, std::uint64_t size, std::string_view value) {
    if (value.empty()) return image.declared_size.value_or(0) >= size ? *image.declared_size : std::bit_ceil(size);
    const std::uint64_t wanted = parsed_size(value);
    if (wanted < size)
        throw Error(ErrorCode::usage, "the file is larger already; trim makes it smaller")
            .wanted(bytes_text(wanted))
            .found(bytes_text(size));
    return wanted;
}

void check_largest(const Cartridge& image, std::uint64_t size, const MendOptions& options) {
    const Platform& platform = platform_of(image);
    if (platform.largest != nullptr && size > platform.largest(image))
        throw Error(ErrorCode::usage,
                    fmt::format("a {} ROM{} cannot be so large", platform.title,
                                image.mapping.empty() ? "" : fmt::format(" of mapping {}", image.mapping)))
            .wanted(fmt::format("at most {}", bytes_text(platform.largest(image))))
            .found(bytes_text(size));
    const std::uint64_t most = options.limits.output_for(image.size, 0);
    if (size > most)
        throw Error(ErrorCode::limit, "the size is larger than is allowed")
            .wanted(fmt::format("at most {}", bytes_text(most)))
            .found(bytes_text(size));
}

}  // namespace

bool is_resize(std::string_view name) noexcept {
    return name == "expand" || name == "trim" || name == "pad";
}

std::string_view value_of_resize(std::string_view name) noexcept {
    return name == "expand" ? "the new size: 2M, 512K …" : "";
}

std::string_view words_of_resize(std::string_view name) noexcept {
    if (name == "expand") return "more room at the end";
    return name == "trim" ? "the run of 00 or FF at the end cut off" : "filled up to the size that the header states";
}

void resize(Bytes& rom, const Cartridge& image, std::string_view name, std::string_view value, Mending& mending) {
    const Platform& platform = platform_of(image);
    if (!platform.fixed_size.empty())
        throw Error(ErrorCode::unsupported, fmt::format("the size of a {} file cannot be mended", platform.title))
            .hint(std::string(platform.fixed_size));
    const std::uint64_t before = rom.size();
    const std::byte fill = fill_of(rom);
    const std::uint64_t size = name == "trim" ? trimmed_size(rom, image, value) : padded_size(image, before, value);
    if (size > before) check_largest(image, size, mending.options);
    rom.resize(static_cast<std::size_t>(size), fill);
    mending.fields.push_back({"size", bytes_text(before), bytes_text(size)});
    if (size > before) mending.fields.push_back({"filled with", "-", hex_text(std::to_integer<unsigned>(fill), 2)});
}

}  // namespace hotstitch::cartridge
