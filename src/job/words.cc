// SPDX-License-Identifier: MIT
// What codes mean, for people. Tested by tests/cli/cli_cartridge_test.cc and tests/job/receipt_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "hotstitch/answer.h"
#include "hotstitch/job.h"
#include "hotstitch/part_jobs.h"
#include "hotstitch/text.h"

namespace hotstitch {

std::string words_for(const ListedPart& part) {
    switch (part.state) {
        case PartState::changed:
            return fmt::format("{} in {}", counted(part.changed_bytes(), "byte", "bytes"),
                               counted(part.changed.size(), "place", "places"));
        case PartState::only_here: return "only here";
        case PartState::only_there: return "only there";
        case PartState::same: return "same";
        case PartState::listed: break;
    }
    return part.opens_as();
}

std::string words_for_checks_of(const ApplyStage& stage) {
    const PatchFacts& facts = stage.reader->facts();
    return traits_of(facts.format).has_checks                           ? "the patch's own checksums"
           : facts.checked_windows != 0                                 ? "the checks of its windows"
           : stage.found                                                ? "its checks file"
           : facts.format == PatchFormat::edits && facts.source.empty() ? "the old values of its edits"
                                                                        : "the checksums that were given";
}

std::string words_for_unchecked(const ApplyStage& stage, bool first) {
    const ApplyReport& made = stage.made;
    const PatchFacts& facts = stage.reader->facts();
    if ((stage.certain() && made.target_checked) || !made.overridden.empty()) return {};
    if (facts.checked_windows != 0 && !made.target_checked)
        return fmt::format("{} of {} windows: they carry no check", grouped(facts.windows - facts.checked_windows),
                           grouped(facts.windows));
    if (stage.certain()) return "the result itself: nothing says what it should be";
    return first ? "whether this is the source the patch was made for: the patch carries no checks and none were given"
                 : fmt::format("whether {} was made for what the patch before it makes", stage.file.path().string());
}

std::string words_for_other_names(std::uint64_t names) {
    return fmt::format("the file has {} (hard links), which {} what it was: only this name was changed",
                       counted(names, "other name", "other names"), names == 1 ? "keeps" : "keep");
}

std::string words_for(const UndoResult& result) {
    const std::string file = result.file.string();
    switch (result.outcome) {
        case UndoOutcome::restored: return fmt::format("Undone: {} is as it was before, checked.", file);
        case UndoOutcome::removed_already:
            return fmt::format("Undone: {} was gone already; its receipt is removed too.", file);
        case UndoOutcome::refused: return result.refusal ? result.refusal->what() : std::string();
        case UndoOutcome::removed: break;
    }
    return result.kept ? fmt::format("Undone: nothing stands as {} any more; the source is untouched.", file)
                       : fmt::format("Undone: {} and its receipt are removed; the source is untouched.", file);
}

std::string words_for(const std::vector<ApplyStage>& stages, InternalChecks checks) {
    const ApplyReport &first = stages.front().made, &last = stages.back().made;
    const bool fits = first.fit.answer == FitAnswer::fits;
    if (std::any_of(stages.begin(), stages.end(), [](const auto& s) { return !s.made.overridden.empty(); }))
        return "against failed checks";
    if (first.fit.answer == FitAnswer::already_patched) return "a copy; the file was already patched";
    if (std::any_of(stages.begin(), stages.end(), [](const auto& s) { return s.combined; }))
        return "both mods are in it, each made for this source";
    if (fits && last.target_checked)
        return std::all_of(stages.begin(), stages.end(), [](const auto& s) { return s.certain(); })
                   ? "source and result are right"
                   : "source and result are right, but not every patch could be checked";
    if (fits) return "the source is right";
    if (last.target_checked) return "the result is right";
    if (const auto& opinion = stages.front().opinion;
        opinion && opinion->ground == RepresentationOpinion::Ground::checks_right)
        return "the patch carries no checks, but the ROM's own come out right";
    switch (checks) {
        case InternalChecks::right: return "the patch carries no checks, but the ROM's own still hold";
        case InternalChecks::untouched:
            return "the patch carries no checks, and the ROM's own do not see what it changes";
        case InternalChecks::put_right: return "the patch carries no checks, but it puts the ROM's own right";
        case InternalChecks::stale: return "the patch carries no checks, and the ROM's own are wrong now";
        default: return "nothing could be checked";
    }
}

std::string_view code_of(Answer answer) noexcept {
    constexpr std::string_view codes[] = {"made",         "made-already", "unchanged", "already-patched",
                                          "wrong-source", "conflict"};
    return codes[static_cast<std::size_t>(answer)];
}

}  // namespace hotstitch
