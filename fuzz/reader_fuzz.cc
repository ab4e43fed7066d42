// SPDX-License-Identifier: MIT
// Any bytes as a patch: what the reader accepts is what the reference accepts, with the same result. The seeds
// decide which format a target explores. UPS and BPS end in checksums no fuzzer would guess: they are put right.
#include <cstdlib>

#include "hotstitch/apply.h"
#include "hotstitch/error.h"
#include "lib/patch_makers.h"
#include "lib/reference.h"

using namespace hotstitch;

namespace {

// A megabyte is more than any short input needs, and keeps the reference from filling 16 MiB each time.
constexpr std::uint64_t most = 1 << 20;

using reference::Outcome;

Outcome by_library(ByteView patch, ByteView source, Bytes& target) {
    ApplyOptions options;
    options.limits.output = most;
    options.allow_source = options.allow_target = true;  // the reference looks at sizes and actions only
    try {
        target = hotstitch::apply(patch, source, options);
        return Outcome::made;
    } catch (const Error& error) {
        return error.code() == ErrorCode::limit ? Outcome::too_large : Outcome::refused;
    }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const ByteView input = std::as_bytes(std::span(data, size));
    const auto format = recognise_patch(input);
    if (!format) return 0;
    const ByteView source = bytes_of("Harbour master, the moon is up and the spring tide comes.");
    Bytes patch(input.begin(), input.end());
    if (traits_of(*format).has_checks) makers::put_crcs_right(patch, source);
    Bytes wanted, made;
    const Outcome wanted_outcome = reference::judge(patch, source, most, wanted);
    const Outcome library = by_library(patch, source, made);
    // A source that ends too early is found while building, when the output's size has long been judged.
    const bool agree = wanted_outcome == Outcome::wrong_source ? library != Outcome::made : library == wanted_outcome;
    if (!agree) std::abort();
    if (wanted_outcome == Outcome::made && made != wanted) std::abort();
    return 0;
}
