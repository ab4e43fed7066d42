// SPDX-License-Identifier: MIT
// Whatever is written is read again before it counts: a text that loses its last blank, a number that is rounded, are
// refused. Tested by tests/field/map_test.cc.
#include "field/field_value.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <charconv>
#include <cmath>
#include <limits>
#include <optional>
#if !defined(__cpp_lib_to_chars)
#include <locale>
#include <sstream>
#endif

#include "base/hex.h"
#include "hotstitch/error.h"
#include "source/stretch.h"

namespace hotstitch {
namespace {

constexpr std::string_view nan_mark = "nan:";
constexpr std::uint64_t longest_open_text = 4096;  ///< that ends by its end

/// A character that fills up, as the encoding writes it.
Bytes filling(const TextForm& form, std::size_t length) {
    const auto high = static_cast<std::byte>(form.pad >> 8), low = static_cast<std::byte>(form.pad & 0xFF);
    const bool big =
        form.codec->unit() == 2 && !form.codec->encode("A").empty() && form.codec->encode("A").front() == std::byte{0};
    Bytes bytes(length, low);
    if (form.codec->unit() == 2)
        for (std::size_t i = 0; i < length; ++i) bytes[i] = (i % 2 == 0) == big ? high : low;
    return bytes;
}

/// Where the text's own end stands; nothing: it does not come.
std::optional<std::size_t> end_in(ByteView bytes, const TextForm& form) {
    const std::size_t unit = form.codec->unit();
    for (std::size_t at = 0; at + form.end->size() <= bytes.size(); at += unit)
        if (common_prefix(bytes.subspan(at), *form.end) >= form.end->size()) return at;
    return std::nullopt;
}

/// The bytes of a text without its end and filling.
ByteView content_of(ByteView bytes, const TextForm& form) {
    if (form.end) {
        if (const auto end = end_in(bytes, form)) return bytes.first(*end);
    }
    if (form.length == 0) return bytes;
    const std::size_t unit = form.codec->unit();
    const Bytes fill = filling(form, unit);
    while (bytes.size() >= unit && common_prefix(bytes.last(unit), fill) == unit)
        bytes = bytes.first(bytes.size() - unit);
    return bytes;
}

std::uint64_t room_for_text(const TextForm& form, const FieldPlace& place) {
    return form.length != 0 ? std::min(form.length, place.room) : std::min(place.room, longest_open_text);
}

std::string word_of(const Words* words, const WholeNumber& value) {
    if (words == nullptr) return {};
    const auto found = std::find_if(words->begin(), words->end(), [&](const auto& w) { return w.first == value; });
    return found == words->end() ? std::string() : found->second;
}

FieldValue whole_value(const MapField& field, const WholeNumber& value) {
    FieldValue out{.kind = FieldValue::Kind::whole, .whole = value, .text = word_of(field.words, value)};
    if (out.text.empty())
        out.text = value.text();
    else
        out.kind = FieldValue::Kind::word;
    return out;
}

[[noreturn]] void cannot_hold(const MapField& field, const std::string& why, const std::string& wanted,
                              std::string_view found) {
    throw Error(ErrorCode::usage, fmt::format("{} cannot be this: {}", field.name, why))
        .wanted(wanted)
        .found(std::string(found));
}

bool same_letters(std::string_view a, std::string_view b) {
    return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](char x, char y) {
        return std::tolower(static_cast<unsigned char>(x)) == std::tolower(static_cast<unsigned char>(y));
    });
}

WholeNumber whole_for(const MapField& field, std::string_view text, const WholeNumber& least, const WholeNumber& most) {
    std::optional<WholeNumber> value = whole_from(text);
    std::string known = fmt::format("{} to {}", least.text(), most.text());
    if (field.words != nullptr) {
        known.clear();
        for (const auto& [number, word] : *field.words) {
            known += fmt::format("{}{}", known.empty() ? "" : ", ", word);
            if (same_letters(word, text)) value = number;
        }
    }
    if (!value)
        cannot_hold(field, field.words == nullptr ? "it is a whole number" : "there is no such word", known, text);
    if (field.range && (*value < field.range->first || *value > field.range->second))
        cannot_hold(field, "it is out of the map's range",
                    fmt::format("{} to {}", field.range->first.text(), field.range->second.text()), text);
    if (*value < least || *value > most)
        cannot_hold(field,
                    fmt::format("it does not fit into {}", field.kind == MapField::Kind::bits
                                                               ? fmt::format("{} bits", field.width)
                                                               : std::string(field.type_name())),
                    fmt::format("{} to {}", least.text(), most.text()), text);
    return *value;
}

