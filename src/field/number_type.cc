// SPDX-License-Identifier: MIT
// Tested by tests/field/map_test.cc.
#include "field/number_type.h"

#include <fmt/format.h>

#include <bit>
#include <charconv>

namespace hotstitch {
namespace {

constexpr NumberType types[] = {{"u8", 1},
                                {"s8", 1, true},
                                {"u16", 2},
                                {"s16", 2, true},
                                {"u24", 3},
                                {"u32", 4},
                                {"s32", 4, true},
                                {"u64", 8},
                                {"s64", 8, true},
                                {"f32", 4, true, true},
                                {"f64", 8, true, true}};

}  // namespace

const NumberType* number_type(std::string_view name) noexcept {
    for (const NumberType& type : types)
        if (type.name == name) return &type;
    return nullptr;
}

std::string number_types() {
    std::string all;
    for (const NumberType& type : types) all += fmt::format("{}{}", all.empty() ? "" : ", ", type.name);
    return all;
}

WholeNumber NumberType::least() const noexcept {
    if (!has_sign) return {};
    return {true, std::uint64_t{1} << (8 * size - 1)};
}

WholeNumber NumberType::most() const noexcept {
    return {false, UINT64_MAX >> (64 - 8 * size + (has_sign ? 1 : 0))};
}

std::uint64_t raw_number(ByteView bytes, std::size_t size, ByteOrder order) noexcept {
    std::uint64_t raw = 0;
    for (std::size_t i = 0; i < size; ++i)
        raw = raw << 8 | std::to_integer<std::uint64_t>(bytes[order == ByteOrder::big ? i : size - 1 - i]);
    return raw;
}

void put_raw_number(MutableByteView bytes, std::size_t size, ByteOrder order, std::uint64_t raw) noexcept {
    for (std::size_t i = 0; i < size; ++i, raw >>= 8)
        bytes[order == ByteOrder::little ? i : size - 1 - i] = static_cast<std::byte>(raw & 0xFF);
}

WholeNumber whole_number(ByteView bytes, const NumberType& type, ByteOrder order) noexcept {
    const std::uint64_t raw = raw_number(bytes, type.size, order);
    if (!type.has_sign || (raw >> (8 * type.size - 1)) == 0) return {false, raw};
    const unsigned unused = 64 - 8 * type.size;
    return {true, 0 - static_cast<std::uint64_t>(static_cast<std::int64_t>(raw << unused) >> unused)};
}

void put_whole(MutableByteView bytes, const NumberType& type, ByteOrder order, const WholeNumber& value) noexcept {
    put_raw_number(bytes, type.size, order, value.negative ? 0 - value.magnitude : value.magnitude);
}

double real_number(ByteView bytes, const NumberType& type, ByteOrder order) noexcept {
    const std::uint64_t raw = raw_number(bytes, type.size, order);
    if (type.size == 8) return std::bit_cast<double>(raw);
    return static_cast<double>(std::bit_cast<float>(static_cast<std::uint32_t>(raw)));
}

void put_real(MutableByteView bytes, const NumberType& type, ByteOrder order, double value) noexcept {
    const std::uint64_t raw =
        type.size == 8 ? std::bit_cast<std::uint64_t>(value) : std::bit_cast<std::uint32_t>(static_cast<float>(value));
    put_raw_number(bytes, type.size, order, raw);
}

std::string text_of_real(double value, const NumberType& type) {
    return type.size == 8 ? fmt::format("{}", value) : fmt::format("{}", static_cast<float>(value));
}

std::optional<WholeNumber> whole_from(std::string_view text) noexcept {
    const bool negative = text.starts_with('-');
    if (negative || text.starts_with('+')) text.remove_prefix(1);
    const bool hex = text.starts_with("0x") || text.starts_with("0X");
    if (hex) text.remove_prefix(2);
    WholeNumber value;
    const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value.magnitude, hex ? 16 : 10);
    if (text.empty() || code != std::errc() || end != text.data() + text.size()) return std::nullopt;
    value.negative = negative && value.magnitude != 0;
    return value;
}

std::string WholeNumber::text() const {
    return fmt::format("{}{}", negative ? "-" : "", magnitude);
}

}  // namespace hotstitch
