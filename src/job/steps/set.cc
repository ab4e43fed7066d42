// SPDX-License-Identifier: MIT
// Named fields get values. Tested by tests/cli/cli_fields_test.cc and tests/kit/kit_test.cc.
#include "job/step_run.h"

namespace hotstitch {

Did run(StepContext& context, const step::Set& does) {
    StepHost& host = context.host;
    WorkingFile& file = context.target();
    const std::string inside = joined_address(context.names);
    std::optional<FieldPlan> plan;
    context.change(file, [&](const SharedSource& content, const Limits& narrowed) {
        const FieldOptions options{.mend = host.mend, .allow = host.allow, .limits = context.limits_for(narrowed)};
        plan.emplace(host.fields_of(content, options.limits).set(does.fields, options));
        return plan->change;
    });
    if (!inside.empty())
        for (FieldChange& field : plan->fields) field.part = joined_address(inside, field.part);
    return *std::move(plan);
}

}  // namespace hotstitch