/// "3.25", whatever the program's locale writes numbers with. Nothing: it is none.
std::optional<double> real_from(std::string_view text) {
#if defined(__cpp_lib_to_chars)
    double value = 0;
    if (text.starts_with('+')) text.remove_prefix(1);
    const auto [end, failure] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (end != text.data() + text.size() || text.empty()) return std::nullopt;
    if (failure == std::errc::result_out_of_range) {  // as large, or as small, as it can be
        const bool small = text.find("e-") != text.npos || text.find("E-") != text.npos;
        const double limit = small ? 0.0 : std::numeric_limits<double>::infinity();
        return text.starts_with('-') ? -limit : limit;
    }
    return failure == std::errc{} ? std::optional(value) : std::nullopt;
#else
    std::istringstream words{std::string(text)};
    words.imbue(std::locale::classic());
    double value = 0;
    return words >> value && words.peek() == std::istringstream::traits_type::eof() ? std::optional(value)
                                                                                    : std::nullopt;
#endif
}

Bytes real_for(const MapField& field, std::string_view text) {
    if (text.starts_with(nan_mark)) {  // whose bits say more than that it is no number
        const auto raw = whole_from("0x" + std::string(text.substr(nan_mark.size())));
        if (!raw) cannot_hold(field, "it is a number", "a number", text);
        Bytes bits(field.type->size);
        put_raw_number(bits, bits.size(), field.order, raw->magnitude);
        return bits;
    }
    const std::optional<double> number = real_from(text);
    if (!number) cannot_hold(field, "it is a number", "a number", text);
    const double value = *number;
    if (field.real_range && !(value >= field.real_range->first && value <= field.real_range->second))
        cannot_hold(field, "it is out of the map's range",
                    fmt::format("{} to {}", field.real_range->first, field.real_range->second), text);
    if (field.type->size == 4 && std::isfinite(value) && !std::isfinite(static_cast<float>(value)))
        cannot_hold(field, "it is too large for f32", "a smaller number", text);
    Bytes bytes(field.type->size);
    put_real(bytes, *field.type, field.order, value);
    return bytes;
}

Bytes hex_for(const MapField& field, std::string_view text) {
    Bytes bytes(static_cast<std::size_t>(field.length));
    if (!bytes_from_hex(without_spaces(text), bytes))
        cannot_hold(field, "it is bytes", fmt::format("{} bytes of two hexadecimal digits", field.length), text);
    return bytes;
}

Bytes text_for(const MapField& field, const FieldPlace& place, std::string_view value, const ByteSource& file) {
    const TextForm& form = field.text;
    Bytes bytes;
    try {
        bytes = form.codec->encode(value);
    } catch (const Error& error) {
        throw Error(ErrorCode::usage, fmt::format("{} cannot be this: {}", field.name, error.what()))
            .found(error.found());
    }
    const std::uint64_t now = length_at(field, place, file);
    // An end needs room, but where the text is as long as may be, files leave it out.
    const std::size_t ending = form.end && (form.length == 0 || bytes.size() < form.length) ? form.end->size() : 0;
    const std::uint64_t room = form.length != 0 ? form.length : now;
    if (bytes.size() + ending > room)
        cannot_hold(
            field, "it is too long",
            fmt::format("at most {} bytes", room - std::min<std::uint64_t>(room, form.length == 0 ? ending : 0)),
            fmt::format("{} bytes", bytes.size()));
    if (ending != 0) bytes.insert(bytes.end(), form.end->begin(), form.end->end());
    const std::size_t written = bytes.size();
    bytes.resize(static_cast<std::size_t>(room));
    const Bytes fill = filling(form, bytes.size() - written);
    std::copy(fill.begin(), fill.end(), bytes.begin() + static_cast<std::ptrdiff_t>(written));
    return bytes;
}

}  // namespace

