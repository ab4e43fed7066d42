// SPDX-License-Identifier: MIT
// What patches hold and ask, for people. Tested by tests/cli/cli_create_test.cc and tests/cli/cli_streams_test.cc.
#include <fmt/format.h>

#include "hotstitch/create.h"
#include "hotstitch/patch.h"
#include "hotstitch/summary.h"
#include "hotstitch/text.h"
#include "hotstitch/window.h"

namespace hotstitch {

std::string words_for(const PatchFacts& patch) {
    const FormatTraits& format = traits_of(patch.format);
    return fmt::format("{}, {}", format.title, counted(patch.records, format.record, format.records));
}

std::string words_for(const PatchDemands& demands) {
    std::string list;
    const auto add = [&](bool wanted, std::string_view text) {
        if (wanted) list += fmt::format("{}{}", list.empty() ? "" : ", ", text);
    };
    add(demands.grows, "grows the file");
    add(demands.cuts, "cuts the file shorter");
    add(demands.past_16_mib, "writes past 16 MiB");
    return list;
}

std::string words_for(const Window& window) {
    std::string text =
        fmt::format("{}: {} at {}", window.number, counted(window.length, "byte", "bytes"), offset_text(window.offset));
    if (window.segment != Segment::none)
        text +=
            fmt::format(", from {} {} to {}", window.segment == Segment::source ? "source" : "target",
                        offset_text(window.segment_offset), offset_text(window.segment_offset + window.segment_length));
    text += fmt::format(", {} in the patch", counted(window.patch_length, "byte", "bytes"));
    return text + (window.adler32 ? fmt::format(", adler32 {}", window.adler32->hex()) : ", unchecked");
}

std::string words_for(const SharedBytes& shared) {
    if (!shared.counted) return "not counted: the patch is too large for the memory budget";
    if (shared.literal == 0) return "no literal bytes in the patch";
    return fmt::format("{} of {} literal bytes ({:.1f} %) also stand in the source", grouped(shared.shared),
                       grouped(shared.literal),
                       100.0 * static_cast<double>(shared.shared) / static_cast<double>(shared.literal));
}

}  // namespace hotstitch
