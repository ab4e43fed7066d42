// SPDX-License-Identifier: MIT
// Tables of fields for people and for spreadsheets.
#pragma once

#include <string>
#include <vector>

#include "hotstitch/fields.h"

namespace hotstitch::cli {

/// Aligned columns, numbers to the right; of each table at most so many records, and how many more there are. A table
/// of one record stands on its side.
std::string text_of_tables(const std::vector<FieldTable>& tables, std::size_t most_records, std::size_t width);

/// RFC 4180, one header line a table, an empty line between two tables.
std::string csv_of_tables(const std::vector<FieldTable>& tables);

}  // namespace hotstitch::cli
