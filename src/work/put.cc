// SPDX-License-Identifier: MIT
// Puts parts into a file. All in one call are one change. Tested by tests/part_test.cc.
#include <fmt/format.h>

#include "hotstitch/error.h"
#include "hotstitch/part_jobs.h"

namespace hotstitch {
namespace {

bool lies_in(const Part& part, const ByteRange& range) {
    return part.offset && range.offset >= *part.offset && range.offset < *part.offset + part.size.value_or(0);
}

}  // namespace

PutPlan plan_put(const InputFile& file, const std::vector<std::pair<std::string, std::string>>& parts, bool mend,
                 const WorkOptions& options) {
    PutPlan plan{{}, ChangeList(file.size())};
    for (const auto& [name, address] : parts) {
        const InputFile content = open_file(address, options);
        const ChangedSource made(file, plan.change);
        const auto container = open_container(made, options.limits, options.progress);
        if (!container)
            throw Error(ErrorCode::unsupported, fmt::format("{} has no parts that are known", file.path().string()))
                .hint("cartridge ROMs have parts that can be put in; describe tells more of this file");
        PutStep step{find_part(*container, split_address(name).front()), content.origin()};
        const ChangeList change = container->put(step.part, content, mend);
        content.check_intact();
        for (const ByteRange& range : differing_ranges(made, ChangedSource(made, change)))
            (lies_in(step.part, range) ? step.changed : step.mended) += range.length;
        plan.steps.push_back(std::move(step));
        plan.change = plan.change.then(change);
    }
    file.check_intact();
    return plan;
}

}  // namespace hotstitch
