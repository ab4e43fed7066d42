// SPDX-License-Identifier: MIT
// One switch over the kinds of field each way: reading and setting. Tested by tests/part/mend_test.cc.
#include "part/header_field.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "base/fixed_text.h"
#include "base/numbers.h"
#include "hotstitch/error.h"

namespace hotstitch {
namespace {

std::size_t place_of(const HeaderField& field, const Identity& identity) {
    return static_cast<std::size_t>(identity.internal_header) + field.at;
}

std::size_t length_of(const HeaderField& field, ByteView file) {
    return field.length_in != nullptr ? field.length_in(file) : field.length;
}

unsigned value_in(const HeaderField& field, unsigned byte) {
    return byte >> field.shift & field.mask;
}

std::string words_of_region(const HeaderField& field, unsigned code) {
    const std::string_view word = word_of(field.words, code);
    const char letter = static_cast<char>(code);
    const std::string shown =
        field.letters && is_printable(letter) ? std::string(1, letter) : fmt::format("{:02x}", code);
    return fmt::format("{} ({})", word.empty() ? "unknown" : word, shown);
}

std::string words_of_size(const HeaderField& field, unsigned code) {
    const auto size = field.size_of(code);
    return size ? fmt::format("{} KiB", *size / 1024) : hex_text(code, 2);
}

}  // namespace

void read_fields(ByteView file, std::span<const HeaderField> fields, Identity& identity) {
    for (const HeaderField& field : fields) {
        const std::size_t at = place_of(field, identity);
        const unsigned value = value_in(field, u8(file, at));
        const std::string text = readable(text_at(file, at, length_of(field, file)));
        switch (field.kind) {
            case HeaderField::Kind::title: identity.title = text; break;
            case HeaderField::Kind::serial: identity.serial = text; break;
            case HeaderField::Kind::region: identity.region = word_of(field.words, value); break;
            case HeaderField::Kind::revision: identity.revision = value; break;
            case HeaderField::Kind::maker: identity.facts.push_back({"maker", "maker code", text}); break;
            case HeaderField::Kind::size: identity.declared_size = field.size_of(value); break;
        }
    }
}

void set_field(Bytes& file, const HeaderField& field, const Identity& identity, std::string_view value,
               std::vector<MendedField>& noted) {
    const std::size_t at = place_of(field, identity);
    if (field.kind == HeaderField::Kind::title)
        return set_title(file, at, length_of(field, file), field.fill, field.kana, value, noted);
    const bool is_region = field.kind == HeaderField::Kind::region;
    const auto code =
        is_region ? std::optional(code_of(field.words, value, field.letters)) : field.code_of(file.size());
    if (!code) throw Error(ErrorCode::unsupported, "no size field of this platform says the file's size");
    const unsigned byte = u8(file, at);
    const std::array set{static_cast<std::byte>((byte & ~(field.mask << field.shift)) | *code << field.shift)};
    const auto words = is_region ? words_of_region : words_of_size;
    set_field(file, at, set, is_region ? "region" : "ROM size", words(field, value_in(field, byte)),
              words(field, *code), noted);
}

void set_field(Bytes& file, std::size_t at, ByteView value, std::string_view name, std::string before,
               std::string after, std::vector<MendedField>& noted) {
    std::copy(value.begin(), value.end(), file.begin() + static_cast<std::ptrdiff_t>(at));
    noted.push_back({std::string(name), std::move(before), std::move(after)});
}

void set_hex(Bytes& file, std::size_t at, std::uint32_t value, int bytes, std::endian order, std::string_view name,
             std::vector<MendedField>& noted) {
    Bytes field;
    std::uint32_t before = 0;
    for (int i = 0; i < bytes; ++i) {
        const int shift = 8 * (order == std::endian::little ? i : bytes - 1 - i);
        field.push_back(static_cast<std::byte>(value >> shift));
        before |= u8(file, at + static_cast<std::size_t>(i)) << shift;
    }
    set_field(file, at, field, name, hex_text(before, 2 * bytes), hex_text(value, 2 * bytes), noted);
}

void set_title(Bytes& file, std::size_t at, std::size_t length, char fill, bool kana, std::string_view value,
               std::vector<MendedField>& noted) {
    std::string title = encoded(value, kana);
    if (title.find_first_not_of(' ') == std::string::npos) throw Error(ErrorCode::usage, "the title is empty");
    if (title.size() > length)
        throw Error(ErrorCode::usage, "the title is too long for this platform's header")
            .wanted(fmt::format("up to {} characters", length))
            .found(fmt::format("{}", title.size()));
    title.resize(length, fill);
    const std::string before = readable(text_at(file, at, length));
    set_field(file, at, bytes_of(title), "title", before, readable(title), noted);
}

}  // namespace hotstitch
