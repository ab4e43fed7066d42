// SPDX-License-Identifier: MIT
// Named fields of a file: its own header's, and those of tables that maps tell of (docs/formats/map.md). They are
// shown, set and compared by their names, "berth[12].depth".
#pragma once

#include <compare>
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/change_list.h"
#include "hotstitch/export.h"
#include "hotstitch/identity.h"
#include "hotstitch/limits.h"
#include "hotstitch/map.h"
#include "hotstitch/source.h"

namespace hotstitch {

/// A whole number of up to 64 bits and a sign.
struct HOTSTITCH_EXPORT WholeNumber {
    bool negative = false;
    std::uint64_t magnitude = 0;
    std::string text() const;  ///< decimal
    friend bool operator==(const WholeNumber&, const WholeNumber&) = default;
    friend std::strong_ordering operator<=>(const WholeNumber& a, const WholeNumber& b) noexcept {
        if (a.negative != b.negative) return a.negative ? std::strong_ordering::less : std::strong_ordering::greater;
        return a.negative ? b.magnitude <=> a.magnitude : a.magnitude <=> b.magnitude;
    }
};

struct FieldValue {
    /// none: it cannot be read, or a header does not say.
    enum class Kind : std::uint8_t { none, whole, real, text, bytes, word } kind = Kind::none;
    WholeNumber whole{};                    ///< of whole and word
    double real = 0;                        ///< of real
    std::string text{};                     ///< of every kind, as people read and write it
    std::optional<std::uint64_t> offset{};  ///< in the file, of what a pointer leads to
    std::optional<std::string> leads_to{};  ///< the text there
};

struct FieldColumn {
    std::string name;
    std::string type;  ///< "u8", "bits", "text", …
    bool settable = true;
};

struct FieldRecord {
    std::uint64_t index = 0;
    std::string key{};                 ///< by which it can be named; empty: by its index alone
    std::uint64_t offset = 0;          ///< in the file
    std::vector<FieldValue> values{};  ///< one a column
};

struct FieldTable {
    std::string name;
    std::string part{};  ///< of the file that it is in; empty: the file itself
    std::string map{};   ///< the title or the file of the map that tells of it; empty: the file's own header
    std::vector<FieldColumn> columns{};
    std::vector<FieldRecord> records{};
    std::uint64_t of_records = 0;  ///< how many the table has
    bool continues = false;        ///< in show_each(): its records are behind those of the table before
};

/// How a table is handed out.
struct FieldSlices {
    std::uint64_t first = UINT64_MAX;  ///< records of each table, at most
    std::uint64_t records = 4096;      ///< at once; fewer where their texts are long
    /// Bytes of texts in all; pointers may lead to the same long text again and again.
    std::uint64_t text = std::uint64_t{64} << 20;
};

/// "berth[12].depth=7"
struct FieldSetting {
    std::string selector, value;
};
/// Splits it at the "=" behind the selector. Throws Error(usage).
HOTSTITCH_EXPORT FieldSetting field_setting(std::string_view text);

/// A field that was set, or differs between two files.
struct FieldChange {
    std::string name;   ///< "berth[12].depth"
    std::string key{};  ///< of its record, where it has one
    /// The same by the record's key, where that names it alone: "berth[Old Pier].depth"; else as `name`.
    std::string selector{};
    std::string before{}, after{};
    std::uint64_t offset = 0;
    std::uint64_t length = 0;  ///< bytes
    std::string part{};        ///< of the file that it is in, in which the offset counts; empty: the file itself
};

struct FieldPlan {
    std::vector<FieldChange> fields;  ///< also those that stay as they are
    ChangeList change;                ///< of the file
    std::vector<std::string> mended;  ///< checks that were right and were put right again
    std::vector<std::string> warnings;
};

struct FieldComparison {
    std::vector<FieldChange> fields;  ///< those that differ, in the order of the tables
    std::uint64_t compared = 0;       ///< how many there are
    /// Where the files differ outside all fields.
    std::vector<ByteRange> outside;
    /// Tables that have another number of records, for people.
    std::vector<std::string> warnings;
};

struct FieldOptions {
    /// Checks that were right before are right after: those that the map names, and the file's own.
    bool mend = true;
    Allowed allow{};
    Limits limits{};
};

/// A file with the maps that are for it; both outlive it by being shared, the file by the caller.
class HOTSTITCH_EXPORT Fields {
public:
    /// Every place that the maps name is looked up and checked. Throws Error(damaged) naming map and line for what the
    /// file does not have, or has twice; Error(limit, io).
    Fields(const ByteSource& file, const std::vector<SharedMap>& maps);
    /// The same of a file whose identity is known.
    Fields(const ByteSource& file, Identity identity, const std::vector<SharedMap>& maps);
    ~Fields();
    Fields(Fields&&) noexcept;

