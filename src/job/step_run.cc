// SPDX-License-Identifier: MIT
// Each step becomes a change list of the base it works on, or of the file in it, and is joined to those before it: so a
// disc is written once however many parts are put into it. Tested by tests/kit/kit_test.cc and
// tests/job/recipe_test.cc.
#include "job/step_run.h"

#include "hotstitch/error.h"

namespace hotstitch {

Listing StepHost::open_outermost(const SharedSource& file) const {
    return Listing(file, work.limits, work.progress, outermost);
}

WorkingFile& StepContext::target() {
    if (!base.is_folder()) return *base.file;
    if (names.empty()) throw Error(ErrorCode::usage, "the base is a folder, and this is for a file").in("step");
    const auto found = base.tree.find(names.front());
    if (found == base.tree.end() || found->second.kind != TreeEntry::Kind::file)
        throw no_such_file(base.tree, names.front());
    if (!found->second.working) found->second.working = std::make_shared<WorkingFile>(found->second.open());
    names.erase(names.begin());
    return *found->second.working;
}

PutOptions StepContext::put_options() const {
    PutOptions options{.mend = host.mend || step.is<step::Mend>(), .allow = host.allow};
    if (const auto* const put = step.as<step::Put>()) options.room = put->room, options.add = put->add;
    if (const auto* const patch = step.as<step::Patch>()) options.room = patch->room;
    return options;
}

void StepContext::change(WorkingFile& file, const ChangePart& make) {
    const SharedSource now = file.now(host.work);
    ChangeList change = change_inside(now, names, make, put_options(), host.work.limits, host.outermost);
    change.hold(now);
    file.change(change);
}

Did run_step(StepContext context) {
    return std::visit([&](const auto& does) { return run(context, does); }, context.step.does);
}

}  // namespace hotstitch
