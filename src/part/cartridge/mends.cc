// SPDX-License-Identifier: MIT
// Mends that any platform may have: byte order, interleaving, size. Tested by tests/part/mend_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <bit>
#include <charconv>

#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/cartridge/platform.h"

namespace hotstitch {
namespace cartridge {
namespace {

const DumpOrder* find_order(const Platform& platform, std::string_view name) {
    for (const DumpOrder& order : platform.orders)
        if (order.name == name) return &order;
    return nullptr;
}

void change_order(Mending& mending, std::string_view value) {
    const Platform& platform = platform_of(mending.identity);
    const DumpOrder* const wanted = value.empty() ? &platform.orders.front() : find_order(platform, value);
    if (wanted == nullptr) {
        std::string known;
        for (const DumpOrder& order : platform.orders)
            known += fmt::format("{}{}", known.empty() ? "" : ", ", order.name);
        throw Error(ErrorCode::usage, fmt::format("this platform knows no byte order \"{}\"", value)).wanted(known);
    }
    const auto present = std::find_if(platform.orders.begin(), platform.orders.end(),
                                      [&](const DumpOrder& order) { return order.reading == mending.order; });
    mending.fields.push_back({"byte-order", std::string(present->name), std::string(wanted->name)});
    mending.order = wanted->reading;
}

void put_in_order(Mending& mending, std::string_view) {
    const bool interleaved = mending.order == RepresentationKind::de_interleaved;
    mending.fields.push_back(
        {"order", interleaved ? "interleaved" : "as the console reads it", "as the console reads it"});
    if (!interleaved) return;
    if (!mending.front.empty())
        mending.warnings.push_back(
            fmt::format("the front header of {} tells how the dump is interleaved, so it goes too",
                        counted(mending.front.size(), "byte", "bytes")));
    mending.order.reset();
    mending.front.clear();
}

/// Sizes stay multiples of this, so that no copy looks as if it had a front header.
constexpr std::uint64_t granule = 1024;
/// A shorter run at the end may well be data.
constexpr std::uint64_t telling_run = 16;

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
std::uint64_t least_size(ByteView rom, const Identity& image) {
    const std::uint64_t used = image.used_size.value_or(0);
    return std::max(end_of_data(rom), used <= rom.size() ? used : 0);
}

/// What the internal checks are of must not go either: they stay right, or nobody knows.
bool may_end_at(ByteView rom, const Identity& image, std::uint64_t size) {
    if (size >= rom.size()) return false;
    const auto cut = recognise_cartridge(rom.first(static_cast<std::size_t>(size)));
    return cut && cut->platform == image.platform && (all_checks_right(*cut) || image.checks.empty());
}

std::uint64_t trimmed_size(ByteView rom, const Identity& image, std::string_view value) {
    const std::uint64_t least = least_size(rom, image);
    if (value.empty()) {
        const std::uint64_t to_data = (least + granule - 1) / granule * granule,
                            to_stated = image.declared_size.value_or(0);
        if (may_end_at(rom, image, to_data)) return to_data;
        return to_stated >= least && to_stated < rom.size() ? to_stated : rom.size();
    }
    const std::uint64_t wanted = parsed_size(value);
    if (wanted > rom.size())
        throw Error(ErrorCode::usage, "trim makes no file larger")
            .wanted(exact_size(wanted))
            .found(exact_size(rom.size()));
    if (wanted < least)
        throw Error(ErrorCode::usage, "that would cut data off")
            .wanted(fmt::format("at least {}", exact_size(least)))
            .found(exact_size(wanted));
    return wanted;
}

std::uint64_t padded_size(ByteView rom, const Identity& image, std::string_view value) {
    const std::uint64_t size = rom.size();
    if (value.empty()) return image.declared_size.value_or(0) >= size ? *image.declared_size : std::bit_ceil(size);
    const std::uint64_t wanted = parsed_size(value);
    if (wanted < size)
        throw Error(ErrorCode::usage, "the file is larger already; trim makes it smaller")
            .wanted(exact_size(wanted))
            .found(exact_size(size));
    return wanted;
}

void check_largest(const Identity& image, std::uint64_t size, const MendOptions& options) {
    const Platform& platform = platform_of(image);
    if (platform.largest != nullptr && size > platform.largest(image))
        throw Error(ErrorCode::usage,
                    fmt::format("a {} ROM{} cannot be so large", platform.title,
                                image.mapping.empty() ? "" : fmt::format(" of mapping {}", image.mapping)))
            .wanted(fmt::format("at most {}", exact_size(platform.largest(image))))
            .found(exact_size(size));
    const std::uint64_t most = options.limits.output_for(image.size, 0);
    if (size > most)
        throw Error(ErrorCode::limit, "the size is larger than is allowed")
            .wanted(fmt::format("at most {}", exact_size(most)))
            .found(exact_size(size));
}

/// Never cuts data. Whatever the size, it stays a ROM of its platform: the mends after it rely on that.
void resize(Mending& mending, std::uint64_t (*new_size)(ByteView, const Identity&, std::string_view),
            std::string_view value) {
    const Platform& platform = platform_of(mending.identity);
    if (!platform.fixed_size.empty())
        throw Error(ErrorCode::unsupported, fmt::format("the size of a {} file cannot be mended", platform.title))
            .hint(std::string(platform.fixed_size));
    Bytes& rom = mending.rom;
    const std::uint64_t before = rom.size(), size = new_size(rom, mending.identity, value);
    const std::byte fill = fill_of(rom);
    if (size > before) check_largest(mending.identity, size, mending.options);
    rom.resize(static_cast<std::size_t>(size), fill);
    mending.fields.push_back({"size", exact_size(before), exact_size(size)});
    if (size > before) mending.fields.push_back({"filled with", "-", hex_text(std::to_integer<unsigned>(fill), 2)});
    const auto after = recognise_cartridge(rom);
    if (!after || after->platform != platform.name || after->internal_header != mending.identity.internal_header)
        throw Error(ErrorCode::usage, fmt::format("of that size it would be no {} ROM any more", platform.title))
            .found(mending.fields.front().after);
}

void grow(Mending& mending, std::string_view value) {
    resize(mending, padded_size, value);
}
void trim(Mending& mending, std::string_view value) {
    resize(mending, trimmed_size, value);
}

using Value = MendRow::Value;
constexpr MendRow byte_order{"byte-order", Turn::order, Value::optional, "", "the byte order, to big-endian",
                             change_order};
constexpr MendRow de_interleave{"de-interleave", Turn::order, Value::none, "", "an interleaved dump put in order",
                                put_in_order};
constexpr std::array sizes{
    MendRow{"expand", Turn::size, Value::needed, "the new size: 2M, 512K …", "more room at the end", grow},
    MendRow{"trim", Turn::size, Value::optional, "", "the run of 00 or FF at the end cut off", trim},
    MendRow{"pad", Turn::size, Value::optional, "", "filled up to the size that the header states", grow}};

MendRow row_of(const HeaderField& field) {
    const bool is_size = field.kind == HeaderField::Kind::size;
    return {.name = field.name(),
            .takes = is_size ? Value::none : Value::needed,
            .value = field.value,
            .what = field.what,
            .field = &field};
}

}  // namespace
}  // namespace cartridge

std::vector<MendRow> mends_of_cartridge(const Identity& identity) {
    const cartridge::Platform& platform = cartridge::platform_of(identity);
    std::vector<MendRow> rows;
    if (!platform.orders.empty()) rows.push_back(cartridge::byte_order);
    if (platform.interleaves) rows.push_back(cartridge::de_interleave);
    if (platform.fixed_size.empty()) rows.insert(rows.end(), cartridge::sizes.begin(), cartridge::sizes.end());
    for (const HeaderField& field : platform.fields)
        if (!field.what.empty()) rows.push_back(cartridge::row_of(field));
    rows.insert(rows.end(), platform.mends.begin(), platform.mends.end());
    return rows;
}

}  // namespace hotstitch
