// SPDX-License-Identifier: MIT
// A field of a file's own header, told once: by its row it is shown, offered as a mend, and set.
#pragma once

#include <bit>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "base/named_values.h"
#include "hotstitch/identity.h"
#include "hotstitch/mend.h"

namespace hotstitch {

/// Places count from where the header begins (Identity::internal_header). Made by the functions below.
struct HeaderField {
    enum class Kind { title, region, revision, serial, maker, size } kind;
    std::size_t at = 0, length = 1;
    std::string_view value{}, what{};                  ///< what it takes and is, for people; no `what`: only shown
    char fill = ' ';                                   ///< behind a shorter title
    bool kana = false;                                 ///< the title may have half-width katakana
    std::span<const NamedValue> words{};               ///< for the values of a region
    bool letters = false;                              ///< which are letters, not numbers
    unsigned shift = 0, mask = 0xFF;                   ///< of a value that shares its byte
    std::size_t (*length_in)(ByteView rom) = nullptr;  ///< where the length depends on the file
    std::optional<std::uint64_t> (*size_of)(unsigned code) = nullptr;   ///< bytes
    std::optional<unsigned> (*code_of)(std::uint64_t bytes) = nullptr;  ///< of the size that holds so many

    /// The name of the mend that sets it.
    std::string_view name() const noexcept {
        return kind == Kind::title ? "title" : kind == Kind::region ? "region" : "rom-size";
    }
};

constexpr HeaderField title_field(std::size_t at, std::size_t length, char fill, std::string_view value,
                                  bool kana = false) {
    return {HeaderField::Kind::title, at, length, value, "the title", fill, kana};
}
constexpr HeaderField region_field(std::size_t at, std::span<const NamedValue> words, std::string_view value,
                                   std::string_view what = "the region") {
    return {.kind = HeaderField::Kind::region, .at = at, .value = value, .what = what, .words = words};
}
/// Of the platforms whose game codes end in a letter for the region.
constexpr HeaderField letter_region_field(std::size_t at, std::string_view what) {
    HeaderField field = region_field(at, letter_regions, "a word or letter: Europe, P …", what);
    field.letters = true;
    return field;
}
constexpr HeaderField revision_field(std::size_t at, unsigned mask = 0xFF) {
    return {.kind = HeaderField::Kind::revision, .at = at, .mask = mask};
}
constexpr HeaderField serial_field(std::size_t at, std::size_t length) {
    return {HeaderField::Kind::serial, at, length};
}
constexpr HeaderField maker_field(std::size_t at) {
    return {HeaderField::Kind::maker, at, 2};
}
constexpr HeaderField size_field(std::size_t at, std::optional<std::uint64_t> (*size_of)(unsigned),
                                 std::optional<unsigned> (*code_of)(std::uint64_t)) {
    return {.kind = HeaderField::Kind::size,
            .at = at,
            .what = "the size that the header states",
            .size_of = size_of,
            .code_of = code_of};
}

/// What the fields say, as parts of the identity. REQUIRES identity.internal_header.
void read_fields(ByteView file, std::span<const HeaderField> fields, Identity& identity);

/// Sets a field from its word or text; a size, from the file's. Throws Error(usage, unsupported) for what it cannot
/// hold. What it was and is now is noted, here and in the next three.
void set_field(Bytes& file, const HeaderField& field, const Identity& identity, std::string_view value,
               std::vector<MendedField>& noted);
void set_field(Bytes& file, std::size_t at, ByteView value, std::string_view name, std::string before,
               std::string after, std::vector<MendedField>& noted);
/// A number of 1 to 4 bytes, told in hex.
void set_hex(Bytes& file, std::size_t at, std::uint32_t value, int bytes, std::endian order, std::string_view name,
             std::vector<MendedField>& noted);
/// A title, filled up to `length` with `fill`. Throws Error(usage) when it is too long, empty, or not printable ASCII
/// (`kana`: or half-width katakana, which become JIS X 0201).
void set_title(Bytes& file, std::size_t at, std::size_t length, char fill, bool kana, std::string_view value,
               std::vector<MendedField>& noted);

}  // namespace hotstitch
