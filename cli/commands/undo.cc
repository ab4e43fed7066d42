// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "hotstitch/job.h"
#include "hotstitch/text.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

void run(const UndoArguments& arguments, const Context& context, Report& report) {
    std::error_code code;
    const fs::path file = fs::weakly_canonical(fs::absolute(arguments.file, code), code);
    const fs::path receipt = receipt_path(file);
    path_fact(report, "file", "file", file);
    if (fs::exists(receipt, code)) path_fact(report, "receipt", "receipt", receipt);
    const UndoResult result = undo(arguments.file, arguments.patch, context);
    if (result.refusal) throw Error(*result.refusal);
    if (result.patch)
        file_fact(report, "patch", arguments.patch, {.size = result.patch->patch_size}, words_for(*result.patch));
    if (!result.source.empty()) path_fact(report, "source", "source", result.source);
    if (result.unproven_reverse)
        report.warn(fmt::format("{} stays: it is not proven to be the one that was made here",
                                shown(*result.unproven_reverse)));
    for (const fs::path& left : result.left)
        report.warn(fmt::format("{} stays: it is no longer what was written beside it", shown(left)));
    for (const fs::path& kept : result.aside)
        report.warn(fmt::format("something else stood in the place of what came back; it is kept as {}", shown(kept)));
    if (result.kept) {
        path_fact(report, "kept", "kept as", result.kept);
        report.warn(fmt::format("{} is not proven to be the file that was put there, so it was kept under another name",
                                shown(file.filename())));
    }
    if (result.earlier_changes) report.next("earlier changes of this file can be undone by the same call");
    if (result.by_journal) {
        report.detail("journal", true);
        return report.good("restored", fmt::format("Restored {}: {} was undone.", shown(file),
                                                   result.was_stopped ? "a change that had been stopped in the middle"
                                                                      : "the last change in its place"));
    }
    report.good(result.outcome == UndoOutcome::restored ? "restored" : "removed", escaped(words_for(result)));
}

}  // namespace hotstitch::cli
