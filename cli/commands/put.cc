// SPDX-License-Identifier: MIT
// Puts parts into a file. All in one call are one change.
#include <fmt/format.h>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "hotstitch/part.h"
#include "rewriting.h"

namespace hotstitch::cli {

void run(const PutArguments& arguments, const Context& context, Report& report) {
    const InputFile file = open_file(arguments.file, context);
    RewriteRequest request = rewrite_request(arguments.rewrite, file);
    file_fact(report, "file", file.path(), {.size = file.size()});
    ChangeList change(file.size());
    Json list = Json::array();
    for (const std::string& text : arguments.parts) {
        const std::size_t equals = text.find('=');
        if (equals == std::string::npos || equals == 0 || equals + 1 == text.size())
            throw Error(ErrorCode::usage, fmt::format("\"{}\" does not say which part gets what", text))
                .wanted("PART=FILE");
        const InputFile content = open_file(text.substr(equals + 1), context);
        // Each is put into what those before it have made.
        const Bytes made = changed(file.bytes(), change);
        const MemorySource made_before(made);
        const auto container = open_container(made_before, context.limits, context.progress);
        if (!container)
            throw Error(ErrorCode::unsupported, fmt::format("{} has no parts that are known", file.path().string()))
                .hint("cartridge ROMs have parts that can be put in; describe tells more of this file");
        const Part part = find_part(*container, split_address(text.substr(0, equals)).front());
        const ChangeList step = container->put(part, content, !arguments.no_mend);
        content.check_intact();
        std::uint64_t in_part = 0, outside = 0;
        for (const ByteRange& range : differing_ranges(made, changed(made, step))) {
            const bool inside = part.offset && range.offset >= *part.offset && range.offset < *part.offset + *part.size;
            (inside ? in_part : outside) += range.length;
        }
        list.push_back({{"name", as_utf8(part.name)},
                        {"from", as_utf8(content.origin())},
                        {"offset", part.offset ? Json(*part.offset) : Json(nullptr)},
                        {"size", *part.size},
                        {"changed_bytes", in_part},
                        {"mended_bytes", outside}});
        report.fact("parts", "put",
                    fmt::format("{} at {}, in its place: {} changed{}", escaped(part.name),
                                offset_text(part.offset.value_or(0)), counted(in_part, "byte", "bytes"),
                                outside == 0 ? ""
                                             : fmt::format("; outside it, {} of the ROM's own checks kept right",
                                                           counted(outside, "byte", "bytes"))),
                    list);
        request.what.push_back("put " + part.name);
        change = change.then(step);
    }
    file.check_intact();
    if (change.empty())
        return pass_on_unchanged(file, "nothing-to-put",
                                 fmt::format("Nothing changes: {} holds these bytes already.", shown(file.path())),
                                 arguments.rewrite, context, report);
    std::uint64_t changed_bytes = 0;
    for (const ByteRange& range : differing_ranges(file, ChangedSource(file, change))) {
        changed_bytes += range.length;
        report.note(fmt::format("{} at {}", counted(range.length, "byte", "bytes"), offset_text(range.offset)));
    }
    const auto place = write_rewritten(file, change, request, context, report);
    if (!place) return;
    report.conclude(
        Mood::good, "put",
        arguments.rewrite.patch.empty()
            ? fmt::format("Made {}: {} changed.", *place, counted(changed_bytes, "byte", "bytes"))
            : fmt::format("Made {}, a patch that changes {}.", *place, counted(changed_bytes, "byte", "bytes")),
        ExitCode::yes);
}

}  // namespace hotstitch::cli
