// SPDX-License-Identifier: MIT
#include <hotstitch/apply.h>
#include <hotstitch/version.h>

#include <iostream>

int main() {
    const auto target = hotstitch::apply_in_memory(hotstitch::bytes_of("PATCHEOF"), hotstitch::bytes_of("kelp")).target;
    std::cout << "hotstitch " << hotstitch::version() << ' ' << hotstitch::text_of(target) << '\n';
    return hotstitch::text_of(target) == "kelp" ? 0 : 1;
}
