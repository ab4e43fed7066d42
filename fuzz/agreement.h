// SPDX-License-Identifier: MIT
// What the library accepts is what the reference accepts, with the same result.
#pragma once

#include <cstdlib>

#include "hotstitch/apply.h"
#include "hotstitch/error.h"
#include "lib/reference.h"

namespace agreement {

using namespace hotstitch;
using reference::Verdict;

// A megabyte is more than any short input needs, and keeps the reference from filling 16 MiB each time.
inline constexpr std::uint64_t most = 1 << 20;

inline Verdict by_library(ByteView patch, ByteView source, Bytes& target, bool& already_patched) {
    ApplyOptions options;
    options.limits.output = most;
    // The reference looks at sizes and actions only, but for the checks of windows.
    options.allow_source = options.allow_target = traits_of(*recognise_patch(patch)).has_checks;
    MemorySink sink;
    try {
        const ApplyReport report = hotstitch::apply(MemorySource(patch), MemorySource(source), sink, options);
        already_patched = report.fit.answer == FitAnswer::already_patched;
        target = sink.take();
        return Verdict::made;
    } catch (const Error& error) {
        if (error.code() == ErrorCode::io || error.code() == ErrorCode::cancelled || error.code() == ErrorCode::usage)
            std::abort();
        return error.code() == ErrorCode::limit ? Verdict::too_large : Verdict::refused;
    }
}

/// REQUIRES a patch of a known format.
inline void check(ByteView patch, ByteView source) {
    Bytes wanted, made;
    bool already_patched = false;
    const Verdict wanted_outcome = reference::judge(patch, source, most, wanted);
    const Verdict library = by_library(patch, source, made, already_patched);
    // A source with the checksums of the target is taken for it, whatever the windows' instructions say.
    if (already_patched && recognise_patch(patch) == PatchFormat::vcdiff) return;
    // A source that ends too early is found while building, when the output's size has long been judged.
    const bool agree = wanted_outcome == Verdict::wrong_source ? library != Verdict::made : library == wanted_outcome;
    if (!agree) std::abort();
    if (wanted_outcome == Verdict::made && made != wanted) std::abort();
}

}  // namespace agreement
