// SPDX-License-Identifier: MIT
// Tested by tests/format/apply_test.cc.
#include "hotstitch/apply.h"

#include <fmt/format.h>

#include "digest/digesting_sink.h"
#include "edit/target_builder.h"
#include "fit/windows.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

void check_output_budget(std::uint64_t target_size, std::uint64_t source_size, std::uint64_t patch_size,
                         const Limits& limits) {
    const std::uint64_t most = limits.output_for(source_size, patch_size);
    if (target_size <= most) return;
    throw Error(ErrorCode::limit, "the patch asks for a larger output than is allowed")
        .in("target size")
        .as(ErrorId::target_too_large)
        .wanted(fmt::format("at most {}", counted(most, "byte", "bytes")))
        .found(counted(target_size, "byte", "bytes"))
        .hint("if the patch is meant to do this, raise the output limit");
}

/// Compares what is written with what should be, and remembers where they part.
class ComparingSink final : public ByteSink {
public:
    explicit ComparingSink(const ByteSource& wanted) : wanted_(wanted), scratch_(wanted.whole() ? 0 : chunk) {}

    void write(ByteView bytes) override {
        while (!bytes.empty() && !difference_) {
            const std::uint64_t left = wanted_.size() - at_;
            const auto length = static_cast<std::size_t>(std::min<std::uint64_t>({bytes.size(), left, chunk}));
            const std::size_t same = common_prefix(bytes.first(length), wanted_.read(at_, length, scratch_));
            at_ += same;
            if (same != length || length == 0) difference_ = at_;
            bytes = bytes.subspan(length);
        }
    }
    void read_back(std::uint64_t offset, MutableByteView into) const override {
        const ByteView bytes = wanted_.read(offset, into.size(), into);
        if (bytes.data() != into.data()) std::copy(bytes.begin(), bytes.end(), into.begin());
    }
    std::optional<std::uint64_t> difference() const noexcept {
        if (!difference_ && at_ != wanted_.size()) return at_;
        return difference_;
    }

private:
    static constexpr std::size_t chunk = 256 << 10;
    const ByteSource& wanted_;
    Bytes scratch_;
    std::uint64_t at_ = 0;
    std::optional<std::uint64_t> difference_;
};

void note_or_throw(std::vector<DigestMismatch>&& mismatches, bool allowed, ErrorCode code, const std::string& message,
                   const std::string& hint, std::vector<DigestMismatch>& overridden) {
    if (mismatches.empty()) return;
    if (!allowed) {
        const DigestMismatch& first = mismatches.front();
        throw Error(code, message).in(first.name).wanted(first.wanted).found(first.found).hint(hint);
    }
    overridden.insert(overridden.end(), mismatches.begin(), mismatches.end());
}

/// Windows that come out right speak for the source, and all of them together for the target.
void take_window_results(const PatchFacts& facts, const WindowResults& results, ApplyReport& report) {
    if (facts.checked_windows == 0) return;
    if (results.wrong != 0) return report.overridden.push_back(mismatch_of(results));
    if (report.fit.answer == FitAnswer::unknown) report.fit.answer = FitAnswer::fits;
    report.target_checked |= facts.checked_windows == facts.windows;
}

/// A window that comes out wrong speaks against the source, unless other checks have found that right.
void read_blaming(const PatchReader& patch, const ByteSource& source, bool source_right, TargetBuilder& builder) {
    try {
        patch.read(source.size(), builder);
    } catch (const Error& error) {
        if (!source_right || error.code() != ErrorCode::wrong_source) throw;
        throw Error(ErrorCode::damaged, "the result is not what the patch should make")
            .at(error.offset().value_or(0))
            .in(error.field())
            .wanted(error.wanted())
            .found(error.found())
            .hint("the source is right, so the patch or its checks are wrong; tell the patch's author");
    }
}

bool grows_much(std::uint64_t made, std::uint64_t given) {
    constexpr std::uint64_t large = std::uint64_t{64} << 20, much = 16;
    return made > large && made / much > given;
}

void refuse_wrong_windows(const PatchReader& patch, const ByteSource& source, const ApplyOptions& options) {
    if (patch.facts().checked_windows == 0) return;
    const WindowResults results = check_windows(patch, source, false, options.limits, options.progress);
    if (results.wrong != 0) throw wrong_window(*results.first_wrong, results.found);
}

