// SPDX-License-Identifier: MIT
// A newer version of the patch came out: the receipt knows the source and the place.
#include <fmt/format.h>

#include "commands/apply_report.h"
#include "hotstitch/error.h"
#include "receipts.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

void run(const RenewArguments& arguments, const Context& context, Report& report) {
    constexpr std::string_view ending = ".receipt.json";
    std::string name = really_absolute(arguments.receipt).string();
    if (name.ends_with(ending)) name.resize(name.size() - ending.size());
    const fs::path file = name, folder = file.parent_path();
    const Receipt receipt = read_receipt(receipt_path(file));
    report.fact("receipt", "by receipt", shown(receipt_path(file)), as_utf8(receipt_path(file).string()));

    if (receipt.patches.empty())
        throw Error(ErrorCode::usage, "the receipt tells of mends and of no patch, so there is none to renew")
            .hint("to patch the file, use apply");
    if (receipt.in_place && receipt.backup.empty())
        throw Error(ErrorCode::usage, "the source was replaced and no backup of it was kept")
            .hint("undo first, then apply the newer patch");
    const fs::path source =
        receipt.in_place ? path_beside(receipt.backup, folder) : path_from_receipt(receipt.source.path, folder);
    must_be(source, receipt.source.digests, ErrorCode::wrong_source,
            "the source that the receipt names is not there as it was", "find the source again and use apply",
            context.progress);
    if (!compare_file(file, receipt.target.digests, context.progress).empty())
        report.warn("the file in place was no longer what had been made; it is kept as a backup");

    ApplyArguments apply;
    apply.source = source.string();
    apply.patches = arguments.patches;
    apply.output.path = file.string();
    apply.output.replace = true;
    apply.mend = !receipt.mends.empty();
    run_apply(apply, context, report, &receipt);
}

}  // namespace hotstitch::cli
