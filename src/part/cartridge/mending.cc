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

namespace {

std::size_t place_of(const HeaderField& field, const Cartridge& image) {
    return static_cast<std::size_t>(image.internal_header) + field.at;
}

std::size_t length_of(const HeaderField& field, ByteView rom) {
    return field.length_in != nullptr ? field.length_in(rom) : field.length;
}

unsigned value_of(const HeaderField& field, unsigned byte) {
    return byte >> field.shift & field.mask;
}

void set_region(Bytes& image, const HeaderField& field, std::string_view value, Mending& mending) {
    const std::size_t at = place_of(field, mending.image);
    const unsigned code = code_of(field.regions, value, field.letters), byte = u8(image, at);
    const auto words = [&](unsigned c) {
        const std::string_view word = word_of(field.regions, c);
        const std::string shown = field.letters && is_printable(static_cast<char>(c))
                                      ? std::string(1, static_cast<char>(c))
                                      : fmt::format("{:02x}", c);
        return fmt::format("{} ({})", word.empty() ? "unknown" : word, shown);
    };
    const std::byte set[] = {static_cast<std::byte>((byte & ~(field.mask << field.shift)) | code << field.shift)};
    set_field(image, at, set, "region", words(value_of(field, byte)), words(code), mending);
}

}  // namespace

void read_fields(ByteView rom, std::span<const HeaderField> fields, Cartridge& image) {
    for (const HeaderField& field : fields) {
        const std::size_t at = place_of(field, image);
        const unsigned value = value_of(field, u8(rom, at));
        const std::string text = readable(text_at(rom, at, length_of(field, rom)));
        switch (field.kind) {
            case HeaderField::Kind::title: image.title = text; break;
            case HeaderField::Kind::serial: image.serial = text; break;
            case HeaderField::Kind::region: image.region = word_of(field.regions, value); break;
            case HeaderField::Kind::revision: image.revision = value; break;
            case HeaderField::Kind::maker: image.details.push_back({"maker", "maker code", text}); break;
        }
    }
}

void set_field(Bytes& image, const HeaderField& field, std::string_view value, Mending& mending) {
    if (field.kind == HeaderField::Kind::region) return set_region(image, field, value, mending);
    set_title(image, place_of(field, mending.image), length_of(field, image), field.fill, field.kana, value, mending);
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
