// SPDX-License-Identifier: MIT
#include "advice.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "hotstitch/text.h"

namespace hotstitch::cli {
namespace {

struct Row {
    ErrorId id;
    std::string_view advice;  ///< {}: the file that it is about
};

constexpr std::array rows{
    Row{ErrorId::output_exists, "name another output with -o, or add --replace (the old file is kept as a backup)"},
    Row{ErrorId::target_too_large, "if the patch is meant to do this, allow it with --limit-output SIZE"},
    Row{ErrorId::archive_too_large, "if you trust this archive, allow it with --limit-unpacked SIZE"},
    Row{ErrorId::receipt_place_taken, "move it away, or leave no receipt, with --no-receipt"},
    Row{ErrorId::receipt_name_too_long, "choose a shorter name for the output, or leave no receipt, with --no-receipt"},
    Row{ErrorId::no_receipt,
        "if the file was renamed since, rename its receipt with it; --no-receipt makes none; a UPS patch can be undone "
        "without: name it"},
    Row{ErrorId::no_place_named,
        "name an output with -o, replace the file itself with --in-place (it is kept as a backup), or write the change "
        "as a patch with --patch"},
    Row{ErrorId::several_places_named, "keep one of -o, --in-place and --patch"},
    Row{ErrorId::no_format_named, "add --format, or a name with its extension"},
    Row{ErrorId::format_of_no_patch, "add --patch PATH, or leave out --format"},
    Row{ErrorId::platform_not_certain,
        "say which: --from FILE, --nes LIST, or --size 512 for an empty copier's header"},
    Row{ErrorId::platform_without_header, "if there is one all the same: --from FILE, or --size N for an empty one"},
    Row{ErrorId::has_front_header, "take it off first, with hotstitch header strip"},
    Row{ErrorId::needs_room,
        "let it go behind the last file with --room append, or move what follows it with --room rebuild"},
    Row{ErrorId::cannot_move,
        "nothing states where it stands, so it cannot move; with --room rebuild, what follows it does"},
    Row{ErrorId::cannot_make_room, "put it at the end: --room append"},
    Row{ErrorId::needs_keys, "name a file of your own keys, with a line common = …: --keys FILE"},
    Row{ErrorId::needs_map,
        "name the map with --map FILE, or put it beside the file, under a name that ends in .map.toml"},
    Row{ErrorId::sheet_of_another_form, "add --keep-representation as well, or leave out --with-sheet"},
    Row{ErrorId::cannot_be_in_place, "leave out --in-place, and name an output with -o"},
    Row{ErrorId::archived_in_place, "leave out --in-place: the output then lies beside the archive"},
    Row{ErrorId::output_is_input, "name another output, or use --in-place (the file is kept as a backup)"},
    Row{ErrorId::looks_packed,
        "look for a copy of the plain program; to change this one all the same, allow it: --allow packed"},
    Row{ErrorId::is_signed,
        "take the signature off with the mend remove-signature, or go on with a broken one: --allow signature"},
    Row{ErrorId::not_as_kit_says,
        "this is a mistake in the kit, or in this program; tell its maker (to go on all the same: --allow target)"},
    Row{ErrorId::part_is_new, "if it is to be a new file, add it (--add)"},
    Row{ErrorId::several_headers_named, "--from, --nes and --size are three ways to say the same: keep one of them"},
    Row{ErrorId::no_patch_to_renew,
        "without a patch, hotstitch renew does the same again; to patch the file, use hotstitch apply"},
    Row{ErrorId::sizes_differ, "hotstitch create makes an edit list of any two files: --format edits"},
    Row{ErrorId::list_too_large, "hotstitch create --format bps holds it"},
    Row{ErrorId::stopped_in_place, "hotstitch undo {} puts back what was there before"},
    Row{ErrorId::original_not_in_place, "put the original in place first: --use original"},
    Row{ErrorId::original_changed,
        "bring it back yourself (hotstitch undo {}, where it was changed in place by a kit); or, if it is the original "
        "now, say so (--adopt)"},
    Row{ErrorId::original_gone,
        "if what stands in its place is the original now, say so (--adopt); else restore it by other means"},
};

}  // namespace

void conclude(tell::Report& report, const Error& error, std::string_view reassurance) {
    const auto* const row = std::find_if(rows.begin(), rows.end(), [&](const Row& r) { return r.id == error.id(); });
    report.conclude(
        error, reassurance,
        row == rows.end() ? error.hint() : fmt::format(fmt::runtime(row->advice), shell_file(error.about())));
}

}  // namespace hotstitch::cli
