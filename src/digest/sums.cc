// SPDX-License-Identifier: MIT
// Plain sums and the CRC-16 of cartridge headers. Tested by tests/part/image_test.cc and tests/part/executable_test.cc.
#include "digest/sums.h"

#include <bit>
#include <cstring>
#include <utility>

namespace hotstitch {
namespace {

/// The sums of the bytes at even and at odd offsets.
struct Sums {
    std::uint64_t even = 0, odd = 0;
};

Sums sums_of(ByteView bytes) noexcept {
    // Eight at a time, in four lanes of 16 bits, emptied before they can overflow.
    constexpr std::uint64_t lanes = 0x00FF00FF00FF00FF, ones = 0x0001000100010001;
    constexpr std::size_t word = 8, words_between = 64;
    Sums sums;
    while (bytes.size() >= word * words_between) {
        std::uint64_t low = 0, high = 0;
        for (std::size_t i = 0; i < words_between; ++i) {
            std::uint64_t eight;
            std::memcpy(&eight, bytes.data() + word * i, word);
            low += eight & lanes;
            high += eight >> 8 & lanes;
        }
        if constexpr (std::endian::native == std::endian::big) std::swap(low, high);
        sums.even += low * ones >> 48;
        sums.odd += high * ones >> 48;
        bytes = bytes.subspan(word * words_between);
    }
    for (std::size_t i = 0; i < bytes.size(); ++i)
        (i % 2 == 0 ? sums.even : sums.odd) += std::to_integer<unsigned>(bytes[i]);
    return sums;
}

}  // namespace

std::uint64_t sum_of_bytes(ByteView bytes) noexcept {
    const Sums sums = sums_of(bytes);
    return sums.even + sums.odd;
}

std::uint64_t sum_of_words(ByteView bytes) noexcept {
    const Sums sums = sums_of(bytes);
    return (sums.even << 8) + sums.odd;
}

std::uint64_t sum_of_little_words(ByteView bytes) noexcept {
    const Sums sums = sums_of(bytes);
    return sums.even + (sums.odd << 8);
}

std::uint32_t xor_of_words(ByteView bytes) noexcept {
    std::uint64_t both = 0;
    for (; bytes.size() >= 8; bytes = bytes.subspan(8)) {
        std::uint64_t eight;
        std::memcpy(&eight, bytes.data(), 8);
        both ^= eight;
    }
    auto folded = static_cast<std::uint32_t>(both ^ both >> 32);
    if (bytes.size() >= 4) {
        std::uint32_t four;
        std::memcpy(&four, bytes.data(), 4);
        folded ^= four;
    }
    if constexpr (std::endian::native == std::endian::big) folded = __builtin_bswap32(folded);
    return folded;
}

std::uint16_t crc16_ccitt(ByteView bytes, std::uint16_t before) noexcept {
    unsigned crc = before;
    for (const std::byte b : bytes) {
        crc ^= std::to_integer<unsigned>(b) << 8;
        for (int bit = 0; bit < 8; ++bit) crc = ((crc & 0x8000) != 0 ? crc << 1 ^ 0x1021 : crc << 1) & 0xFFFF;
    }
    return static_cast<std::uint16_t>(crc);
}

std::uint16_t crc16(ByteView bytes, std::uint16_t before) noexcept {
    unsigned crc = before;
    for (const std::byte b : bytes) {
        crc ^= std::to_integer<unsigned>(b);
        for (int bit = 0; bit < 8; ++bit) crc = (crc & 1) != 0 ? crc >> 1 ^ 0xA001 : crc >> 1;
    }
    return static_cast<std::uint16_t>(crc);
}

}  // namespace hotstitch
