// SPDX-License-Identifier: MIT
#include "render/style.h"

#include <sys/ioctl.h>
#include <unistd.h>

#include <cstdlib>

namespace hotstitch::cli {

bool wants_colour(When when, int descriptor) {
    if (when != When::automatic) return when == When::always;
    const char* const no_colour = std::getenv("NO_COLOR");
    return isatty(descriptor) == 1 && (no_colour == nullptr || *no_colour == '\0');
}

std::size_t width_of(int descriptor) {
    struct winsize size {};
    return isatty(descriptor) == 1 && ioctl(descriptor, TIOCGWINSZ, &size) == 0 ? size.ws_col : 0;
}

}  // namespace hotstitch::cli
