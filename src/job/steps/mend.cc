// SPDX-License-Identifier: MIT
// Header and flag fixes, in the right order. Tested by tests/cli/cli_cartridge_test.cc and tests/kit/kit_test.cc.

#include <algorithm>

#include "job/step_run.h"
#include "source/whole.h"

namespace hotstitch {

Did run(StepContext& context, const step::Mend& does) {
    StepHost& host = context.host;
    std::vector<MendRequest> requests;
    for (const std::string& text : does.mends) {
        const std::size_t equals = std::min(text.find('='), text.size());
        requests.push_back({text.substr(0, equals), text.substr(std::min(equals + 1, text.size()))});
    }
    MendPlan plan;
    context.change(context.target(), [&](const SharedSource& content, const Limits& limits) {
        MendOptions options{.boot_code = does.boot_code, .keep_checks = host.mend, .allow = host.allow};
        options.limits = limits;
        options.content = [&](const std::string& name) {
            const StepContent file = host.open(name);
            const WholeView view(*file.source, limits);
            return Bytes(view.bytes().begin(), view.bytes().end());
        };
        plan = plan_mends(*content, requests, options);
        return plan.change;
    });
    return plan;
}

}  // namespace hotstitch
