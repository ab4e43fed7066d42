// SPDX-License-Identifier: MIT
// Header and flag fixes of cartridge ROMs and executables: planned in full, so that a program can show them, before
// anything is written.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/cartridge.h"
#include "hotstitch/change_list.h"
#include "hotstitch/export.h"
#include "hotstitch/limits.h"

namespace hotstitch {

/// One mend by name, with its value where it takes one: {"region", "Europe"}.
struct MendRequest {
    std::string name, value;
};

struct MendOptions {
    std::string boot_code{};  ///< N64: the boot code variant ("6102"), where it is not recognised
    /// Internal checks that were right before are right after: the mend "checksum" is added where it is needed for
    /// that.
    bool keep_checks = true;
    Allowed allow{};  ///< what to go on with although it breaks or may not help
    /// The content of a file that a mend names ("add-segment=FILE@ADDRESS"); empty: no mend can name one.
    std::function<Bytes(const std::string& name)> content{};
    Limits limits{};  ///< of the output's size
};

/// A value that a mend sets, for people.
struct MendedField {
    std::string name, before, after;
};

struct MendStep {
    std::string name;                 ///< "checksum"
    std::vector<MendedField> fields;  ///< also those that stay as they are
    std::vector<ByteRange> ranges;  ///< of the file as it is before this step; what lies past its end is new or cut off
    std::vector<std::string> warnings;
    std::string reason;  ///< why there is nothing to do, where that does not go without saying
    bool added = false;  ///< not asked for: it keeps internal checks right
    bool changes() const noexcept { return !ranges.empty(); }
};

struct MendPlan {
    std::vector<MendStep> steps;  ///< in the order in which they are done
    ChangeList change;            ///< of the file, all steps together
    HOTSTITCH_EXPORT bool changes() const noexcept;
};

/// A mend that this file could have.
struct MendOffer {
    std::string_view name;
    bool needs_value = false;
    bool needed = false;           ///< what stands there is wrong, and this puts it right; a change of size never is
    std::string_view value;        ///< what it takes, for people; empty: nothing
    std::string present;           ///< what stands there now, where it needs a value; empty: nothing that can be said
    std::string what;              ///< for people, one line
    std::optional<MendStep> step;  ///< what it would do; nothing, where it needs a value or cannot be done
    std::string cannot;            ///< why not
};

/// Plans mends of a file, which has to outlive the plan. Whatever their order in the call, they are done in this one:
/// byte order and interleaving, the file's size, fields, checksums. A copier's front header stays in front, and the
/// byte order as it is unless asked for. Throws Error(usage) for a mend that the platform does not have (it lists those
/// that it has) or a value that it cannot take, Error(unsupported) where the file is no known image or the mend cannot
/// be done on it, Error(refused) for what is not allowed, Error(damaged, truncated) for an executable with broken
/// headers, Error(limit).
HOTSTITCH_EXPORT MendPlan plan_mends(const ByteSource& file, const std::vector<MendRequest>& requests,
                                     const MendOptions& options = {});
HOTSTITCH_EXPORT MendPlan plan_mends(ByteView file, const std::vector<MendRequest>& requests,
                                     const MendOptions& options = {});

/// `change`, and what puts the file's own checks right again that were right before it. Throws Error(refused) for an
/// executable that is signed or looks packed, unless allowed.
HOTSTITCH_EXPORT ChangeList keeping_checks(const ByteSource& file, const Identity& identity, ChangeList change,
                                           const Allowed& allow);

/// What could be mended in this file; empty where it is no known image.
HOTSTITCH_EXPORT std::vector<MendOffer> mends_for(const ByteSource& file, const MendOptions& options = {});
inline std::vector<MendOffer> mends_for(ByteView file, const MendOptions& options = {}) {
    return mends_for(MemorySource(file), options);
}

// In words. Texts of the file come along as they are: `escaped` makes them fit for a terminal.

/// "from Japan (J) to Europe (P)", "is Europe (P) already"; and with the field's name before it.
HOTSTITCH_EXPORT std::string words_for_change(const MendedField& field);
HOTSTITCH_EXPORT std::string words_for(const MendedField& field);
/// Which bytes a mend changes: "12 bytes in 2 places, from 0x007fdc on".
HOTSTITCH_EXPORT std::string words_for(const MendStep& step);
/// What a mend would do, or takes, or why it cannot be done.
HOTSTITCH_EXPORT std::string words_for(const MendOffer& offer);

}  // namespace hotstitch
