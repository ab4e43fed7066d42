// SPDX-License-Identifier: MIT
#include "commands/apply_report.h"

#include <fmt/format.h>

#include <algorithm>

#include "render/quantities.h"

namespace hotstitch::cli {
namespace {

void state_what_was_checked(const Stage& stage, bool last, Report& report) {
    const ApplyReport& made = stage.made;
    const PatchFacts& facts = stage.reader->facts();
    const std::string origin = traits_of(facts.format).has_checks ? "the patch's own checksums"
                               : facts.checked_windows != 0       ? "the checks of its windows"
                               : stage.found                      ? "its checks file"
                                                                  : "--expect";
    Json checked = Json::array();
    if (made.fit.answer == FitAnswer::fits) {
        checked.push_back("source");
        report.fact("checked_source", "checked",
                    fmt::format("the source is the one the patch {}, by {}",
                                made.fit.reversed ? "makes" : "was made for", origin),
                    true);
    }
    if (made.target_checked && made.overridden.empty()) {
        checked.push_back("target");
        report.fact(
            "checked_target", "checked",
            fmt::format("the {} is what the patch should make, by {}", last ? "result" : "result so far", origin),
            true);
    }
    report.detail("checked", std::move(checked));
    report.detail("reversed", made.fit.reversed);
}

void state_what_was_not(const Stage& stage, bool first, Report& report) {
    const ApplyReport& made = stage.made;
    if (stage.certain() && made.target_checked) return;
    if (!made.overridden.empty()) return;
    const PatchFacts& facts = stage.reader->facts();
    if (facts.checked_windows != 0 && !made.target_checked) {
        report.unchecked(fmt::format("{} of {} windows: they carry no check",
                                     grouped(facts.windows - facts.checked_windows), grouped(facts.windows)));
    } else if (stage.certain()) {
        report.unchecked("the result itself: nothing says what it should be");
    } else if (first) {
        report.unchecked(
            "whether this is the source the patch was made for: the patch carries no checks and none were given");
        report.next(
            "if the result misbehaves, get the right source's checksum from the patch's author and pass it with "
            "--expect");
    } else {
        report.unchecked(
            fmt::format("whether {} was made for what the patch before it makes", shown(stage.patch.path())));
    }
}

}  // namespace

void state_stage(const Stage& stage, bool first, bool last, Report& report) {
    const ApplyReport& made = stage.made;
    const PatchFacts& facts = stage.reader->facts();
    for (const DigestMismatch& m : made.overridden)
        report.warn(fmt::format("went on although {} is {} where {} was wanted (--allow)", m.name, m.found, m.wanted));
    if (made.fit.starts_past_end > far_past_end)
        report.warn(fmt::format("the patch writes {} past the end of the source: it was likely made for a bigger file",
                                size_text(made.fit.starts_past_end)));
    if (made.fit.answer == FitAnswer::already_patched) report.warn("the source was already patched");
    if (stage.reading) {
        report.detail("reading", words_for(*stage.reading));
        report.warn(stage.why.empty()
                        ? fmt::format("the source was read {}; only so it is the one the patch was made for",
                                      words_for(*stage.reading))
                        : fmt::format("the source was read {}: {} (--as-is takes it as it is)",
                                      words_for(*stage.reading), stage.why));
    }
    if (traits_of(facts.format).has_windows && facts.windows == 0)
        report.warn("the patch has no windows: it makes an empty file");
    if (made.fit.changes_nothing) report.warn("the patch changes nothing: source and result are the same");
    state_what_was_checked(stage, last, report);
    state_what_was_not(stage, first, report);
}

void state_already_patched(Report& report) {
    report.conclude(Mood::good, "already-patched",
                    "Already patched: the file given is what the patch makes. Nothing was made.", ExitCode::yes);
    report.detail("made", false);
    report.next(
        "to start from the original, look for the file from before; to make a copy all the same, name it with -o");
}

void conclude_made(const std::vector<Stage>& stages, const std::string& place, bool mended, Report& report) {
    const auto all = [&](auto test) { return std::all_of(stages.begin(), stages.end(), test); };
    const bool certain = all([](const Stage& s) { return s.certain(); });
    const ApplyReport& first = stages.front().made;
    const ApplyReport& last = stages.back().made;
    std::string how = stages.front().why.empty() ? "nothing could be checked"
                                                 : "the patch carries no checks, but the ROM's own come out right";
    if (first.fit.reversed)
        how = "backwards: the file was already patched, this is its original";
    else if (!all([](const Stage& s) { return s.made.overridden.empty(); }))
        how = "against failed checks";
    else if (first.fit.answer == FitAnswer::fits && last.target_checked)
        how = certain ? "source and result are right"
                      : "source and result are right, but not every patch could be checked";
    else if (first.fit.answer == FitAnswer::fits)
        how = "the source is right";
    else if (last.target_checked)
        how = "the result is right";
    if (mended) how += "; then the ROM's own checks were mended";
    report.conclude(certain ? Mood::good : Mood::unsure, "made", fmt::format("Made {}: {}.", place, how),
                    ExitCode::yes);
}

}  // namespace hotstitch::cli
