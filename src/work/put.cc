// SPDX-License-Identifier: MIT
// Puts parts into a file, or into parts of parts: each container closes what the one inside it has become. All in one
// call are one change. Tested by tests/part_test.cc and tests/payload_test.cc.
#include <fmt/format.h>

#include <numeric>
#include <span>

#include "hotstitch/error.h"
#include "hotstitch/part_jobs.h"

namespace hotstitch {
namespace {

bool lies_in(const Part& part, const ByteRange& range) {
    // What has no place of its own is made anew as a whole.
    return !part.offset || (range.offset >= *part.offset && range.offset < *part.offset + part.size.value_or(0));
}

std::uint64_t bytes_in(const std::vector<ByteRange>& ranges) {
    return std::accumulate(ranges.begin(), ranges.end(), std::uint64_t{0},
                           [](std::uint64_t sum, const ByteRange& range) { return sum + range.length; });
}

struct Putting {
    const PutOptions& put;
    const WorkOptions& work;

    /// The change of `file` that puts `content` where the names lead. `outer` is the part of the file itself.
    ChangeList into(const ByteSource& file, const std::string& file_name, std::span<const std::string> names,
                    const ByteSource& content, PutStep& step, Part& outer) const {
        const auto container = open_container(file, work.limits, work.progress);
        if (!container)
            throw Error(ErrorCode::unsupported, fmt::format("{} has no parts that are known", file_name))
                .hint(
                    "cartridge ROMs, executables and packed files have parts that can be put in; describe tells more "
                    "of this file");
        outer = find_part(*container, names.front());
        step.part = outer;
        const auto unpacked = work.limits.scratch ? work.limits.scratch() : std::make_unique<MemorySink>();
        extract_part(*container, outer.name, *unpacked);
        const MemorySource inner(unpacked->written().value());
        if (names.size() == 1) {
            step.changed = bytes_in(differing_ranges(inner, content));
            return container->put(outer, content, put);
        }
        Part inside;
        const ChangeList change = into(inner, outer.name, names.subspan(1), content, step, inside);
        if (change.empty()) return ChangeList(file.size());
        step.part = inside;
        return container->put(outer, ChangedSource(inner, change), put);
    }
};

}  // namespace

PutPlan plan_put(const InputFile& file, const std::vector<std::pair<std::string, std::string>>& parts,
                 const PutOptions& options, const WorkOptions& work) {
    PutPlan plan{{}, ChangeList(file.size())};
    for (const auto& [name, address] : parts) {
        const InputFile content = open_file(address, work);
        const ChangedSource made(file, plan.change);
        PutStep step{.part = {}, .address = name, .from = content.origin()};
        Part outer;
        const ChangeList change =
            Putting{options, work}.into(made, file.path().string(), split_address(name), content, step, outer);
        content.check_intact();
        step.outer = outer;
        step.size_before = made.size(), step.size_after = change.result_size();
        for (const ByteRange& range : differing_ranges(made, ChangedSource(made, change)))
            if (!lies_in(outer, range)) step.mended += range.length;
        plan.steps.push_back(std::move(step));
        plan.change = plan.change.then(change);
    }
    file.check_intact();
    return plan;
}

}  // namespace hotstitch
