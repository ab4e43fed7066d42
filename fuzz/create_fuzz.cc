// SPDX-License-Identifier: MIT
// The matcher and the writers: the input says how a source and a target are put together, of noise, of runs and of
// pieces of each other that are changed here and there. Every patch has to make the target, and a pair that takes
// longer than the fuzzer's time limit is a finding too.
#include <algorithm>
#include <array>
#include <cstdlib>
#include <iterator>
#include <random>

#include "hotstitch/apply.h"
#include "hotstitch/create.h"
#include "input.h"

using namespace hotstitch;

namespace {

constexpr std::size_t most = 3 << 19;  // more than one stretch of the matcher

void grow(Bytes& bytes, const Bytes& other, Input& input) {
    const unsigned kind = input.byte(), every = 2 + input.byte() % 64;
    const std::size_t length = std::min<std::size_t>(std::size_t{1 + input.byte()} << kind / 32, most - bytes.size()),
                      place = input.byte() * 256 * 16 + input.byte();
    const Bytes& from = kind % 2 == 0 ? other : bytes;
    switch (kind / 2 % 4) {
        case 0: bytes.insert(bytes.end(), length, static_cast<std::byte>(place)); break;
        case 1: {
            std::mt19937 random(static_cast<unsigned>(place));
            std::generate_n(std::back_inserter(bytes), length,
                            [&] { return static_cast<std::byte>(random() % every); });
            break;
        }
        default:
            if (from.empty()) break;
            for (std::size_t i = 0, at = place % from.size(); i < length && at + i < from.size(); ++i)
                bytes.push_back(from[at + i] ^ static_cast<std::byte>(kind / 2 % 4 == 3 && i % every == 0 ? 1 : 0));
    }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    Input input(std::string_view(reinterpret_cast<const char*>(data), std::min<std::size_t>(size, 600)));
    const unsigned how = input.byte();
    CreateOptions options{.effort = std::array{Effort::quick, Effort::normal, Effort::best}[how % 3]};
    options.format =
        std::array{PatchFormat::bps, PatchFormat::vcdiff, PatchFormat::vcdiff, PatchFormat::ups}[how / 4 % 4];
    options.vcdiff = {.window = how / 16 % 2 == 0 ? 8U << 20 : 5000U, .lzma = how / 4 % 4 == 2};
    Bytes source, target;
    while (!input.empty()) {
        const bool of_source = input.byte() % 2 == 0;
        grow(of_source ? source : target, of_source ? target : source, input);
    }
    if (hotstitch::apply_in_memory(hotstitch::create(source, target, options), source).target != target) std::abort();
    return 0;
}
