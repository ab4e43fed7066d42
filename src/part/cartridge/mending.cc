// SPDX-License-Identifier: MIT
// What the platforms' mends are made of: fields that are written and noted.
#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/error.h"
#include "part/cartridge/fields.h"
#include "part/cartridge/platform.h"

namespace hotstitch::cartridge {
namespace {

/// Typed text as bytes of the platform: ASCII or, for `kana`, half-width katakana as JIS X 0201.
std::string encoded(std::string_view text, bool kana) {
    std::string out;
    for (std::size_t i = 0; i < text.size(); ++i) {
        if (is_printable(text[i])) {
            out += text[i];
            continue;
        }
        const auto at = [&](std::size_t k) {
            return static_cast<unsigned char>(i + k < text.size() ? text[i + k] : 0);
        };
        const unsigned point = (at(0) & 0x0FU) << 12 | (at(1) & 0x3FU) << 6 | (at(2) & 0x3FU);
        const bool three_bytes = (at(0) & 0xF0) == 0xE0 && (at(1) & 0xC0) == 0x80 && (at(2) & 0xC0) == 0x80;
        if (!kana || !three_bytes || point < 0xFF61 || point > 0xFF9F)
            throw Error(ErrorCode::usage, "the title has characters that this platform's header cannot hold")
                .wanted(kana ? "printable ASCII or half-width katakana" : "printable ASCII")
                .found(std::string(text));
        out += static_cast<char>(point - 0xFF61 + 0xA1);
        i += 2;
    }
    return out;
}

}  // namespace

void set_field(Bytes& image, std::size_t at, ByteView value, std::string_view name, std::string before,
               std::string after, Mending& mending) {
    std::copy(value.begin(), value.end(), image.begin() + static_cast<std::ptrdiff_t>(at));
    mending.fields.push_back({std::string(name), std::move(before), std::move(after)});
}

void set_hex(Bytes& image, std::size_t at, std::uint32_t value, int bytes, std::endian order, std::string_view name,
             Mending& mending) {
    Bytes field;
    std::uint32_t before = 0;
    for (int i = 0; i < bytes; ++i) {
        const int shift = 8 * (order == std::endian::little ? i : bytes - 1 - i);
        field.push_back(static_cast<std::byte>(value >> shift));
        before |= u8(image, at + static_cast<std::size_t>(i)) << shift;
    }
    set_field(image, at, field, name, hex_text(before, 2 * bytes), hex_text(value, 2 * bytes), mending);
}

void set_region(Bytes& image, std::size_t at, std::span<const Region> regions, bool letters, std::string_view value,
                Mending& mending) {
    const unsigned code = code_of(regions, value, letters), before = u8(image, at);
    const auto words = [&](unsigned c) {
        const std::string_view word = word_of(regions, c);
        const std::string shown = letters && is_printable(static_cast<char>(c)) ? std::string(1, static_cast<char>(c))
                                                                                : fmt::format("{:02x}", c);
        return fmt::format("{} ({})", word.empty() ? "unknown" : word, shown);
    };
    const std::byte field[] = {static_cast<std::byte>(code)};
    set_field(image, at, field, "region", words(before), words(code), mending);
}

void set_title(Bytes& image, std::size_t at, std::size_t length, char fill, bool kana, std::string_view value,
               Mending& mending) {
    std::string title = encoded(value, kana);
    if (title.find_first_not_of(' ') == std::string::npos) throw Error(ErrorCode::usage, "the title is empty");
    if (title.size() > length)
        throw Error(ErrorCode::usage, "the title is too long for this platform's header")
            .wanted(fmt::format("up to {} characters", length))
            .found(fmt::format("{}", title.size()));
    title.resize(length, fill);
    const std::string before = readable(text_at(image, at, length));
    set_field(image, at, bytes_of(title), "title", before, readable(title), mending);
}

Bytes bytes_read(ByteView file, const std::optional<Representation>& reading) {
    if (!reading) return {file.begin(), file.end()};
    const auto source = read_as(file, *reading);
    Bytes bytes(static_cast<std::size_t>(source->size()));
    const ByteView read = source->read(0, bytes.size(), bytes);
    if (read.data() != bytes.data()) std::copy(read.begin(), read.end(), bytes.begin());
    return bytes;
}

}  // namespace hotstitch::cartridge
