// SPDX-License-Identifier: MIT
// The whole path: the first bytes choose options and split the rest into source and patch; then everything that
// can be asked of a patch is asked. What applies is turned into a patch again, in every format.
#include <cstdlib>

#include "hotstitch/apply.h"
#include "hotstitch/checks.h"
#include "hotstitch/create.h"
#include "hotstitch/error.h"
#include "hotstitch/fit.h"
#include "hotstitch/receipt.h"
#include "hotstitch/summary.h"

using namespace hotstitch;

namespace {

void ask_everything(ByteView patch, ByteView source, const ApplyOptions& options) {
    const auto reader = open_patch(patch, options.limits);
    const MemorySource from(source);
    if (diagnose(*reader, source, {.checks = options.checks}).reasons.empty()) std::abort();
    const PatchSummary summary = summarise(*reader, source.size());
    if (summary.target_size != reader->target_size(source.size())) std::abort();
    const SharedBytes shared = count_shared(*reader, from, options.limits);
    if (shared.shared > shared.literal) std::abort();
    const Bytes target = hotstitch::apply_in_memory(patch, source, options).target;
    if (target.size() != summary.target_size) std::abort();
    if (!compare_with_target(*reader, from, MemorySource(target)).same) std::abort();
    for (const FormatTraits& format : patch_formats()) {
        const Bytes again = hotstitch::create(source, target, {.format = format.id});
        if (hotstitch::apply_in_memory(again, source).target != target) std::abort();
    }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const ByteView input = std::as_bytes(std::span(data, size));
    if (input.size() < 4) return 0;
    ApplyOptions options;
    // Bounds what one input may cost: a run of 64 KiB at offset 16 MiB is a legal patch of 16 bytes.
    options.limits.output = 1 << 18;
    options.limits.memory = 1 << (10 + std::to_integer<int>(input[0]) % 16);
    const std::size_t split = std::min<std::size_t>(std::to_integer<std::size_t>(input[1]), input.size() - 4);
    const ByteView source = input.subspan(4, split), patch = input.subspan(4 + split);
    options.allow_source = options.allow_target = (input[2] & std::byte{2}) == std::byte{0};
    if ((input[2] & std::byte{1}) != std::byte{0}) options.checks.source.crc32 = crc32(source);
    for (const auto read : {+[](std::string_view text) { checks_from_json(text); },
                            +[](std::string_view text) { receipt_from_json(text); }}) {
        try {
            read(text_of(patch));
        } catch (const Error&) {
        }
    }
    try {
        ask_everything(patch, source, options);
    } catch (const Error& error) {
        // Whatever comes in, these would be our own mistakes.
        if (error.code() == ErrorCode::io || error.code() == ErrorCode::cancelled || error.code() == ErrorCode::usage)
            std::abort();
    }
    return 0;
}
