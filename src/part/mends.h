// SPDX-License-Identifier: MIT
// What kinds offer to mend, as rows.
#pragma once

#include <optional>
#include <string_view>
#include <vector>

#include "hotstitch/mend.h"
#include "part/header_field.h"

namespace hotstitch {

/// When a mend takes its turn: what it does to the whole file first, checksums last.
enum class Turn { order, size, field, checks };

/// A file while it is mended: as its kind reads it, and what has to be put around it again.
struct Mending {
    Identity identity;  ///< as it was before the first mend
    const MendOptions& options;
    Bytes front{};                              ///< a copier's header that stays in front
    std::optional<RepresentationKind> order{};  ///< the representation in which `rom` lies in the file
    Bytes rom{};
    std::vector<MendedField> fields{};  ///< told by the mend that has its turn
    std::vector<std::string> warnings{};

    /// The whole file, as it is by now.
    Bytes file() const;
};

/// A file of any size, as the mends before this one have left it.
struct FileMending {
    const ByteSource& file;
    const MendOptions& options;
    std::vector<MendedField> fields{};
    std::vector<std::string> warnings{};
    std::string reason{};  ///< why there is nothing to do
};

struct MendRow {
    std::string_view name;
    Turn turn = Turn::field;
    enum class Value { none, optional, needed } takes = Value::none;
    std::string_view value{};  ///< what it takes, for people; empty: nothing, or what goes without saying
    std::string_view what{};   ///< what it does, for people
    /// Throws Error(usage, unsupported).
    void (*run)(Mending& mending, std::string_view value) = nullptr;
    const HeaderField* field = nullptr;  ///< to be set, instead of `run`
    /// Of an executable, instead of `run`. Throws Error(usage, unsupported, refused, damaged, truncated).
    ChangeList (*change)(FileMending& mending, std::string_view value) = nullptr;
    bool repeats = false;  ///< may be asked for several times in one call
};

/// The rows of a cartridge's platform, in the order in which they are offered.
std::vector<MendRow> mends_of_cartridge(const Identity& identity);

/// The same of an executable's format; none where it is not known.
std::vector<MendRow> mends_of_executable(const Identity& identity);

/// Throws Error(refused) where a change of an executable would break a signature, or may not help because it looks
/// packed, unless that is allowed. Other files may be changed.
void check_executable_change(const ByteSource& file, const Identity& identity, const Allowed& allow);

/// The same of a disc with a table of files, or with encrypted partitions.
std::vector<MendRow> mends_of_table_disc();

/// The same of another disc image.
std::vector<MendRow> mends_of_disc();

}  // namespace hotstitch
