// SPDX-License-Identifier: MIT
// Numbers as files hold them: of 1 to 8 bytes, with or without a sign, in either byte order.
#pragma once

#include <compare>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "hotstitch/bytes.h"
#include "hotstitch/fields.h"

namespace hotstitch {

enum class ByteOrder : std::uint8_t { little, big };

struct NumberType {
    std::string_view name;  ///< "u16"
    std::uint8_t size = 0;  ///< bytes
    bool has_sign = false, real = false;
    WholeNumber least() const noexcept;
    WholeNumber most() const noexcept;
};

/// Null: there is no such type.
const NumberType* number_type(std::string_view name) noexcept;
/// "u8, s8, u16 …"
std::string number_types();

/// REQUIRES in all: the bytes hold it.
std::uint64_t raw_number(ByteView bytes, std::size_t size, ByteOrder order) noexcept;
void put_raw_number(MutableByteView bytes, std::size_t size, ByteOrder order, std::uint64_t raw) noexcept;
WholeNumber whole_number(ByteView bytes, const NumberType& type, ByteOrder order) noexcept;
double real_number(ByteView bytes, const NumberType& type, ByteOrder order) noexcept;
void put_whole(MutableByteView bytes, const NumberType& type, ByteOrder order, const WholeNumber& value) noexcept;
void put_real(MutableByteView bytes, const NumberType& type, ByteOrder order, double value) noexcept;
/// The shortest text that reads back as the same number of this type.
std::string text_of_real(double value, const NumberType& type);

/// Decimal or, after 0x, hexadecimal digits, perhaps behind a sign. Nothing: it is no number.
std::optional<WholeNumber> whole_from(std::string_view text) noexcept;

}  // namespace hotstitch
