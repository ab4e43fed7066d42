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
    Row{ErrorCode::exists, "receipt's place", "move it away, or leave no receipt, with --no-receipt"},
    Row{ErrorCode::usage, "receipt's name",
        "choose a shorter name for the output, or leave no receipt, with --no-receipt"},
    Row{ErrorCode::io, "receipt",
        "only what was made without --no-receipt has one; a UPS patch can be undone without: name it"},
    Row{ErrorCode::usage, "place of the result",
        "name an output with -o, replace the file itself with --in-place (it is kept as a backup), or write the change "
        "as a patch with --patch"},
    Row{ErrorCode::usage, "places of the result", "keep one of -o, --in-place and --patch"},
    Row{ErrorCode::usage, "format", "add --format, or a name with its extension"},
    Row{ErrorCode::usage, "format of no patch", "add --patch PATH, or leave out --format"},
    Row{ErrorCode::usage, "in place", "leave out --in-place, and name an output with -o"},
};

}  // namespace

std::string advice_for(const Error& error) {
    for (const Row& row : rows)
        if (row.code == error.code() && row.field == error.field()) return std::string(row.advice);
    return error.hint();
}

}  // namespace hotstitch::cli
