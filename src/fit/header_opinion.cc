// SPDX-License-Identifier: MIT
// Tested by tests/cartridge_test.cc.
#include "hotstitch/fit.h"

#include "edit/target_builder.h"
#include "hotstitch/cartridge.h"
#include "hotstitch/error.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

constexpr std::uint64_t largest = 64 << 20, copier = 512;

/// How many literal bytes the source has at the same place: records of most tools take in some that do not change, and
/// those stand there only in the right reading.
class SameBytes final : public EditSink {
public:
    explicit SameBytes(ByteView source) : source_(source) {}
    Flow put(const Edit& edit) override {
        if (edit.kind == EditKind::literal)
            for (std::size_t i = 0; i < edit.bytes.size() && at_ + i < source_.size(); ++i)
                same_ += edit.bytes[i] == source_[static_cast<std::size_t>(at_) + i] ? 1 : 0;
        at_ += edit.length;
        return Flow::go_on;
    }
    std::uint64_t same() const noexcept { return same_; }

private:
    ByteView source_;
    std::uint64_t at_ = 0, same_ = 0;
};

/// What comes out of one reading.
struct Trial {
    bool recognised = false, checks_right = false, odd_size = false;
    std::uint64_t same = 0;
};

std::optional<Trial> tried(const PatchReader& patch, ByteView source, const Identity& image, const Limits& limits) {
    const std::uint64_t size = patch.target_size(source.size());
    if (size > largest || size > limits.output_for(source.size(), patch.facts().patch_size)) return std::nullopt;
    try {
        const MemorySource input(source);
        MemorySink made;
        const Progress none;
        TargetBuilder builder(input, made, size, none, Phase::checking_result);
        patch.read(source.size(), builder);
        builder.finish();
        SameBytes same(source);
        patch.read(source.size(), same);
        Trial trial;
        const auto result = recognise_cartridge(made.bytes());
        trial.recognised = result && result->platform == image.platform;
        trial.checks_right = trial.recognised && all_checks_right(*result);
        // A front header of the source stays one of the target.
        trial.odd_size = size % 1024 != source.size() % 1024;
        trial.same = same.same();
        return trial;
    } catch (const Error& error) {
        if (error.code() == ErrorCode::cancelled) throw;
        return std::nullopt;  // it does not apply to the file so read
    }
}

std::optional<HeaderOpinion> compared(const Trial& as_is, const Trial& other, const Representation& reading) {
    if (other.checks_right != as_is.checks_right) {
        if (as_is.checks_right) return std::nullopt;
        return HeaderOpinion{reading, HeaderOpinion::Ground::checks_right};
    }
    if (other.recognised != as_is.recognised) {
        if (as_is.recognised) return std::nullopt;
        return HeaderOpinion{reading, HeaderOpinion::Ground::header_stays};
    }
    if (as_is.odd_size != other.odd_size) {
        if (other.odd_size) return std::nullopt;
        return HeaderOpinion{reading, HeaderOpinion::Ground::reaches_the_end};
    }
    constexpr std::uint64_t telling = 32;
    if (other.same > 3 * as_is.same + telling)
        return HeaderOpinion{reading, HeaderOpinion::Ground::holds_more_bytes, other.same, as_is.same};
    return std::nullopt;
}

}  // namespace

std::optional<HeaderOpinion> opinion_on_header(const PatchReader& patch, const ByteSource& file, const Limits& limits) {
    if (file.size() > largest) return std::nullopt;
    const auto image = recognise_cartridge(file);
    if (!image || !has_copier_headers(image->platform)) return std::nullopt;
    Representation reading{RepresentationKind::with_front_header, copier};
    if (image->front_header != 0) reading = {RepresentationKind::without_front_header, image->front_header};
    const auto read = read_as(file, reading);
    const auto as_is = tried(patch, WholeView(file), *image, limits),
               other = tried(patch, WholeView(*read), *image, limits);
    if (!other) return std::nullopt;
    return compared(as_is.value_or(Trial{}), *other, reading);
}

}  // namespace hotstitch
