// SPDX-License-Identifier: MIT
// A newer version of the patch came out, or of what was put in: the receipt knows the source, the place, the steps, and
// how all were taken. Tested by tests/job/receipt_test.cc and tests/job/recipe_test.cc.
#include "hotstitch/error.h"
#include "hotstitch/job.h"
#include "job/receipts.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

bool is_patch_of_all(const Step& step) {
    return (step.is<step::Patch>() || step.is<step::Edit>()) && step.at.empty();
}

/// The steps of a receipt in `folder`, with newer patches in place of those that it begins with.
std::vector<Step> steps_again(const Receipt& receipt, const fs::path& folder, const std::vector<std::string>& newer) {
    std::vector<Step> steps;
    steps.reserve(newer.size() + receipt.steps.size());
    for (const std::string& patch : newer) steps.push_back({.does = step::Patch{patch}});
    bool begins = true;
    for (const ReceiptStep& done : receipt.steps) {
        begins = begins && is_patch_of_all(done.step);
        if (begins && !newer.empty()) continue;
        Step step = done.step;
        if (const std::string* const file = file_of(step.does))
            set_file(step.does, path_from_receipt(*file, folder).string());
        else if (done.read)
            throw Error(ErrorCode::usage, "what was put in came through a pipe, so it cannot be taken again")
                .hint("save it as a file, and do it again with that");
        if (auto* const mend = step.as<step::Mend>())
            for (std::string& text : mend->mends)
                rename_file(text, [&](const std::string& name) { return path_from_receipt(name, folder).string(); });
        steps.push_back(std::move(step));
    }
    return steps;
}

}  // namespace

RenewPlan plan_renewal(const fs::path& named, const std::vector<std::string>& patches, const WorkOptions& options) {
    constexpr std::string_view ending = ".receipt.json";
    std::string name = really_absolute(named).string();
    if (name.ends_with(ending)) name.resize(name.size() - ending.size());
    const fs::path file = name, folder = file.parent_path();
    Receipt receipt = read_receipt(receipt_path(file));
    if (receipt.steps.empty()) throw Error(ErrorCode::usage, "the receipt tells of no step that could be done again");
    if (!patches.empty() && !is_patch_of_all(receipt.steps.front().step))
        throw Error(ErrorCode::usage, "the file was made without a patch, so there is none to renew")
            .as(ErrorId::no_patch_to_renew)
            .hint("without a patch, the same is done again; to patch the file, use apply");
    if (receipt.in_place && receipt.backup.empty())
        throw Error(ErrorCode::usage, receipt.journal.empty()
                                          ? "the source was replaced and no backup of it was kept"
                                          : "the source was changed where it lies, so it stands nowhere any more")
            .hint("undo first, then apply the newer patch");
    if (!receipt.in_place && receipt.source().file.path.empty())
        throw Error(ErrorCode::usage, "the source came through a pipe, so it cannot be taken again")
            .hint("save it as a file, and use apply");
    const fs::path source =
        receipt.in_place ? path_beside(receipt.backup, folder) : path_from_receipt(receipt.source().file.path, folder);
    must_be(source, receipt.source().file.digests, ErrorCode::wrong_source,
            "the source that the receipt names is not there as it was", "find the source again and use apply",
            options.progress);
    // A receipt may come from anybody.
    if (auto& reading = receipt.sources.front().reading; reading && reading->bytes > receipt.source().file.digests.size)
        reading.reset();
    RenewPlan plan;
    plan.output_changed = !compare_file(file, receipt.target().file.digests, options.progress).empty();
    plan.recipe.base = joined_address(source.string(), receipt.part);
    plan.recipe.steps = steps_again(receipt, folder, patches);
    plan.recipe.to.file = file.string();
    plan.recipe.to.replace = Replace::keep_backup;
    plan.recipe.to.keep_representation = receipt.keeps_representation;
    plan.recipe.mend = receipt.mend;
    plan.renews = std::move(receipt);
    return plan;
}

}  // namespace hotstitch
