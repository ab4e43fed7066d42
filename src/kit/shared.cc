// SPDX-License-Identifier: MIT
// How much of what a kit publishes stands in its bases, and so is not its maker's own. Tested by
// tests/kit/cli_kit_test.cc.
#include <set>

#include "hotstitch/error.h"
#include "hotstitch/patch.h"
#include "kit/steps.h"

namespace hotstitch {
namespace {

/// A file that is published as it is: all of it is literal.
class AllLiteral final : public PatchReader {
public:
    explicit AllLiteral(const ByteSource& file) : file_(file) {}
    const PatchFacts& facts() const noexcept override { return facts_; }
    std::uint64_t target_size(std::uint64_t) const noexcept override { return file_.size(); }
    Flow read(std::uint64_t, EditSink& sink) const override {
        constexpr std::uint64_t piece = std::uint64_t{1} << 20;
        Bytes scratch(static_cast<std::size_t>(std::min(piece, file_.size())));
        for (std::uint64_t at = 0; at < file_.size(); at += piece) {
            const auto length = static_cast<std::size_t>(std::min(piece, file_.size() - at));
            if (sink.put(Edit::literal(file_.read(at, length, scratch))) == Flow::stop) return Flow::stop;
        }
        return Flow::go_on;
    }

private:
    const ByteSource& file_;
    PatchFacts facts_{};
};

}  // namespace

SharedBytes count_kit_shared(const KitInput& kit, const std::vector<KitBaseFound>& bases, const WorkOptions& options) {
    SharedBytes all;
    KitOnItsWay way{kit, bases};
    for (const KitBaseFound& found : bases)
        if (found)
            way.bases.emplace(found.base->id, std::make_shared<WorkingBase>(working_base(found, options.limits)));
    std::set<std::string> counted;
    const auto count = [&](const Step& step) {
        const std::string* const published =
            step.is<step::Patch>() || step.is<step::Put>() ? file_of(step.does) : nullptr;
        if (published == nullptr || !address_in_base(kit.kit(), *published).file.empty()) return;
        if (!counted.insert(way.text(*published)).second) return;
        const SharedSource file = content_at(way, *published, true, options);
        SharedSource source;
        try {
            source = content_at(way, step.at, false, options);
        } catch (const Error& error) {  // a file that is new has nothing in its place
            if (error.code() == ErrorCode::cancelled) throw;
            return;
        }
        const SharedBytes one =
            step.is<step::Put>()
                ? count_shared(AllLiteral(*file), *source, options.limits, options.progress)
                : count_shared(*open_patch(*file, options.limits), *source, options.limits, options.progress);
        all.literal += one.literal, all.shared += one.shared;
        all.counted = all.counted && one.counted;
    };
    // A patch is for what the steps before it have made.
    for (const Step& step : kit.kit().steps) {
        if (!is_done(way, step)) continue;
        count(step);
        run_step(way, step, options);
    }
    return all;
}

}  // namespace hotstitch
