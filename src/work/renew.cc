// SPDX-License-Identifier: MIT
// A newer version of the patch came out: the receipt knows the source, the place, and how both were taken.
// Tested by tests/receipt_test.cc.
#include "hotstitch/error.h"
#include "hotstitch/jobs.h"
#include "work/receipts.h"

namespace hotstitch {

namespace fs = std::filesystem;

RenewPlan plan_renewal(const fs::path& named, std::vector<std::string> patches, const WorkOptions& options) {
    constexpr std::string_view ending = ".receipt.json";
    std::string name = really_absolute(named).string();
    if (name.ends_with(ending)) name.resize(name.size() - ending.size());
    const fs::path file = name, folder = file.parent_path();
    Receipt receipt = read_receipt(receipt_path(file));
    if (receipt.patches.empty())
        throw Error(ErrorCode::usage, "the receipt tells of mends and of no patch, so there is none to renew")
            .hint("to patch the file, use apply");
    if (receipt.in_place && receipt.backup.empty())
        throw Error(ErrorCode::usage, receipt.journal.empty()
                                          ? "the source was replaced and no backup of it was kept"
                                          : "the source was changed where it lies, so it stands nowhere any more")
            .hint("undo first, then apply the newer patch");
    if (!receipt.in_place && receipt.source.path.empty())
        throw Error(ErrorCode::usage, "the source came through a pipe, so it cannot be taken again")
            .hint("save it as a file, and use apply");
    const fs::path source =
        receipt.in_place ? path_beside(receipt.backup, folder) : path_from_receipt(receipt.source.path, folder);
    must_be(source, receipt.source.digests, ErrorCode::wrong_source,
            "the source that the receipt names is not there as it was", "find the source again and use apply",
            options.progress);
    // A receipt may come from anybody.
    if (receipt.representation && receipt.representation->bytes > receipt.source.digests.size)
        receipt.representation.reset();
    RenewPlan plan;
    plan.output_changed = !compare_file(file, receipt.target.digests, options.progress).empty();
    plan.request.source = joined_address(source.string(), receipt.part);
    plan.request.patches = std::move(patches);
    plan.request.output = file.string();
    plan.request.replace = Replace::keep_backup;
    plan.request.mend = !receipt.mends.empty();
    plan.request.keep_representation = receipt.keeps_representation;
    plan.request.renews = std::move(receipt);
    return plan;
}

}  // namespace hotstitch
