// SPDX-License-Identifier: MIT
// What a file's own header says, as a table "header" of one record: from what is known of its kind, without a map.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "hotstitch/fields.h"
#include "hotstitch/mend.h"

namespace hotstitch {

class HeaderTable {
public:
    /// Throws Error(io).
    HeaderTable(const ByteSource& file, const Identity& identity);
    bool empty() const noexcept { return cells_.empty(); }
    /// With one field, or all for an empty name; nothing: it has no such field.
    std::optional<FieldTable> show(std::string_view field) const;
    std::vector<std::string> names() const;
    std::string text(std::string_view field) const;  ///< empty: there is none, or it says nothing
    bool has(std::string_view field) const noexcept;
    /// Throws Error(usage) for a field that is not there or that nothing here sets.
    MendRequest request(std::string_view field, std::string_view value) const;

private:
    struct Cell {
        std::string name, value;
        bool settable;
    };
    void add(std::string_view name, std::string value, bool settable = false);
    std::vector<Cell> cells_;
};

}  // namespace hotstitch
