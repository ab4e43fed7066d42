// SPDX-License-Identifier: MIT
#include "advice.h"

#include <algorithm>
#include <array>

namespace hotstitch::cli {
namespace {

struct Row {
    ErrorCode code;
    std::string_view field, advice;
    bool is_told = false;  ///< the field says something to people too
};

constexpr std::array rows{
    Row{ErrorCode::exists, "existing output",
        "name another output with -o, or add --replace (the old file is kept as a backup)", true},
    Row{ErrorCode::limit, "target size", "if the patch is meant to do this, allow it with --limit-output SIZE", true},
    Row{ErrorCode::limit, "archive unpacked", "if you trust this archive, allow it with --limit-unpacked SIZE", true},
    Row{ErrorCode::limit, "archive time", "if you trust this archive, allow it with --limit-unpacked SIZE", true},
    Row{ErrorCode::exists, "receipt's place", "move it away, or leave no receipt, with --no-receipt"},
    Row{ErrorCode::usage, "receipt's name",
        "choose a shorter name for the output, or leave no receipt, with --no-receipt"},
    Row{ErrorCode::io, "receipt",
        "if the file was renamed since, rename its receipt with it; --no-receipt makes none; a UPS patch can be undone "
        "without: name it"},
    Row{ErrorCode::usage, "place of the result",
        "name an output with -o, replace the file itself with --in-place (it is kept as a backup), or write the change "
        "as a patch with --patch"},
    Row{ErrorCode::usage, "places of the result", "keep one of -o, --in-place and --patch"},
    Row{ErrorCode::usage, "format", "add --format, or a name with its extension"},
    Row{ErrorCode::usage, "format of no patch", "add --patch PATH, or leave out --format"},
    Row{ErrorCode::usage, "platform", "say which: --from FILE, --nes LIST, or --size 512 for an empty copier's header"},
    Row{ErrorCode::usage, "platform's header",
        "if there is one all the same: --from FILE, or --size N for an empty one"},
    Row{ErrorCode::usage, "front header", "take it off first, with hotstitch header strip", true},
    Row{ErrorCode::usage, "room",
        "let it go behind the last file with --room append, or move what follows it with --room rebuild", true},
    Row{ErrorCode::unsupported, "keys", "name a file of your own keys, with a line common = …: --keys FILE"},
    Row{ErrorCode::usage, "with sheet", "add --keep-representation as well, or leave out --with-sheet"},
    Row{ErrorCode::usage, "in place", "leave out --in-place, and name an output with -o"},
    Row{ErrorCode::usage, "in place in an archive", "leave out --in-place: the output then lies beside the archive"},
    Row{ErrorCode::usage, "output or in place",
        "name another output, or use --in-place (the file is kept as a backup)"},
};

const Row* row_for(const Error& error) {
    const auto found = std::find_if(rows.begin(), rows.end(), [&](const Row& row) {
        return row.code == error.code() && row.field == error.field();
    });
    return found == rows.end() ? nullptr : &*found;
}

}  // namespace

void conclude(tell::Report& report, const Error& error, std::string_view reassurance) {
    const Row* const row = row_for(error);
    // Some fields are only there to find the advice by.
    report.conclude(error, reassurance, row != nullptr ? row->advice : std::string_view(error.hint()),
                    !error.field().empty() && (row == nullptr || row->is_told));
}

}  // namespace hotstitch::cli
