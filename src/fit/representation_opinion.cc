// SPDX-License-Identifier: MIT
// A patch without checks says nothing of its source, but what it makes of a ROM does: the target is made of the file as
// it is and of the file in its other representation, in one walk over the patch, and the two are held against each
// other. Tested by tests/cartridge_test.cc.
#include <algorithm>

#include "edit/target_builder.h"
#include "hotstitch/cartridge.h"
#include "hotstitch/error.h"
#include "hotstitch/fit.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

constexpr std::uint64_t largest = 64 << 20, copier = 512;

/// What comes out of the file in one representation.
struct Trial {
    ByteView source;
    Bytes made{};
    bool applies = false;
    /// Literal bytes that the source has at the same place: records of most tools take in some that do not change, and
    /// those stand there only in the right representation.
    std::uint64_t same = 0;
    bool recognised = false, checks_right = false, odd_size = false;
};

/// Writes what stays in its place into several targets at once, each filled with its source before. Told for the
/// longest source: to a shorter one, copies past its end are the zeros that stand there already.
class Writers final : public EditSink {
public:
    explicit Writers(std::vector<Trial*> trials) : trials_(std::move(trials)) {}
    Flow put(const Edit& edit) override {
        for (Trial* const trial : trials_) write(edit, *trial);
        at_ += edit.length;
        return Flow::go_on;
    }

private:
    void write(const Edit& edit, Trial& trial) const {
        const std::uint64_t size = trial.made.size();
        if (at_ >= size || edit.kind == EditKind::copy_source) return;
        const auto length = static_cast<std::size_t>(std::min(edit.length, size - at_));
        const auto out = trial.made.begin() + static_cast<std::ptrdiff_t>(at_);
        if (edit.kind == EditKind::run) {
            std::fill_n(out, length, edit.value);
            return;
        }
        if (edit.kind == EditKind::xor_source) {
            for (std::size_t i = 0; i < length; ++i) out[static_cast<std::ptrdiff_t>(i)] ^= edit.bytes[i];
            return;
        }
        const auto at = static_cast<std::size_t>(at_);
        for (std::size_t i = 0; i < length && at + i < trial.source.size(); ++i)
            trial.same += edit.bytes[i] == trial.source[at + i] ? 1 : 0;
        std::copy_n(edit.bytes.begin(), length, out);
    }

    std::vector<Trial*> trials_;
    std::uint64_t at_ = 0;
};

void make_in_place(const PatchReader& patch, std::vector<Trial*> trials) {
    std::uint64_t longest = 0;
    for (Trial* const trial : trials) {
        longest = std::max<std::uint64_t>(longest, trial->source.size());
        const auto size = static_cast<std::size_t>(patch.target_size(trial->source.size()));
        trial->made.assign(
            trial->source.begin(),
            trial->source.begin() + static_cast<std::ptrdiff_t>(std::min<std::size_t>(size, trial->source.size())));
        trial->made.resize(size);
        trial->applies = true;
    }
    Writers writers(std::move(trials));
    patch.read(longest, writers);
}

/// A format that copies from anywhere: by the target builder, one after the other.
void make_each(const PatchReader& patch, const std::vector<Trial*>& trials) {
    for (Trial* const trial : trials) try {
            const MemorySource input(trial->source);
            MemorySink made;
            const Progress none;
            TargetBuilder builder(input, made, patch.target_size(input.size()), none, Phase::checking_result);
            patch.read(input.size(), builder);
            builder.finish();
            trial->made = made.take();
            trial->applies = true;
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled) throw;  // else it does not apply to the file so read
        }
}

void look_at(Trial& trial, std::string_view platform) {
    const auto result = recognise_cartridge(trial.made);
    trial.recognised = result && result->platform == platform;
    trial.checks_right = trial.recognised && all_checks_right(*result);
    // A front header of the source stays one of the target.
    trial.odd_size = trial.made.size() % 1024 != trial.source.size() % 1024;
}

std::optional<RepresentationOpinion> compared(const Trial& as_is, const Trial& other, const Representation& reading) {
    using Ground = RepresentationOpinion::Ground;
    constexpr std::uint64_t telling = 32;
    // What only the other way writes past the end leaves the checks right because it changes nothing that they cover.
    if (other.odd_size && !as_is.odd_size) return std::nullopt;
    if (other.checks_right != as_is.checks_right)
        return as_is.checks_right ? std::nullopt : std::optional(RepresentationOpinion{reading, Ground::checks_right});
    if (other.recognised != as_is.recognised)
        return as_is.recognised ? std::nullopt : std::optional(RepresentationOpinion{reading, Ground::header_stays});
    if (as_is.odd_size != other.odd_size) return RepresentationOpinion{reading, Ground::reaches_the_end};
    if (other.same > 3 * as_is.same + telling)
        return RepresentationOpinion{reading, Ground::holds_more_bytes, other.same, as_is.same};
    return std::nullopt;
}

/// The other way to take a ROM; nothing: there is none.
std::optional<Representation> other_way(const Identity& rom) {
    if (rom.reading) return rom.reading;
    if (!has_copier_headers(rom.platform)) return std::nullopt;
    return Representation{RepresentationKind::with_front_header, copier};
}

}  // namespace

RepresentationTrial opinion_on_representation(const PatchReader& patch, const ByteSource& file, const Limits& limits) {
    if (file.size() > largest) return {};
    const auto rom = recognise_cartridge(file);
    const auto reading = rom ? other_way(*rom) : std::nullopt;
    if (!reading) return {};
    const auto read = read_as(file, *reading);
    const WholeView whole(file), whole_read(*read);
    Trial as_is{whole}, other{whole_read};
    const auto is_small = [&](const Trial& trial) {
        const std::uint64_t size = patch.target_size(trial.source.size());
        return size <= largest && size <= limits.output_for(trial.source.size(), patch.facts().patch_size);
    };
    if (!is_small(as_is) || !is_small(other)) return {};
    traits_of(patch.facts().format).moves ? make_each(patch, {&as_is, &other}) : make_in_place(patch, {&as_is, &other});
    if (!other.applies) return {};
    look_at(as_is, rom->platform);
    look_at(other, rom->platform);
    RepresentationTrial result{compared(as_is, other, *reading), {}};
    Trial& taken = result.opinion && result.opinion->sure() ? other : as_is;
    if (taken.applies) result.made = std::move(taken.made);
    return result;
}

}  // namespace hotstitch
