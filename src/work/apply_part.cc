// SPDX-License-Identifier: MIT
// A patch for a part: what it makes is put back, and the output is the file that the part lies in.
// Tested by tests/cli_disc_test.cc.
#include <fmt/format.h>

#include "hotstitch/error.h"
#include "hotstitch/part_jobs.h"
#include "source/whole.h"
#include "work/apply_state.h"
#include "work/receipts.h"

namespace hotstitch {

namespace fs = std::filesystem;

/// The file that a part lies in, where parts can be put into it.
std::optional<std::pair<InputFile, std::string>> ApplyJob::State::file_around() const {
    ChangedFile changed = open_to_change(request.source, work, Left::packed);
    if (changed.inside.empty()) return std::nullopt;
    return std::pair{std::move(changed.file), joined_address(changed.inside)};
}

void ApplyJob::State::deliver_around() {
    refuse_implausible();
    if (request.reverse)
        throw Error(ErrorCode::usage, "no reverse patch is kept where a part of a file is patched")
            .in("reverse")
            .hint("leave that request out");
    const std::unique_ptr<ByteSink> made = scratch_of(work.limits);
    make(*made);
    if (!stages.back().made.made) {
        result.outcome = ApplyOutcome::already_patched;
        return;
    }
    finish_content(*made);
    const WrittenSource content(*made);
    PutOptions options;
    options.room = request.room;
    const InputFile& file = around->first;
    const PutPlan plan = plan_put(file, {{.part = around->second, .content = borrowed(content)}}, options, work);
    RewriteRequest rewriting;
    rewriting.in_place = request.in_place;
    if (!request.in_place) rewriting.output = output_path().string();
    rewriting.replace = request.replace;
    rewriting.receipt = request.receipt, rewriting.digests = request.digests;
    rewriting.what = {"patch " + around->second};
    const fs::path output = request.in_place ? file.path() : fs::path(rewriting.output);
    rewriting.patched = receipt_for(really_absolute(output).parent_path());
    rewriting.patched->part = around->second;
    rewriting.patched->source = {}, rewriting.patched->target = {};
    rewriting.renews = request.renews;
    for (const ApplyStage& stage : stages) rewriting.read.push_back(stage.file.path());
    const RewriteResult written = rewrite(file, plan.change, rewriting, work);
    result.delivered = written.delivered;
    result.output = written.output;
    result.put = plan.steps;
    if (result.delivered.stood_already) result.outcome = ApplyOutcome::made_already;
}

}  // namespace hotstitch
