// SPDX-License-Identifier: MIT
#include <hotstitch/hotstitch.h>

#include <iostream>

int main() {
    const auto target = hotstitch::apply_in_memory(hotstitch::bytes_of("PATCHEOF"), hotstitch::bytes_of("kelp")).target;
    std::cout << "hotstitch " << hotstitch::version() << ' ' << hotstitch::text_of(target) << '\n';
    static_assert(HOTSTITCH_VERSION_NUMBER >= 100);
    return hotstitch::text_of(target) == "kelp" ? 0 : 1;
}
