// SPDX-License-Identifier: MIT
#include <stdexcept>

#include "hotstitch/digest.h"
#include "lib/reference.h"

namespace reference {
namespace {

using hotstitch::Bytes, hotstitch::ByteView;

constexpr std::uint64_t far_off = std::uint64_t{1} << 62;

/// Reads a UPS/BPS integer in 128 bits, so that nothing wraps; false where it ends early or passes 64 bits.
bool vlv(ByteView patch, std::size_t& at, std::uint64_t& out) {
    __uint128_t value = 0, scale = 1;
    while (at < patch.size()) {
        const auto byte = std::to_integer<unsigned>(patch[at++]);
        value += (byte & 0x7F) * scale;
        if (value >> 64 != 0) return false;
        if ((byte & 0x80) != 0) {
            out = static_cast<std::uint64_t>(value);
            return true;
        }
        scale *= 128;
        value += scale;
        if (scale >> 64 != 0 || value >> 64 != 0) return false;
    }
    return false;
}

/// Takes the footer off; nothing when the patch does not match its own CRC.
std::optional<ByteView> body_of(ByteView patch, std::size_t least) {
    if (patch.size() < least + 12) return std::nullopt;
    std::uint32_t crc = 0;
    for (int i = 0; i < 4; ++i)
        crc |= std::to_integer<std::uint32_t>(patch[patch.size() - 4 + static_cast<std::size_t>(i)]) << (8 * i);
    if (hotstitch::crc32(patch.first(patch.size() - 4)).value != crc) return std::nullopt;
    return patch.first(patch.size() - 12);
}

std::byte at_or_zero(ByteView bytes, std::uint64_t at) {
    return at < bytes.size() ? bytes[at] : std::byte{0};
}

}  // namespace

std::optional<Bytes> apply_ups(ByteView patch, ByteView source, std::uint64_t most) {
    const auto body = body_of(patch, 6);
    if (!body) return std::nullopt;
    std::size_t at = 4;
    std::uint64_t source_size = 0, target_size = 0;
    if (!vlv(*body, at, source_size) || !vlv(*body, at, target_size)) return std::nullopt;
    const std::uint64_t longest = std::max(source_size, target_size);
    const bool backwards = source.size() != source_size && source.size() == target_size;
    const std::uint64_t made_size = backwards ? source_size : target_size;
    Bytes target(std::min(made_size, most));
    for (std::size_t i = 0; i < target.size(); ++i) target[i] = at_or_zero(source, i);
    for (std::uint64_t position = 0; at < body->size();) {
        std::uint64_t skip = 0;
        if (!vlv(*body, at, skip) || position > longest || skip > longest - position) return std::nullopt;
        position += skip;
        while (true) {
            if (at == body->size()) return std::nullopt;
            const std::byte x = (*body)[at++];
            if (x == std::byte{0}) break;
            if (position >= longest) return std::nullopt;
            if (position < target.size()) target[position] ^= x;
            ++position;
        }
        ++position;
    }
    if (made_size > most) throw std::length_error("too large");
    return target;
}

std::optional<Bytes> apply_bps(ByteView patch, ByteView source, std::uint64_t most) {
    const auto body = body_of(patch, 7);
    if (!body) return std::nullopt;
    std::size_t at = 4;
    std::uint64_t source_size = 0, target_size = 0, metadata = 0;
    if (!vlv(*body, at, source_size) || !vlv(*body, at, target_size) || !vlv(*body, at, metadata)) return std::nullopt;
    if (metadata > body->size() - at) return std::nullopt;
    at += metadata;
    Bytes target;  // bytes past `most` are counted and not kept
    std::uint64_t made = 0;
    const auto push = [&](std::byte b) {
        if (made++ < most) target.push_back(b);
    };
    __int128_t source_at = 0, target_at = 0;
    while (at < body->size()) {
        std::uint64_t word = 0, move = 0;
        if (!vlv(*body, at, word)) return std::nullopt;
        const std::uint64_t length = (word >> 2) + 1;
        if (length > target_size - made) return std::nullopt;
        if ((word & 3) == 1) {
            if (length > body->size() - at) return std::nullopt;
            for (std::uint64_t i = 0; i < length; ++i) push((*body)[at++]);
            continue;
        }
        __int128_t from = made;
        const bool from_target = (word & 3) == 3;
        if ((word & 3) != 0) {
            if (!vlv(*body, at, move)) return std::nullopt;
            __int128_t& cursor = from_target ? target_at : source_at;
            cursor += (move & 1) != 0 ? -static_cast<__int128_t>(move >> 1) : static_cast<__int128_t>(move >> 1);
            from = cursor;
            cursor += length;
        }
        if (from < 0 || from >= (from_target ? static_cast<__int128_t>(made) : static_cast<__int128_t>(source_size)))
            return std::nullopt;
        if (!from_target && from + length > source_size) return std::nullopt;
        if (made + length > most) {
            made += length;  // too large to look at any closer; the size alone decides below
            continue;
        }
        for (std::uint64_t i = 0; i < length; ++i) {
            const auto place = static_cast<std::uint64_t>(from) + i;
            if (!from_target && place >= source.size()) throw std::out_of_range("the source is not the one");
            push(from_target ? Bytes::value_type(target[place]) : source[place]);
        }
    }
    if (made != target_size) return std::nullopt;
    if (made > most || target_size > most || made > far_off) throw std::length_error("too large");
    return target;
}

std::optional<Bytes> apply(ByteView patch, ByteView source, std::uint64_t most) {
    const std::string_view text = hotstitch::text_of(patch);
    if (text.starts_with("UPS1")) return apply_ups(patch, source, most);
    if (text.starts_with("BPS1")) return apply_bps(patch, source, most);
    if (text.starts_with("\xD6\xC3\xC4")) return apply_vcdiff(patch, source, most);
    return apply_ips(patch, source, most);
}

Verdict judge(ByteView patch, ByteView source, std::uint64_t most, Bytes& target) {
    try {
        auto made = apply(patch, source, most);
        if (!made) return Verdict::refused;
        target = std::move(*made);
        return Verdict::made;
    } catch (const std::length_error&) {
        return Verdict::too_large;
    } catch (const std::out_of_range&) {
        return Verdict::wrong_source;
    }
}

}  // namespace reference
