// SPDX-License-Identifier: MIT
// A patch of the whole is not applied before somebody asks for what it makes: then it goes right into the output. One
// of a part is applied, and what it makes put back. Tested by tests/kit/kit_test.cc.
#include "hotstitch/apply.h"
#include "hotstitch/error.h"
#include "job/step_run.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

ChangeList replaced(const ByteSource& content, const SharedSource& by) {
    ChangeList list(content.size());
    list.put_from(0, content.size(), by, 0, by->size());
    return list;
}

Did patch(StepContext& context, const std::string& file) {
    StepHost& host = context.host;
    const SharedSource bytes = host.open_patch_file(file, host.work.limits);
    WorkingFile& target = context.target();
    if (context.names.empty()) {
        target.now(host.work);
        target.patch(bytes, open_patch(*bytes, host.work.limits), host.work.limits, host.blame());
        return {};
    }
    context.change(target, [&](const SharedSource& content, const Limits& limits) {
        const std::shared_ptr<ByteSink> made = scratch_of(limits);
        ApplyOptions options;
        options.limits = context.limits_for(limits);
        options.progress = host.work.progress;
        apply(*open_patch(*bytes, options.limits), *content, *made, options);
        return replaced(*content, held(made));
    });
    return {};
}

}  // namespace

Did run(StepContext& context, const step::Patch& does) {
    return patch(context, does.file);
}
Did run(StepContext& context, const step::Edit& does) {
    return patch(context, does.file);
}

}  // namespace hotstitch
