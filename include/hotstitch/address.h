// SPDX-License-Identifier: MIT
// Where something lies: a file or folder, and the names of the parts that lead from there to it, from the outside in:
// "shelf.zip:games/kelp.sfc:bank 3". A colon in a part's name is written "\:". This is the one place that takes
// addresses apart and puts them together.
#pragma once

#include <functional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/export.h"

namespace hotstitch {

/// A part's name as it stands in an address: a colon in it becomes "\:".
HOTSTITCH_EXPORT std::string escaped_part(std::string_view name);

/// The names that lead to a part, without escapes, as "A:B\:C:D" has them: "A", "B:C", "D"; of "", none. "A:" has an
/// empty name at its end, which stands for the content of A, or for all that is in it. Throws Error(usage) for more
/// than 16.
HOTSTITCH_EXPORT std::vector<std::string> split_address(std::string_view address);
/// The address that these names make. split_address() has them back, but for a single empty one.
HOTSTITCH_EXPORT std::string joined_address(const std::vector<std::string>& names);
/// `inner` as seen from outside the part `outer`; either may be empty.
HOTSTITCH_EXPORT std::string joined_address(std::string_view outer, std::string_view inner);

struct HOTSTITCH_EXPORT Address {
    std::string file{};                ///< on the disk, or a name that the caller gives a meaning, such as "-"
    std::vector<std::string> parts{};  ///< none: the file itself

    /// The first colon before which `is_there` finds something ends the file's name; where it finds none, the whole
    /// text is that name. Asked for the whole text first. Throws what split_address() throws.
    static Address parse(std::string_view text, const std::function<bool(const std::string&)>& is_there);

    bool names_part() const noexcept { return !parts.empty(); }
    /// Whether it stands for all that lies below: "FILE:", "FILE:FOLDER/".
    bool names_all() const noexcept { return names_part() && (parts.back().empty() || parts.back().ends_with('/')); }
    /// What the last part lies in. REQUIRES names_part().
    Address outer() const { return {file, {parts.begin(), parts.end() - 1}}; }
    std::string inside() const { return joined_address(parts); }  ///< the parts alone
    std::string string() const;
    bool operator==(const Address&) const = default;
};

}  // namespace hotstitch
