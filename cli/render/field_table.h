// SPDX-License-Identifier: MIT
// Tables of fields for people and for spreadsheets.
#pragma once

#include <string>

#include "hotstitch/fields.h"

namespace hotstitch::cli {

/// Tables for people, slice by slice (Fields::show_each): aligned columns, numbers to the right, the columns' names
/// again where a table goes on. A table of one record stands on its side.
class TablesText {
public:
    /// `width`: columns of the terminal; 0: any. `counts_rest`: how many more records there are is said.
    TablesText(std::size_t width, bool counts_rest) : width_(width), counts_rest_(counts_rest) {}
    std::string add(const FieldTable& table);

private:
    std::size_t width_;
    bool counts_rest_, first_ = true;
};

/// The same as RFC 4180, one header line a table, an empty line between two tables.
class TablesCsv {
public:
    std::string add(const FieldTable& table);

private:
    bool first_ = true, has_keys_ = false;
};

}  // namespace hotstitch::cli