    const Identity& identity() const noexcept;

    /// "header", then the tables of each map.
    std::vector<std::string> tables() const;

    /// The records that are asked for: "berth", "berth[3-7]", "berth[*].depth", "berth[North Quay]"; none: all. Throws
    /// Error(usage) for what there is not, naming what there is.
    std::vector<FieldTable> show(const std::vector<std::string>& selectors = {}) const;

    /// The same in slices, so that a table of any length takes little memory. Throws what show() and `use` throw, and
    /// Error(limit) past `slices.text`.
    void show_each(const std::vector<std::string>& selectors, const std::function<void(FieldTable&&)>& use,
                   const FieldSlices& slices = {}) const;

    /// All together, each on what those before it have made. Throws Error(usage) for a value that a field cannot hold
    /// or that is out of its range, and what show() throws.
    FieldPlan set(const std::vector<FieldSetting>& settings, const FieldOptions& options = {}) const;

    /// `change`, which was made of the file, with what puts right what was right before: the checks of the maps, and
    /// the file's own. `told` learns of it. Throws what plan_mends() throws.
    ChangeList keeping_checks(ChangeList change, const FieldOptions& options, FieldPlan& told) const;

    /// Field by field by name, record by record by index. Throws Error(io).
    FieldComparison compare(const Fields& other) const;

    /// What stands at an offset, as people call it: "berth[12]: depth"; empty: no map says. `length`: up to where the
    /// same holds, in bytes from the offset, at least 1.
    std::string name_at(std::uint64_t offset, std::uint64_t& length) const;

    /// The stretches that tables and header take, in order: what a picture of the file names.
    struct Area {
        ByteRange range;
        std::string name;
    };
    std::vector<Area> areas() const;

private:
    struct State;
    std::unique_ptr<State> state_;
};

/// A file's own fields and, where a map is for a part of it, those of that part: all under one roof.
class HOTSTITCH_EXPORT FileFields {
public:
    /// The maps are those of the limits; one for a part that the file does not have is for another file. Throws what
    /// Fields and opening a part throw.
    FileFields(const SharedSource& file, const Limits& limits = {});
    ~FileFields();
    FileFields(FileFields&&) noexcept;
    FileFields& operator=(FileFields&&) noexcept;

    struct Unit {
        std::string part;  ///< its address in the file; empty: the file itself
        SharedSource content;
        std::vector<SharedMap> maps;
        Fields fields;
    };
    /// The file itself comes first.
    const std::vector<Unit>& units() const noexcept;
    /// How many maps are in use.
    std::size_t maps() const noexcept;

    /// As those of Fields. A table is looked for in all units.
    std::vector<FieldTable> show(const std::vector<std::string>& selectors = {}) const;
    void show_each(const std::vector<std::string>& selectors, const std::function<void(FieldTable&&)>& use,
                   const FieldSlices& slices = {}) const;
    FieldPlan set(const std::vector<FieldSetting>& settings, const FieldOptions& options = {}) const;
    /// What follows from a field that differs (a checksum, what is around a part) is no difference outside.
    FieldComparison compare(const FileFields& other) const;

private:
    void leave_out_what_follows(const FileFields& other, FieldComparison& found) const;

    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace hotstitch
