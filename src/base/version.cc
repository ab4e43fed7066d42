// SPDX-License-Identifier: MIT
#include "hotstitch/version.h"

namespace hotstitch {

std::string_view version() noexcept {
    return HOTSTITCH_VERSION;
}

std::string built_with() {
    std::string parts = HOTSTITCH_WITH_LIBDEFLATE ? "libdeflate" : "portable checksums";
    if (HOTSTITCH_WITH_OPENSSL) parts += ", OpenSSL";
    if (HOTSTITCH_WITH_LZMA) parts += ", liblzma";
    if (HOTSTITCH_WITH_ARCHIVE) parts += ", libarchive";
    return parts;
}

}  // namespace hotstitch
