// SPDX-License-Identifier: MIT
#include "lib/patch_makers.h"

#include <algorithm>

#include "hotstitch/digest.h"

namespace makers {

Bytes bytes(std::string_view text) {
    const ByteView view = hotstitch::bytes_of(text);
    return {view.begin(), view.end()};
}

std::string big_endian(std::uint64_t value, std::size_t width) {
    std::string out;
    for (std::size_t i = width; i-- > 0;) out += static_cast<char>(value >> (8 * i));
    return out;
}

std::string ips_record(std::uint64_t offset, std::string_view data, std::size_t offset_width) {
    return big_endian(offset, offset_width) + big_endian(data.size(), 2) + std::string(data);
}

std::string ips_run(std::uint64_t offset, std::uint64_t length, char value, std::size_t offset_width) {
    return big_endian(offset, offset_width) + big_endian(0, 2) + big_endian(length, 2) + value;
}

std::string vlv(std::uint64_t value) {
    std::string out;
    while (true) {
        const auto low = static_cast<char>(value & 0x7F);
        value >>= 7;
        if (value == 0) return out + static_cast<char>(low | 0x80);
        out += low;
        --value;
    }
}

Bytes with_footer(std::string_view body, ByteView source, ByteView target) {
    Bytes patch = bytes(body);
    const auto put = [&](hotstitch::Crc32 crc) {
        for (int i = 0; i < 4; ++i) patch.push_back(static_cast<std::byte>(crc.value >> (8 * i)));
    };
    put(hotstitch::crc32(source));
    put(hotstitch::crc32(target));
    put(hotstitch::crc32(patch));
    return patch;
}

void put_crcs_right(Bytes& patch, ByteView source) {
    if (patch.size() < 16) return;
    const Bytes target_crc(patch.end() - 8, patch.end() - 4);
    patch.resize(patch.size() - 12);
    patch = with_footer(hotstitch::text_of(patch), source, {});
    std::copy(target_crc.begin(), target_crc.end(), patch.end() - 8);
    patch.resize(patch.size() - 4);
    const std::uint32_t crc = hotstitch::crc32(patch).value;
    for (int i = 0; i < 4; ++i) patch.push_back(static_cast<std::byte>(crc >> (8 * i)));
}

std::string bps_action(unsigned kind, std::uint64_t length) {
    return vlv((length - 1) << 2 | kind);
}
std::string bps_move(std::int64_t distance) {
    return vlv(static_cast<std::uint64_t>(distance < 0 ? -distance : distance) << 1 | (distance < 0 ? 1U : 0U));
}

std::uint64_t below(Random& random, std::uint64_t bound) {
    return random() % bound;
}

Bytes file_like(Random& random, std::size_t size) {
    Bytes out;
    while (out.size() < size) {
        const std::size_t length = std::min<std::size_t>(1 + below(random, 1 << below(random, 9)), size - out.size());
        const std::uint64_t kind = below(random, 3);
        if (kind == 0) {
            out.insert(out.end(), length, static_cast<std::byte>(below(random, 4)));
        } else if (kind == 1 && !out.empty()) {
            const std::size_t from = below(random, out.size());
            for (std::size_t i = 0; i < length; ++i) out.push_back(Bytes::value_type(out[from + i]));
        } else {
            for (std::size_t i = 0; i < length; ++i) out.push_back(static_cast<std::byte>(random()));
        }
    }
    return out;
}

Bytes modified(Random& random, ByteView source) {
    Bytes out(source.begin(), source.end());
    if (below(random, 4) == 0) out.resize(below(random, 2 * source.size() + 2));
    if (out.empty()) return out;
    for (std::uint64_t edits = below(random, 12); edits != 0; --edits) {
        const std::size_t at = below(random, out.size());
        const std::size_t length = std::min<std::size_t>(1 + below(random, 1 << below(random, 8)), out.size() - at);
        const bool fill = below(random, 3) == 0;
        const auto value = static_cast<std::byte>(below(random, 3));
        for (std::size_t i = at; i < at + length; ++i)
            if (fill || below(random, 3) != 0) out[i] = fill ? value : static_cast<std::byte>(random());
    }
    return out;
}

Bytes random_ips(Random& random) {
    const bool wide = below(random, 2) == 0;
    const std::size_t width = wide ? 4 : 3;
    std::string out = wide ? "IPS32" : "PATCH";
    std::uint64_t at = 0;
    for (std::uint64_t records = below(random, 8); records != 0; --records) {
        at = below(random, 4) == 0 ? below(random, 700) : at + below(random, 60);
        const std::uint64_t length = 1 + below(random, 40);
        if (below(random, 3) == 0) {
            out += ips_run(at, length, static_cast<char>(random()), width);
        } else {
            const Bytes data = file_like(random, length);
            out += ips_record(at, hotstitch::text_of(data), width);
        }
        at += length;
    }
    out += wide ? "EEOF" : "EOF";
    if (below(random, 3) == 0) out += big_endian(below(random, 500), wide && below(random, 2) == 0 ? 4 : 3);
    if (below(random, 4) == 0) out += R"({"name":"Night Tides","tags":["EOF",1]})";
    return bytes(out);
}

Bytes damaged(Random& random, ByteView patch, ByteView other) {
    Bytes out(patch.begin(), patch.end());
    switch (below(random, 4)) {
        case 0:
            for (std::uint64_t flips = 1 + below(random, 4); flips != 0; --flips)
                out[below(random, out.size())] ^= static_cast<std::byte>(1U << below(random, 8));
            break;
        case 1: out.resize(below(random, out.size())); break;
        case 2:
            out.insert(out.end(), other.begin() + static_cast<std::ptrdiff_t>(below(random, other.size())),
                       other.end());
            break;
        default: {
            const auto from = static_cast<std::ptrdiff_t>(below(random, out.size()));
            out.erase(out.begin() + from,
                      out.begin() + from +
                          std::min<std::ptrdiff_t>(static_cast<std::ptrdiff_t>(1 + below(random, 5)),
                                                   std::ssize(out) - from));
        }
    }
    return out;
}

}  // namespace makers
