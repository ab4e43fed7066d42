// SPDX-License-Identifier: MIT
// Edit lists: patches that people read and write. docs/formats/edits.md.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/digest.h"
#include "hotstitch/export.h"

namespace hotstitch {

/// One edit of a list, as it is written.
struct ListedEdit {
    enum class By : std::uint8_t { offset, address, pattern, field } by = By::offset;
    std::uint64_t at = 0;   ///< of offset: in the source, or in the part
    std::string address{};  ///< of address, as the console writes it
    std::string pattern{};  ///< of pattern: "A9 0D ?? 8D"
    std::int64_t plus = 0;  ///< from where the pattern begins
    std::string part{};     ///< the address of the part of the source that it is in; empty: the source itself
    std::optional<Bytes> old_bytes{};  ///< nothing: not checked, and as long as the new ones
    Bytes new_bytes{};
    std::string map{};    ///< of field: the file that the list's author used; another map of the same fields does
    std::string field{};  ///< of field: "berth[12].depth"
    std::optional<std::string> old_value{};
    std::string new_value{};
    std::string note{};
    unsigned line = 0;  ///< of its [[edit]]; 0: it was not read

    /// Bytes of the source that it takes; of a field, 0.
    std::uint64_t removed() const noexcept { return old_bytes ? old_bytes->size() : new_bytes.size(); }
};

struct EditList {
    std::string title{};
    Digests source{}, target{};
    std::vector<ListedEdit> edits{};
};

/// More edits, or more new bytes, are refused by what writes and reads them: other formats hold those.
inline constexpr std::size_t most_listed_edits = 30'000, most_listed_bytes = std::size_t{1} << 20;

/// Throws Error(damaged) with the line, Error(limit), Error(unsupported) where the build has no TOML.
HOTSTITCH_EXPORT EditList read_edit_list(std::string_view text, const std::string& name = "the edit list");

/// The text of a list; reading it gives the list again, without lines. Throws Error(usage) past the limits above.
HOTSTITCH_EXPORT std::string edit_list_text(const EditList& list);

}  // namespace hotstitch