ApplyReport apply_opened(const PatchReader& any_patch, const ByteSource& source, ByteSink& target,
                         const ApplyOptions& options) {
    const PatchForSource bound(any_patch, source);
    const PatchReader& reader = *bound;
    ApplyReport report;
    report.fit = fit_by_sums(reader, source, options.checks, options.progress, options.source_digests);
    const bool backwards = options.backwards && report.fit.reversible;
    const bool copies = report.fit.answer == FitAnswer::already_patched && !backwards;
    if (copies && !options.make_when_already_patched) return report;
    if (report.fit.answer == FitAnswer::does_not_fit)
        // What an edit has no place for, nothing can allow.
        note_or_throw(std::vector(report.fit.mismatches), options.allow_source && reader.facts().without_place == 0,
                      ErrorCode::wrong_source, "this is not the source the patch was made for",
                      "look for the exact revision and region that the patch's author names", report.overridden);

    // A file that is the target already is made again by copying it: most formats could not even read it.
    const std::uint64_t size = copies ? source.size() : reader.target_size(source.size());
    check_output_budget(size, source.size(), reader.facts().patch_size, options.limits);
    const PatchFacts& facts = reader.facts();
    const bool tolerant = options.allow_source || options.allow_target;
    // A few bytes that grow to a gibibyte are made into nothing first: that costs little beside writing them, and a
    // patch that means harm then costs the disk nothing.
    if (!copies && !tolerant && grows_much(size, source.size() + reader.facts().patch_size))
        refuse_wrong_windows(reader, source, options);
    target.reserve(size);
    const Digests wanted =
        backwards ? joined(facts.source, options.checks.source) : joined(facts.target, options.checks.target);
    DigestChoice choice = either(choice_for(wanted), options.target_digests);
    choice.crc32 = true;
    DigestingSink digesting(target, choice);
    TargetBuilder builder(source, digesting, size, options.progress, Phase::writing);
    if (tolerant) builder.tolerate_wrong_windows();
    if (!copies)
        read_blaming(reader, source, backwards || report.fit.answer == FitAnswer::fits, builder);
    else if (size != 0)
        builder.put(Edit::copy_source(0, size));
    builder.finish();
    report.target = digesting.finish();
    report.target_checked = wanted.has_checksum();
    if (!copies) take_window_results(facts, builder.window_results(), report);
    // From the right source, only a damaged patch (or wrong checks) makes a wrong result.
    const bool source_right = backwards || report.fit.answer == FitAnswer::fits;
    note_or_throw(
        compare(wanted, report.target), options.allow_target,
        source_right ? ErrorCode::damaged : ErrorCode::wrong_target, "the result is not what the patch should make",
        source_right ? "the source is right, so the patch or its checks are wrong; tell the patch's author"
                     : "the source is likely not the right one; look for the revision and region that the author names",
        report.overridden);
    report.made = true;
    return report;
}

}  // namespace

Error patch_is_another(const DigestMismatch& mismatch) {
    return Error(ErrorCode::damaged, "the patch is not the one its checks were written for")
        .in(mismatch.name)
        .wanted(mismatch.wanted)
        .found(mismatch.found)
        .hint("get patch and checks again from the same place; one of them is older or damaged");
}

ApplyReport apply(const PatchReader& patch, const ByteSource& source, ByteSink& target, const ApplyOptions& options) {
    return blaming_inputs({&source}, [&] { return apply_opened(patch, source, target, options); });
}

ApplyReport apply(const ByteSource& patch, const ByteSource& source, ByteSink& target, const ApplyOptions& options) {
    return blaming_inputs({&patch, &source}, [&] {
        const auto mismatches =
            compare(options.checks.patch, digest(patch, choice_for(options.checks.patch), options.progress));
        if (!mismatches.empty() && !options.allow_patch) throw patch_is_another(mismatches.front());
        ApplyReport report = apply_opened(*open_patch(patch, options.limits), source, target, options);
        report.overridden.insert(report.overridden.begin(), mismatches.begin(), mismatches.end());
        return report;
    });
}

AppliedInMemory apply_in_memory(ByteView patch, ByteView source, const ApplyOptions& options) {
    MemorySink target;
    ApplyReport report = apply(MemorySource(patch), MemorySource(source), target, options);
    return {target.take(), std::move(report)};
}

TargetChecks check_target(const PatchReader& patch, const ByteSource& target, const Checks& checks,
                          const Limits& limits, const Progress& progress) {
    const PatchFacts& facts = patch.facts();
    const Digests wanted = joined(facts.target, checks.target);
    TargetChecks result;
    if (wanted.has_checksum()) {
        result.by = TargetChecks::By::checksums;
        result.mismatches = compare(wanted, digest(target, choice_for(wanted), progress));
        result.same = result.mismatches.empty();
    } else if (facts.windows != 0 && facts.checked_windows == facts.windows) {
        result.by = TargetChecks::By::windows;
        result.same = fit(patch, target, {}, limits, progress).answer == FitAnswer::already_patched;
    }
    return result;
}

TargetComparison compare_with_target(const PatchReader& patch, const ByteSource& source, const ByteSource& target,
                                     const Limits& limits, const Progress& progress) {
    return blaming_inputs({&source, &target}, [&] {
        const std::uint64_t size = patch.target_size(source.size());
        check_output_budget(size, source.size(), patch.facts().patch_size, limits);
        ComparingSink comparing(target);
        TargetBuilder builder(source, comparing, size, progress, Phase::checking_result);
        builder.tolerate_wrong_windows();
        patch.read(source.size(), builder);
        builder.finish();
        const auto difference = comparing.difference();
        const bool same = !difference && builder.window_results().wrong == 0;
        return TargetComparison{same, size, difference.value_or(size)};
    });
}

}  // namespace hotstitch
