// SPDX-License-Identifier: MIT
// Applies a patch that a program holds in memory, and shows what a refusal tells.
#include <hotstitch/apply.h>
#include <hotstitch/error.h>

#include <iostream>

int main() {
    const std::string_view source = "Day breaks over Kelp Harbour";
    // One record at offset 0 that writes "Night falls", one at 11 that writes the rest; see docs/formats/ips.md.
    using namespace std::string_view_literals;
    constexpr std::string_view patch = "PATCH\0\0\0\0\x0BNight falls\0\0\x0B\0\x13 over Kelp Harbour.EOF"sv;
    try {
        const hotstitch::Bytes target =
            hotstitch::apply_in_memory(hotstitch::bytes_of(patch), hotstitch::bytes_of(source)).target;
        std::cout << hotstitch::text_of(target) << '\n';

        // Half a patch: the error says where it ends and what should stand there.
        hotstitch::apply_in_memory(hotstitch::bytes_of(patch.substr(0, 20)), hotstitch::bytes_of(source));
    } catch (const hotstitch::Error& error) {
        std::cout << name_of(error.code()) << ": " << error.what() << " (offset " << error.offset().value_or(0)
                  << ")\n";
        return error.code() == hotstitch::ErrorCode::truncated ? 0 : 1;
    }
    return 1;
}
