// SPDX-License-Identifier: MIT
// Any bytes as an IPS patch: what the reader accepts is what the reference accepts, with the same result.
#include <cstdlib>
#include <stdexcept>

#include "hotstitch/apply.h"
#include "hotstitch/error.h"
#include "lib/reference_ips.h"

using namespace hotstitch;

namespace {

// A megabyte is more than any short input needs, and keeps the reference from filling 16 MiB each time.
constexpr std::uint64_t most = 1 << 20;

enum class Outcome { made, refused, too_large };

Outcome by_reference(ByteView patch, ByteView source, Bytes& target) {
    try {
        auto made = reference::apply_ips(patch, source, most);
        if (!made) return Outcome::refused;
        target = std::move(*made);
        return Outcome::made;
    } catch (const std::length_error&) {
        return Outcome::too_large;
    }
}

Outcome by_library(ByteView patch, ByteView source, Bytes& target) {
    ApplyOptions options;
    options.limits.output = most;
    try {
        target = hotstitch::apply(patch, source, options);
        return Outcome::made;
    } catch (const Error& error) {
        return error.code() == ErrorCode::limit ? Outcome::too_large : Outcome::refused;
    }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const ByteView patch = std::as_bytes(std::span(data, size));
    if (!recognise_patch(patch)) return 0;
    const ByteView source = bytes_of("Harbour master, the moon is up and the spring tide comes.");
    Bytes wanted, made;
    const Outcome reference = by_reference(patch, source, wanted);
    if (by_library(patch, source, made) != reference) std::abort();
    if (reference == Outcome::made && made != wanted) std::abort();
    return 0;
}
