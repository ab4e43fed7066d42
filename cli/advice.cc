// SPDX-License-Identifier: MIT
#include "advice.h"

#include <array>

namespace hotstitch::cli {
namespace {

struct Row {
    ErrorCode code;
    std::string_view field, advice;
};

constexpr std::array rows{
    Row{ErrorCode::exists, "existing output",
        "name another output with -o, or add --replace (the old file is kept as a backup)"},
    Row{ErrorCode::limit, "target size", "if the patch is meant to do this, allow it with --limit-output SIZE"},
    Row{ErrorCode::limit, "archive unpacked", "if you trust this archive, allow it with --limit-unpacked SIZE"},
    Row{ErrorCode::limit, "archive time", "if you trust this archive, allow it with --limit-unpacked SIZE"},
};

}  // namespace

std::string advice_for(const Error& error) {
    for (const Row& row : rows)
        if (row.code == error.code() && row.field == error.field()) return std::string(row.advice);
    return error.hint();
}

}  // namespace hotstitch::cli