std::uint64_t length_at(const MapField& field, const FieldPlace& place, const ByteSource& file) {
    if (field.kind != MapField::Kind::text || field.text.length != 0) return field.size();
    const Bytes bytes = stretch_of(file, place.offset, room_for_text(field.text, place));
    const auto end = end_in(bytes, field.text);
    return end ? *end + field.text.end->size() : bytes.size();
}

FieldValue value_at(const MapField& field, const FieldPlace& place, const ByteSource& file) {
    std::array<std::byte, 64> small{};
    Bytes large;
    const std::uint64_t size = field.kind == MapField::Kind::text ? room_for_text(field.text, place) : field.size();
    if (size > small.size()) large.resize(static_cast<std::size_t>(size));
    const ByteView bytes = file.read(place.offset, static_cast<std::size_t>(size),
                                     large.empty() ? MutableByteView(small) : MutableByteView(large));
    switch (field.kind) {
        case MapField::Kind::bits:
            return whole_value(field,
                               {false, (raw_number(bytes, field.type->size, field.order) & field.mask()) >> field.bit});
        case MapField::Kind::text:
            return {.kind = FieldValue::Kind::text, .text = field.text.codec->decode(content_of(bytes, field.text))};
        case MapField::Kind::bytes: return {.kind = FieldValue::Kind::bytes, .text = hex(bytes)};
        case MapField::Kind::pointer: {
            FieldValue value = whole_value(field, whole_number(bytes, *field.type, field.order));
            const StoredNumber number{.type = field.type, .order = field.order, .plus = field.plus};
            value.offset = number.value(value.whole.magnitude);
            if (value.offset && *value.offset >= file.size()) value.offset.reset();
            if (const auto to = pointed_text(field, place, file))
                value.leads_to = value_at(to->field, to->place, file).text;
            return value;
        }
        case MapField::Kind::number: break;
    }
    if (!field.type->real) return whole_value(field, whole_number(bytes, *field.type, field.order));
    const double real = real_number(bytes, *field.type, field.order);
    return {.kind = FieldValue::Kind::real,
            .real = real,
            .text = std::isnan(real) ? fmt::format("{}{:x}", nan_mark, raw_number(bytes, field.type->size, field.order))
                                     : text_of_real(real, *field.type)};
}

std::optional<PointedText> pointed_text(const MapField& field, const FieldPlace& place, const ByteSource& file) {
    if (!field.to_text) return std::nullopt;
    const StoredNumber number{.type = field.type, .order = field.order, .plus = field.plus};
    const Bytes bytes = stretch_of(file, place.offset, field.type->size);
    const auto offset = number.value(raw_number(bytes, field.type->size, field.order));
    if (!offset || *offset >= file.size()) return std::nullopt;
    PointedText text{
        {.kind = MapField::Kind::text, .name = field.name + ".text", .text = field.text, .line = field.line},
        {*offset, file.size() - *offset}};
    if (text.field.size() > text.place.room) return std::nullopt;
    return text;
}

Bytes bytes_for(const MapField& field, const FieldPlace& place, std::string_view value, const ByteSource& file) {
    Bytes bytes;
    switch (field.kind) {
        case MapField::Kind::text: bytes = text_for(field, place, value, file); break;
        case MapField::Kind::bytes: return hex_for(field, value);
        case MapField::Kind::bits: {
            const WholeNumber whole = whole_for(field, value, {}, {false, field.mask() >> field.bit});
            bytes = stretch_of(file, place.offset, field.type->size);
            const std::uint64_t raw = raw_number(bytes, field.type->size, field.order);
            put_raw_number(bytes, field.type->size, field.order, (raw & ~field.mask()) | whole.magnitude << field.bit);
            return bytes;
        }
        case MapField::Kind::pointer:
        case MapField::Kind::number:
            if (field.type->real) return real_for(field, value);
            bytes.resize(field.type->size);
            put_whole(bytes, *field.type, field.order,
                      whole_for(field, value, field.type->least(), field.type->most()));
            return bytes;
    }
    const MemorySource written(bytes);
    if (const FieldValue read = value_at(field, {0, bytes.size()}, written);
        read.text != value && field.text.codec->encode(read.text) != field.text.codec->encode(value))
        cannot_hold(field, "it would not read back as it is written",
                    fmt::format("a text that does not end with what fills it up{}",
                                field.text.end ? ", nor holds its end" : ""),
                    value);
    return bytes;
}

}  // namespace hotstitch
