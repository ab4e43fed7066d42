// SPDX-License-Identifier: MIT
// A patch without checks says nothing of its source, but what it makes of a ROM does: the target is made of the file as
// it is and of the file in its other representation, in one walk over the patch, and the two are held against each
// other. Tested by tests/part/cartridge_test.cc.
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
    std::size_t front = 0;  ///< bytes before the ROM proper
    Bytes made{};
    bool applies = false;
    /// Literal bytes that the source has at the same place: records of most tools take in some that do not change, and
    /// those stand there only in the right representation.
    std::uint64_t same = 0;
    bool writes_rom = false;  ///< something behind what stands before the ROM, the same bytes perhaps
    bool unchanged = false;   ///< already what the patch makes
    bool recognised = false, odd_size = false;
    bool changes_rom = false;   ///< something else than what stands before the ROM
    bool checks_right = false;  ///< and they see the change
    bool seen = false;          ///< the checks, right or wrong, are not what they were
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
        trial.writes_rom |= at_ + length > trial.front;
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
            trial->applies = trial->writes_rom = true;
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled) throw;  // else it does not apply to the file so read
        }
}

void look_at(Trial& trial, const Identity& before) {
    const auto result = recognise_cartridge(trial.made);
    trial.recognised = result && result->platform == before.platform;
    trial.seen = !trial.recognised || !checks_are_same(before, *result);
    trial.checks_right = trial.recognised && trial.seen && all_checks_right(*result);
    // A front header of the source stays one of the target.
    trial.odd_size = trial.made.size() % 1024 != trial.source.size() % 1024;
    const auto proper = [&](ByteView bytes) { return bytes.subspan(std::min(bytes.size(), trial.front)); };
    trial.changes_rom = !std::ranges::equal(proper(trial.source), proper(trial.made));
    trial.unchanged = trial.writes_rom && std::ranges::equal(trial.source, trial.made);
}

bool is_order(const Representation& reading) {
    return reading.kind != RepresentationKind::with_front_header &&
           reading.kind != RepresentationKind::without_front_header;
}

std::optional<RepresentationOpinion> compared(const Trial& as_is, const Trial& other, const Representation& reading) {
    using Ground = RepresentationOpinion::Ground;
    constexpr std::uint64_t telling = 32;
    const auto opinion = [&](Ground ground) { return RepresentationOpinion{reading, ground, other.same, as_is.same}; };
    if (as_is.unchanged) return std::nullopt;
    if (other.unchanged) return opinion(Ground::holds_all);
    // What lies in a header that was taken off or added only, was made for no such file.
    if (!other.changes_rom) return std::nullopt;
    if (!as_is.changes_rom) return opinion(Ground::changes_the_rom);
    // What only the other way writes past the end leaves the checks right because it changes nothing that they cover.
    if (other.odd_size && !as_is.odd_size) return std::nullopt;
    if (other.checks_right != as_is.checks_right)
        return as_is.checks_right ? std::nullopt : std::optional(opinion(Ground::checks_right));
    if (other.recognised != as_is.recognised)
        return as_is.recognised ? std::nullopt : std::optional(opinion(Ground::header_stays));
    if (as_is.odd_size != other.odd_size) return opinion(Ground::reaches_the_end);
    if (as_is.same > 3 * other.same + telling) return std::nullopt;
    if (is_order(reading) && !(as_is.seen && other.seen)) return opinion(Ground::console_order);
    return opinion(other.same > 3 * as_is.same + telling ? Ground::holds_more_bytes : Ground::undecided);
}

/// The other way to take a ROM; nothing: there is none.
std::optional<Representation> other_way(const Identity& rom) {
    if (rom.reading) return rom.reading;
    if (!has_copier_headers(rom.platform)) return std::nullopt;
    return Representation{RepresentationKind::with_front_header, copier};
}

std::uint64_t made_size(const PatchReader& patch, std::uint64_t source_size, const Limits& limits) {
    const std::uint64_t size = patch.target_size(source_size);
    return size <= largest && size <= limits.output_for(source_size, patch.facts().patch_size) ? size : largest + 1;
}

}  // namespace

InternalChecks compare_checks(const std::optional<Identity>& before, const std::optional<Identity>& after) {
    if (!before || before->checks.empty()) return InternalChecks::none_in_source;
    const bool are_right = after && all_checks_right(*after);
    if (!all_checks_right(*before)) return are_right ? InternalChecks::put_right : InternalChecks::wrong_before;
    if (are_right) return checks_are_same(*before, *after) ? InternalChecks::untouched : InternalChecks::right;
    return after ? InternalChecks::stale : InternalChecks::none_in_result;
}

std::string_view covered_by_checks(const Identity& cartridge) noexcept {
    for (const InternalCheck& check : cartridge.checks)
        if (check.mendable && check.state != CheckState::unknown && !check.covers.empty()) return check.covers;
    return "part of the ROM";
}

OwnChecks own_checks(const PatchReader& patch, const ByteSource& file, const RepresentationTrial& trial,
                     const Limits& limits) {
    const std::optional<Representation> reading =
        trial.opinion && trial.opinion->sure() ? std::optional(trial.opinion->reading) : std::nullopt;
    const std::unique_ptr<ByteSource> read = reading ? read_as(file, *reading) : nullptr;
    const ByteSource& source = read ? *read : file;
    const auto before = source.size() <= largest ? recognise_cartridge(source) : std::nullopt;
    if (!before || made_size(patch, source.size(), limits) > largest) return {};
    Bytes made;
    if (trial.made.empty()) {
        const WholeView whole(source);
        Trial one{whole};
        make_each(patch, {&one});
        if (!one.applies) return {};
        made = std::move(one.made);
    }
    OwnChecks result{compare_checks(before, recognise_cartridge(ByteView(trial.made.empty() ? made : trial.made)))};
    if (result.answer == InternalChecks::untouched) result.cover = covered_by_checks(*before);
    return result;
}

RepresentationTrial opinion_on_representation(const PatchReader& patch, const ByteSource& file, const Limits& limits) {
    if (file.size() > largest || patch.facts().format == PatchFormat::edits) return {};
    const auto rom = recognise_cartridge(file);
    const auto reading = rom ? other_way(*rom) : std::nullopt;
    if (!reading) return {};
    const auto read = read_as(file, *reading);
    const WholeView whole(file), whole_read(*read);
    Trial as_is{whole}, other{whole_read};
    as_is.front = static_cast<std::size_t>(rom->front_header);
    if (reading->kind == RepresentationKind::with_front_header) other.front = copier;
    const auto is_small = [&](const Trial& trial) { return made_size(patch, trial.source.size(), limits) <= largest; };
    if (!is_small(as_is) || !is_small(other)) return {};
    traits_of(patch.facts().format).moves ? make_each(patch, {&as_is, &other}) : make_in_place(patch, {&as_is, &other});
    if (!other.applies) return {};
    look_at(as_is, *rom);
    look_at(other, *rom);
    RepresentationTrial result{compared(as_is, other, *reading), {}};
    Trial& taken = result.opinion && result.opinion->sure() ? other : as_is;
    if (taken.applies) result.made = std::move(taken.made);
    return result;
}

}  // namespace hotstitch
