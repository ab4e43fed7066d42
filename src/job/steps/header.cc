// SPDX-License-Identifier: MIT
// Front headers of cartridge ROMs, taken off and put on. Tested by tests/cli/cli_cartridge_test.cc.
#include <algorithm>

#include "hotstitch/cartridge.h"
#include "hotstitch/error.h"
#include "job/step_run.h"

namespace hotstitch {

Did run(StepContext& context, const step::StripHeader& does) {
    std::optional<StripPlan> plan;
    context.change(context.target(), [&](const SharedSource& content, const Limits&) {
        plan.emplace(plan_strip(*content, does.size));
        return plan->change;
    });
    return *std::move(plan);
}

namespace {

/// The header to attach: of a file, described, or empty for the one of the platform.
Bytes header_of(const step::AttachHeader& does, StepHost& host) {
    const int ways = (does.file.empty() ? 0 : 1) + (does.nes.empty() ? 0 : 1) + (does.size == 0 ? 0 : 1);
    if (ways > 1)
        throw Error(ErrorCode::usage, "the header to attach is named in more than one way")
            .as(ErrorId::several_headers_named)
            .hint("keep one of them");
    if (!does.nes.empty()) return nes_front_header(does.nes);
    if (does.file.empty()) return Bytes(static_cast<std::size_t>(std::min(does.size, largest_front_header + 1)));
    return front_header_in(*host.open(does.file).source);
}

}  // namespace

Did run(StepContext& context, const step::AttachHeader& does) {
    AttachReport report;
    context.change(context.target(), [&](const SharedSource& content, const Limits&) {
        ChangeList change = plan_attach(*content, header_of(does, context.host));
        report.size = change.result_size() - content->size();
        return change;
    });
    return report;
}

}  // namespace hotstitch
