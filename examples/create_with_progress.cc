// SPDX-License-Identifier: MIT
// Creates a patch between two large buffers, with a progress callback that could also stop the work.
#include <hotstitch/create.h>
#include <hotstitch/error.h>

#include <iostream>

int main() {
    const hotstitch::Bytes source(32 << 20, std::byte{0x20});
    hotstitch::Bytes target = source;
    for (std::size_t i = 1000; i < target.size(); i += 1'000'000) target[i] = std::byte{0x7E};

    hotstitch::CreateOptions options;
    options.format = hotstitch::PatchFormat::ips32;
    options.progress = [](const hotstitch::ProgressState& state) {
        if (state.done == state.total && state.total != 0) std::cout << "done " << name_of(state.phase) << '\n';
        return true;  // false would stop with Error(cancelled)
    };
    try {
        // create() has applied the patch and compared the result before it returns.
        const hotstitch::Bytes patch = hotstitch::create(source, target, options);
        std::cout << "one byte in a million changed; create writes it into a patch of " << patch.size() << " bytes\n";
    } catch (const hotstitch::Error& error) {
        std::cerr << error.what() << '\n';
        return 1;
    }
    return 0;
}
