// SPDX-License-Identifier: MIT
// Any bytes as a patch: what the reader accepts is what the reference accepts, with the same result. The seeds
// decide which format a target explores. UPS and BPS end in checksums no fuzzer would guess: they are put right.
#include "agreement.h"
#include "lib/patch_makers.h"

using namespace hotstitch;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const ByteView input = std::as_bytes(std::span(data, size));
    const auto format = recognise_patch(input);
    if (!format || *format == PatchFormat::edits) return 0;  // lists of edits have a target of their own
    const ByteView source = bytes_of("Harbour master, the moon is up and the spring tide comes.");
    Bytes patch(input.begin(), input.end());
    if (traits_of(*format).has_checks) makers::put_crcs_right(patch, source);
    agreement::check(patch, source);
    return 0;
}
