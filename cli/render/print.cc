// SPDX-License-Identifier: MIT
// Tested by tests/cli/cli_streams_test.cc.
#include "render/print.h"

namespace hotstitch::cli {

bool put(std::FILE* stream, std::string_view text) noexcept {
    const bool written = std::fwrite(text.data(), 1, text.size(), stream) == text.size();
    return std::fflush(stream) == 0 && written;
}

}  // namespace hotstitch::cli
