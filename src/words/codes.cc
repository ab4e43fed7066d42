// SPDX-License-Identifier: MIT
// What codes mean, for people. Tested by tests/cli_cartridge_test.cc and tests/receipt_test.cc.
#include <fmt/format.h>

#include "hotstitch/jobs.h"
#include "hotstitch/words.h"

namespace hotstitch {

std::string words_for(InternalChecks checks) {
    switch (checks) {
        case InternalChecks::none_in_source: return "none that are known in the source";
        case InternalChecks::wrong_before: return "not all right before the patch, so left as they are";
        case InternalChecks::none_in_result: return "none that are known in the result";
        case InternalChecks::right: return "right, before and after the patch";
        case InternalChecks::mended:
            return "right before the patch, stale after it, mended: the output differs in them from what the patch "
                   "makes";
        case InternalChecks::cannot_be_mended: return "stale after the patch, and could not be mended";
        case InternalChecks::not_asked: break;
    }
    return "not looked at";
}

std::string words_for_mend(std::string_view code) {
    constexpr std::string_view strip = "strip-header ", attach = "attach-header ", put = "put ";
    if (code.starts_with(strip)) return fmt::format("front header of {} bytes taken off", code.substr(strip.size()));
    if (code.starts_with(attach)) return fmt::format("front header of {} bytes put on", code.substr(attach.size()));
    if (code.starts_with(put)) return fmt::format("{} put in", code.substr(put.size()));
    return std::string(code);
}

}  // namespace hotstitch
