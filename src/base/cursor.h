// SPDX-License-Identifier: MIT
// Reads fields from the front of a byte view. Every read is checked and names its field, so that an error
// says where the bytes ended and what should have stood there.
#pragma once

#include <fmt/format.h>

#include <string_view>

#include "hotstitch/bytes.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch {

class Cursor {
public:
    explicit Cursor(ByteView bytes, std::uint64_t at = 0) noexcept : bytes_(bytes), at_(at) {}

    std::uint64_t position() const noexcept { return at_; }
    std::uint64_t left() const noexcept { return bytes_.size() - at_; }
    ByteView rest() const noexcept { return bytes_.subspan(at_); }

    /// Throws Error(truncated) when fewer than `length` bytes are left.
    ByteView take(std::uint64_t length, std::string_view field) {
        if (length > left()) end_of_input(length, field);
        const ByteView taken = bytes_.subspan(at_, static_cast<std::size_t>(length));
        at_ += length;
        return taken;
    }

    /// A big-endian integer of `width` bytes, at most 8.
    std::uint64_t big_endian(std::size_t width, std::string_view field) {
        std::uint64_t value = 0;
        for (const std::byte b : take(width, field)) value = value << 8 | std::to_integer<std::uint64_t>(b);
        return value;
    }

    /// The same, little-endian.
    std::uint64_t little_endian(std::size_t width, std::string_view field) {
        std::uint64_t value = 0;
        const ByteView bytes = take(width, field);
        for (std::size_t i = width; i-- > 0;) value = value << 8 | std::to_integer<std::uint64_t>(bytes[i]);
        return value;
    }

private:
    [[noreturn]] void end_of_input(std::uint64_t length, std::string_view field) const {
        throw Error(ErrorCode::truncated, fmt::format("the patch ends inside its {}", field))
            .at(at_)
            .in(std::string(field))
            .wanted(counted(length, "byte", "bytes"))
            .found(counted(left(), "byte", "bytes"));
    }

    ByteView bytes_;
    std::uint64_t at_;
};

}  // namespace hotstitch
