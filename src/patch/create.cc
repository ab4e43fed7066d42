// SPDX-License-Identifier: MIT
// Tested by tests/format/match_test.cc.
#include "hotstitch/create.h"

#include "format/table.h"
#include "hotstitch/apply.h"
#include "hotstitch/error.h"
#include "match/match.h"
#include "patch/replay.h"
#include "source/whole.h"

namespace hotstitch {

PatchDemands demands_of(const PatchReader& patch, std::uint64_t source_size) noexcept {
    constexpr std::uint64_t old_reach = 0x1000000;
    const std::uint64_t target_size = patch.target_size(source_size);
    return {target_size > source_size, target_size<source_size, patch.facts().reach> old_reach};
}

namespace {

/// Writes a patch of edits that `tell` hands to the writer, then applies it and compares.
template <class Tell>
CreateReport written(const ByteSource& source, const ByteSource& target, ByteSink& patch, const CreateOptions& options,
                     const Tell& tell) {
    const WholeView old_view(source, options.limits), new_view(target, options.limits);
    const ByteView old_bytes = old_view, new_bytes = new_view;
    Meter meter(options.progress, Phase::comparing, new_bytes.size());
    const auto writer = make_patch_writer(options.format, old_bytes, new_bytes, patch,
                                          {options.metadata, options.vcdiff, [&] { meter.finish(); }});
    const MatchFacts matching = tell(old_bytes, new_bytes, *writer, meter);
    writer->finish();

    const WrittenSource made_patch(patch);
    Limits limits = options.limits;
    limits.output = std::max<std::uint64_t>(limits.output_for(source.size(), made_patch.size()), target.size());
    const auto reader = open_patch(made_patch, limits);
    const MemorySource made(new_bytes);
    const TargetComparison check = compare_with_target(*reader, source, made, limits, options.progress);
    // Should never happen; if it does, the maker must hear it before anybody gets the patch.
    if (!check.same)
        throw Error(ErrorCode::wrong_target,
                    "the new patch does not make the target: a fault in this program, or a file changed meanwhile")
            .at(check.first_difference)
            .in("target")
            .hint("run it again; if it stays, please report both files' sizes");
    const bool same = old_bytes.size() == new_bytes.size() && common_prefix(old_bytes, new_bytes) == old_bytes.size();
    return CreateReport{reader->facts(), demands_of(*reader, source.size()), same, matching};
}

}  // namespace

CreateReport create(const ByteSource& source, const ByteSource& target, ByteSink& patch, const CreateOptions& options) {
    return blaming_inputs({&source, &target}, [&] {
        return written(source, target, patch, options,
                       [&](ByteView old_bytes, ByteView new_bytes, PatchWriter& writer, Meter& meter) {
                           const bool windows = traits_of(options.format).has_windows;
                           const MatchOptions how{.anywhere = traits_of(options.format).moves,
                                                  .effort = options.effort,
                                                  .costs = format_of(options.format).costs(options.vcdiff),
                                                  .memory = options.limits.memory,
                                                  .window = windows ? options.vcdiff.window : 0,
                                                  .threads = options.threads};
                           return match(old_bytes, new_bytes, how, writer, meter);
                       });
    });
}

CreateReport create(const ByteSource& source, const ChangeList& changes, ByteSink& patch,
                    const CreateOptions& options) {
    return blaming_inputs({&source}, [&] {
        return written(source, ChangedSource(source, changes), patch, options,
                       [&](ByteView, ByteView, PatchWriter& writer, Meter&) {
                           changes.tell(writer);
                           return MatchFacts{};
                       });
    });
}

CreateReport replay(const PatchReader& edits, const ByteSource& source, const ByteSource& target, ByteSink& patch,
                    const CreateOptions& options) {
    return blaming_inputs({&source, &target}, [&] {
        return written(source, target, patch, options, [&](ByteView, ByteView, PatchWriter& writer, Meter&) {
            edits.read(source.size(), writer);
            return MatchFacts{};
        });
    });
}

Bytes create(ByteView source, ByteView target, const CreateOptions& options) {
    MemorySink patch;
    create(MemorySource(source), MemorySource(target), patch, options);
    return patch.take();
}

}  // namespace hotstitch
