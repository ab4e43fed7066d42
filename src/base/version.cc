// SPDX-License-Identifier: MIT
#include "hotstitch/version.h"

namespace hotstitch {
namespace {

#define HOTSTITCH_TEXT_OF(number) #number
#define HOTSTITCH_DOTTED(major, minor, patch) \
    HOTSTITCH_TEXT_OF(major) "." HOTSTITCH_TEXT_OF(minor) "." HOTSTITCH_TEXT_OF(patch)
constexpr std::string_view of_headers =
    HOTSTITCH_DOTTED(HOTSTITCH_VERSION_MAJOR, HOTSTITCH_VERSION_MINOR, HOTSTITCH_VERSION_PATCH);
#ifdef HOTSTITCH_VERSION
static_assert(of_headers == HOTSTITCH_VERSION, "version.h and the project's version are one");
#endif

}  // namespace

std::string_view version() noexcept {
    return of_headers;
}

std::string built_with() {
    std::string parts = HOTSTITCH_WITH_LIBDEFLATE ? "libdeflate" : "portable checksums";
    if (HOTSTITCH_WITH_OPENSSL) parts += ", OpenSSL";
    if (HOTSTITCH_WITH_LZMA) parts += ", liblzma";
    if (HOTSTITCH_WITH_ARCHIVE) parts += ", libarchive";
    return parts;
}

}  // namespace hotstitch
