// SPDX-License-Identifier: MIT
#include "changing.h"

#include <unistd.h>

#include <fmt/format.h>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch::cli {

Recipe recipe_of(const ChangeArguments& arguments, std::string base, std::vector<Step> steps) {
    Recipe recipe = arguments.recipe;
    recipe.base = std::move(base), recipe.steps = std::move(steps);
    recipe.to.replace = arguments.flags.mode(recipe.to.in_place);
    recipe.to.replace_header = arguments.flags.mode();
    return recipe;
}

Json step_json(const MendStep& step) {
    Json fields = Json::array();
    for (const MendedField& field : step.fields)
        fields.push_back({{"name", field.name}, {"before", field.before}, {"after", field.after}});
    return {{"name", step.name},
            {"changes", step.changes()},
            {"reason", step.reason.empty() ? Json(nullptr) : Json(step.reason)},
            {"fields", std::move(fields)},
            {"ranges", json_of(step.ranges)}};
}

std::string name_with_key(const FieldChange& field) {
    std::string text = field.part.empty() ? std::string() : field.part + " ";
    text += field.name;
    if (!field.key.empty()) text += fmt::format(" ({})", field.key);
    return text;
}

Json change_json(const FieldChange& field) {
    Json out = {{"name", as_utf8(field.name)}, {"before", as_utf8(field.before)}, {"after", as_utf8(field.after)}};
    if (!field.key.empty()) out["key"] = as_utf8(field.key);
    if (!field.part.empty()) out["part"] = as_utf8(field.part);
    if (!field.name.starts_with("header.")) out["offset"] = field.offset, out["length"] = field.length;
    return out;
}

namespace {

constexpr std::size_t puts_shown = 24, fields_shown = 100;

Json put_json(const PutReport& put) {
    return {{"name", as_utf8(put.address)},
            {"from", as_utf8(put.from)},
            {"how", put.how.empty() ? (put.outer.offset ? "in-place" : "packed") : put.how},
            {"moved_to", put.how != "in-place" && put.to_offset ? Json(*put.to_offset) : Json(nullptr)},
            {"moved_sectors", put.moved_sectors},
            {"offset", put.part.offset ? Json(*put.part.offset) : Json(nullptr)},
            {"size", put.part.size.value_or(0)},
            {"size_before", put.size_before},
            {"size_after", put.size_after},
            {"changed_bytes", put.changed},
            {"mended_bytes", put.mended}};
}

void state_puts(const std::vector<const PutReport*>& puts, Report& report) {
    if (puts.empty()) return;
    Json list = Json::array();
    std::vector<std::string> lines;
    for (const PutReport* const put : puts) {
        list.push_back(put_json(*put));
        lines.push_back(words_for_put(*put));
        for (const std::string& warning : put->warnings) report.warn(escaped(warning));
    }
    report.list("parts", "put", lines, puts_shown, list);
}

void state(const FieldPlan& plan, Report& report) {
    Json list = Json::array();
    std::vector<std::string> lines;
    for (const FieldChange& field : plan.fields) {
        list.push_back(change_json(field));
        lines.push_back(
            escaped(field.before == field.after
                        ? fmt::format("{}: is {} already", name_with_key(field), field.after)
                        : fmt::format("{}: from {} to {}", name_with_key(field), field.before, field.after)));
    }
    report.list("fields", "set", lines, fields_shown, list);
    for (const std::string& check : plan.mended) report.fact("mended", "put right", escaped(check), Json(plan.mended));
    for (const std::string& warning : plan.warnings) report.warn(escaped(warning));
}

void state(const MendPlan& plan, Report& report) {
    Json list = Json::array();
    for (const MendStep& step : plan.steps) list.push_back(step_json(step));
    report.detail("steps", list);
    for (const MendStep& step : plan.steps) {
        for (const MendedField& field : step.fields)
            report.fact("steps", step.name,
                        escaped(step.fields.size() == 1 && field.name == step.name ? words_for_change(field)
                                                                                   : words_for(field)),
                        list);
        if (step.changes())
            report.fact("steps", step.name,
                        words_for(step) + (step.added ? "; added, because it was right before" : ""), list);
        for (const std::string& warning : step.warnings) report.warn(escaped(warning));
        if (!step.reason.empty()) report.note(fmt::format("{}: nothing to do: {}", step.name, step.reason));
    }
}

void state(const StripPlan& plan, Report& report) {
    if (plan.other_size)
        report.warn(
            fmt::format("by all that is known, the front header has {}", counted(plan.present.size, "byte", "bytes")));
    if (plan.still_interleaved)
        report.warn("what is left is still interleaved; the mend de-interleave of the whole file takes both off");
}

void state_patch(const Outcome& outcome, Report& report) {
    const Delivered& delivered = outcome.delivered;
    file_fact(report, "patch", delivered.output, {.size = outcome.patch->patch_size}, words_for(*outcome.patch));
    warn_of_extension(report, delivered.output, outcome.patch->format);
    path_fact(report, "backup", "backup", delivered.backup);
    report.fact("checked", "checked", "applied to the file, it makes the change, byte for byte",
                Json::array({"result"}));
    if (delivered.stood_already) report.note("the patch stood there already, the same bytes");
}

/// Where it went, for people; empty: nowhere.
std::string run_and_state(Job& job, const Context& context, Report& report) {
    if (job.recipe().to.file == "-") {
        ScratchFile scratch;
        output_fact(report, *job.run(scratch).output, "-");
        scratch.copy_to(STDOUT_FILENO, context.progress);
        return "standard output";
    }
    const Outcome& outcome = job.run();
    const Delivered& delivered = outcome.delivered;
    if (outcome.patch) return state_patch(outcome, report), shown(delivered.output);
    if (delivered.output.empty()) return {};
    output_fact(report, *outcome.output, delivered.output);
    if (delivered.stood_already) return shown(delivered.output);
    state_way_back(delivered, report);
    if (delivered.other_names != 0) report.warn(words_for_other_names(delivered.other_names));
    return shown(delivered.output);
}

}  // namespace

void state_steps(const std::vector<StepReport>& steps, Report& report) {
    std::vector<const PutReport*> puts;
    for (const StepReport& step : steps)
        if (const auto* const put = std::get_if<PutReport>(&step.did)) puts.push_back(put);
    state_puts(puts, report);
    for (const StepReport& step : steps) {
        if (const auto* const plan = std::get_if<FieldPlan>(&step.did)) state(*plan, report);
        if (const auto* const plan = std::get_if<MendPlan>(&step.did)) state(*plan, report);
        if (const auto* const plan = std::get_if<StripPlan>(&step.did)) state(*plan, report);
    }
}

std::optional<std::string> finish_change(Job& job, const Unchanged& unchanged, const Context& context, Report& report) {
    // Told before the outcome, which may be an output.
    const ChangeList* const change = job.change();
    const bool nothing = change != nullptr && change->empty();
    if (nothing) report.detail("made", false);
    const std::string place = run_and_state(job, context, report);
    const bool stood = job.outcome().delivered.stood_already && !job.outcome().patch;
    if (nothing) {
        report.good(unchanged.answer, fmt::format("{} {}", unchanged.why,
                                                  place.empty() ? std::string("Nothing was written.")
                                                  : stood ? std::string("It stands there already, the same bytes.")
                                                          : fmt::format("It was written to {} as it is.", place)));
        return std::nullopt;
    }
    if (stood) return conclude_made_already(job.outcome().delivered.output, report), std::nullopt;
    return place;
}

}  // namespace hotstitch::cli
