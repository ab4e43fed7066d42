// SPDX-License-Identifier: MIT
#include "fit/windows.h"

#include <fmt/format.h>

#include "edit/target_builder.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

class NullSink final : public ByteSink {
public:
    void write(ByteView) override {}
};

}  // namespace

WindowResults check_windows(const PatchReader& patch, const ByteSource& source, bool all, const Limits& limits,
                            const Progress& progress) {
    const PatchFacts& facts = patch.facts();
    const std::uint64_t size = patch.target_size(source.size());
    if (const std::uint64_t most = limits.output_for(source.size(), facts.patch_size); size > most)
        throw Error(ErrorCode::limit, "the patch asks for a larger output than is allowed")
            .in("target size")
            .as(ErrorId::target_too_large)
            .wanted(fmt::format("at most {}", counted(most, "byte", "bytes")))
            .found(counted(size, "byte", "bytes"))
            .hint("if the patch is meant to do this, raise the output limit");
    NullSink nothing;
    std::unique_ptr<ByteSink> scratch;  // where windows copy from before themselves, that has to be kept
    if (facts.reads_target) scratch = scratch_of(limits);
    TargetBuilder builder(source, scratch ? *scratch : nothing, size, progress, Phase::checking_source);
    builder.tolerate_wrong_windows();
    class Watch final : public WindowSink {
    public:
        Watch(TargetBuilder& builder, bool all) : builder_(builder), all_(all) {}
        Flow put(const Edit& edit) override { return builder_.put(edit); }
        Flow begin(const Window& window) override { return builder_.begin(window); }
        Flow end(const Window& window) override {
            builder_.end(window);
            return all_ || builder_.window_results().wrong == 0 ? Flow::go_on : Flow::stop;
        }

    private:
        TargetBuilder& builder_;
        bool all_;
    } watch(builder, all);
    patch.read(source.size(), watch);
    const WindowResults& results = builder.window_results();
    if (results.first_wrong && !results.first_wrong->source_read)
        throw wrong_window(*results.first_wrong, results.found);
    return results;
}

bool holds_all_windows(const PatchReader& patch, const ByteSource& file) {
    const PatchFacts& facts = patch.facts();
    if (facts.windows == 0 || facts.checked_windows != facts.windows || facts.target.size != file.size()) return false;
    Bytes scratch(file.whole() ? 0 : static_cast<std::size_t>(facts.largest_window));
    const Flow flow = patch.windows([&](const Window& window) {
        const ByteView bytes = file.read(window.offset, static_cast<std::size_t>(window.length), scratch);
        return adler32(bytes) == *window.adler32 ? Flow::go_on : Flow::stop;
    });
    return flow == Flow::go_on;
}

DigestMismatch mismatch_of(const WindowResults& results) {
    const Window& window = *results.first_wrong;
    return {fmt::format("adler32 of window {}", window.number), window.adler32->hex(), results.found.hex()};
}

}  // namespace hotstitch
