// SPDX-License-Identifier: MIT
#include "hotstitch/mend.h"

#include <fmt/format.h>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "rewriting.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

namespace {

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

/// What could be mended, with the present and the right value.
void list_mends(const MendArguments& arguments, const InputFile& file, const Identity& identity,
                const MendOptions& options, Report& report) {
    const std::vector<MendOffer> offers = mends_for(file, options);
    Json list = Json::array();
    for (const MendOffer& offer : offers) {
        Json row = {{"name", offer.name}, {"what", offer.what}, {"needs_value", offer.needs_value}};
        row["needed"] = offer.needed;
        row["value"] = offer.value;
        row["present"] = offer.present;
        row["step"] = offer.step ? step_json(*offer.step) : Json(nullptr);
        if (!offer.cannot.empty()) row["cannot"] = as_utf8(offer.cannot);
        list.push_back(std::move(row));
    }
    report.detail("mends", list);
    if (identity.is("executable"))
        for (const std::string& warning : identity.warnings) report.warn(escaped(warning));
    std::string names;
    std::size_t would = 0;
    for (const MendOffer& offer : offers) {
        report.fact("mends", std::string(offer.name), escaped(words_for(offer)), list);
        if (offer.needed) ++would, names += fmt::format(" {}", offer.name);
    }
    // Whatever could be told, cannot be done.
    const bool cannot =
        std::none_of(offers.begin(), offers.end(), [](const MendOffer& o) { return o.step.has_value(); }) &&
        std::any_of(offers.begin(), offers.end(), [](const MendOffer& o) { return !o.cannot.empty(); });
    report.conclude(would == 0 && !cannot ? Mood::good : Mood::unsure, would == 0 ? "nothing-to-mend" : "can-be-mended",
                    fmt::format("{} is {}. {}", shown(file.path()), escaped(words_for(identity)),
                                offers.empty() || cannot ? "Nothing can be mended in it."
                                : would == 0             ? "Nothing in it needs mending."
                                : would == 1             ? "One mend is needed."
                                                         : fmt::format("{} mends are needed.", would)),
                    ExitCode::yes);
    if (would != 0)
        report.next("to do it", fmt::format("hotstitch mend {}{} -o OUTPUT", shell_file(arguments.file), names));
}

MendRequest request_from(const std::string& text) {
    const std::size_t equals = text.find('=');
    if (equals == std::string::npos) return {text, {}};
    return {text.substr(0, equals), text.substr(equals + 1)};
}

void state_plan(const MendPlan& plan, Report& report) {
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

}  // namespace

void run(const MendArguments& arguments, const Context& context, Report& report) {
    const ChangedFile changed = open_to_change(arguments.file, context);
    const InputFile& file = changed.file;
    RewriteRequest request = arguments.rewrite.request;
    MendOptions options = arguments.options;
    options.limits = context.limits;
    options.content = [&](const std::string& name) {
        const InputFile content = open_file(name, context);
        request.read.emplace_back(address_of(name).file);
        return head_of(content, static_cast<std::size_t>(std::min(content.size(), context.limits.memory)));
    };
    if (arguments.mends.empty()) {
        const InputFile part = open_file(arguments.file, context);
        report.detail("made", false);
        report.detail("file", file_json(part.path(), {.size = part.size()}));
        if (const RewriteRequest& asked = arguments.rewrite.request;
            !asked.output.empty() || asked.in_place || !asked.patch.empty())
            throw Error(ErrorCode::usage, "no mend is named")
                .hint(fmt::format("to see what there is: hotstitch mend {}", shell_file(arguments.file)));
        const Identity identity = identify(part);
        if (identity.platform.empty() && !identity.is("disc"))
            throw Error(ErrorCode::unsupported,
                        "the file is no image of a known platform and no executable of a known format, so there is "
                        "nothing to mend by")
                .hint("see what describe says of it");
        return list_mends(arguments, part, identity, options, report);
    }
    file_fact(report, "file", file.path(), {.size = file.size()});
    if (!changed.inside.empty()) {
        const std::string inside = joined_address(changed.inside);
        report.fact("part", "part", escaped(inside), as_utf8(inside));
    }
    std::vector<MendRequest> requests;
    for (const std::string& text : arguments.mends) requests.push_back(request_from(text));
    MendPlan plan;
    const ChangeList change = change_in(
        changed,
        [&](const SharedSource& content, const Limits& limits) {
            options.limits = limits;
            plan = plan_mends(*content, requests, options);
            return plan.change;
        },
        {.allow = options.allow}, context);
    state_plan(plan, report);
    if (!plan.changes()) {
        std::string why = fmt::format("{} is as it should be", shown(file.path()));
        for (const MendStep& step : plan.steps)
            if (!step.reason.empty()) why = step.reason;
        return pass_on_unchanged(file, "nothing-to-mend", fmt::format("Nothing to mend: {}.", why), arguments.rewrite,
                                 context, report);
    }
    const std::vector<fs::path> read = std::move(request.read);
    request = rewrite_request(arguments.rewrite, file);
    request.read = read;
    request.what = arguments.mends;
    for (const MendStep& step : plan.steps)
        if (step.added) request.what.push_back(step.name);
    const auto place = write_rewritten(file, change, request, context, report);
    if (!place) return;
    std::string done;
    for (const MendStep& step : plan.steps)
        if (step.changes()) done += fmt::format("{}{}", done.empty() ? "" : ", ", step.name);
    report.good("mended", request.patch.empty() ? fmt::format("Made {}: {} mended.", *place, done)
                                                : fmt::format("Made {}, a patch that mends {}.", *place, done));
}

}  // namespace hotstitch::cli
