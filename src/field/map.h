// SPDX-License-Identifier: MIT
// What a map's text says, before it is bound to a file (bound_map.h). docs/formats/map.md.
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "field/number_type.h"
#include "field/text_codec.h"
#include "hotstitch/digest.h"
#include "hotstitch/error.h"
#include "hotstitch/map.h"
#include "source/pattern.h"

namespace hotstitch {

/// A table with more records is none.
inline constexpr std::uint64_t most_records = 1'000'000;

/// What is wrong with a map, with the line: "kelp.map.toml, line 12: …".
Error map_error(const FieldMap& map, unsigned line, const std::string& message);

/// A number that stands in the file: in a record, or at an offset of the whole. Its value is stored * unit + plus.
struct StoredNumber {
    std::uint64_t at = 0;
    const NumberType* type = nullptr;
    ByteOrder order = ByteOrder::little;
    std::int64_t plus = 0;
    std::uint64_t unit = 1;
    unsigned line = 0;
    /// Nothing: less than 0 or more than 64 bits.
    std::optional<std::uint64_t> value(std::uint64_t stored) const noexcept;
    /// What has to be stored for a value; nothing: no number of the type does it.
    std::optional<std::uint64_t> stored(std::uint64_t value) const noexcept;
};

/// Where something begins.
struct MapPlace {
    enum class By : std::uint8_t { offset, address, pattern, pointer } by = By::offset;
    std::uint64_t offset = 0;
    std::string address{};
    Pattern pattern{};
    StoredNumber pointer{};
    std::int64_t plus = 0;
    unsigned line = 0;
};

struct MapCount {
    enum class By : std::uint8_t { number, stored, until } by = By::number;
    std::uint64_t number = 0;
    StoredNumber stored{};
    Pattern until{};
};

using Words = std::vector<std::pair<WholeNumber, std::string>>;

struct TextForm {
    std::shared_ptr<const TextCodec> codec{};
    std::uint64_t length = 0;    ///< bytes; 0: up to `end`
    std::optional<Bytes> end{};  ///< what ends it
    unsigned pad = 0;            ///< what fills it up, a character of the codec's unit
};

struct MapField {
    enum class Kind : std::uint8_t { number, bits, text, bytes, pointer } kind = Kind::number;
    std::string name{};
    std::uint64_t at = 0;              ///< in the record
    const NumberType* type = nullptr;  ///< of number, bits and pointer
    ByteOrder order = ByteOrder::little;
    unsigned bit = 0, width = 0;  ///< of bits
    TextForm text{};              ///< of text, and of what a pointer leads to
    std::uint64_t length = 0;     ///< of bytes
    std::int64_t plus = 0;        ///< of a pointer
    bool to_text = false;
    const Words* words = nullptr;
    std::optional<std::pair<WholeNumber, WholeNumber>> range{};
    std::optional<std::pair<double, double>> real_range{};
    unsigned line = 0;

    std::string_view type_name() const noexcept;
    /// Bytes that it takes in the record; of a text with an end, its least.
    std::uint64_t size() const noexcept;
    /// The value of the bits that are its own in its number.
    std::uint64_t mask() const noexcept { return (width >= 64 ? UINT64_MAX : (std::uint64_t{1} << width) - 1) << bit; }
};

struct MapTable {
    std::string name;
    MapPlace at{};
    MapCount count{};
    std::uint64_t stride = 0;
    std::optional<StoredNumber> via{};  ///< `at` leads to pointers to the records
    std::string key{};
    std::vector<std::string> names{};
    std::vector<MapField> fields{};
    bool overlay = false;
    unsigned line = 0;

    const MapField* field(std::string_view name) const noexcept;
    /// Bytes of a record that its fields reach over.
    std::uint64_t reach() const noexcept;
};

struct MapCheck {
    enum class Sum : std::uint8_t { bytes, words_le, words_be, xor_bytes, crc32, crc16, crc16_ccitt, adler32 } sum{};
    StoredNumber number{};
    std::vector<std::pair<std::uint64_t, std::uint64_t>> over{};  ///< from, to (which is not part of it)
    unsigned line = 0;
};

/// A number of a member, in its entry.
struct MapMembers {
    std::string name;
    MapPlace at{};
    MapCount count{};
    std::uint64_t stride = 0;
    StoredNumber offset{};
    std::optional<StoredNumber> size{}, stored{};
    bool next = false;  ///< each reaches to the next
    std::optional<MapField> entry_name{};
    std::vector<std::string> names{};
    std::string codec{};
    std::uint64_t align = 1;
    std::byte pad{};
    unsigned line = 0;
};

struct MapPayload {
    std::string name;
    MapPlace at{};
    std::optional<StoredNumber> size{};
    std::uint64_t fixed_size = 0;  ///< where the map states it
    std::string codec{};
    unsigned line = 0;
};

struct FieldMap {
    std::string name, title;
    Crc32 text{};  ///< of what it was read from: the same map may be handed in twice
    struct {
        std::string kind, title, serial, region;
        Pattern begins{};  ///< what stands at the file's begin
        std::vector<std::uint64_t> revisions{};
        std::vector<Crc32> crc32{};
        std::vector<Sha1> sha1{};
        std::string part{};

        bool names_nothing() const noexcept {
            return kind.empty() && title.empty() && serial.empty() && region.empty() && begins.empty() &&
                   revisions.empty() && crc32.empty() && sha1.empty();
        }
    } file{};
    std::map<std::string, Words> words{};  ///< fields point into it
    std::vector<MapTable> tables{};
    std::vector<MapCheck> checks{};
    std::vector<MapMembers> members{};
    std::vector<MapPayload> payloads{};
};

}  // namespace hotstitch
