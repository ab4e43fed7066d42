// SPDX-License-Identifier: MIT
#include "hotstitch/mend.h"

#include <fmt/format.h>

#include "changing.h"
#include "commands/common.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch::cli {

namespace {

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
    if (identity.is(KindId::executable))
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

/// Without a mend: what there is.
void show(const MendArguments& arguments, const Context& context, Report& report) {
    const InputFile part = open_file(arguments.file, context);
    report.detail("made", false);
    report.detail("file", file_json(part.path(), {.size = part.size()}));
    if (const Destination& asked = arguments.change.recipe.to;
        !asked.file.empty() || asked.in_place || !asked.patch.empty())
        throw Error(ErrorCode::usage, "no mend is named")
            .hint(fmt::format("to see what there is: hotstitch mend {}", shell_file(arguments.file)));
    const Identity identity = identify(part);
    if (identity.platform.empty() && !identity.is(KindId::disc))
        throw Error(ErrorCode::unsupported,
                    "the file is no image of a known platform and no executable of a known format, so there is "
                    "nothing to mend by")
            .hint("see what describe says of it");
    MendOptions options{.boot_code = arguments.mend.boot_code,
                        .keep_checks = arguments.change.recipe.mend.value_or(true),
                        .allow = arguments.change.recipe.allow};
    options.limits = context.limits;
    list_mends(arguments, part, identity, options, report);
}

}  // namespace

void run(const MendArguments& arguments, const Context& context, Report& report) {
    if (arguments.mend.mends.empty()) return show(arguments, context, report);
    Job job(recipe_of(arguments.change, arguments.file, {{.does = arguments.mend}}), context);
    job.open();
    const InputFile& file = job.file();
    file_fact(report, "file", file.path(), {.size = file.size()});
    if (!job.inside().empty()) report.fact("part", "part", escaped(job.inside()), as_utf8(job.inside()));
    state_steps(job.plan(), report);
    const auto& plan = std::get<MendPlan>(job.plan().front().did);
    std::string why = fmt::format("{} is as it should be", shown(file.path())), done;
    for (const MendStep& step : plan.steps) {
        if (!step.reason.empty()) why = step.reason;
        if (step.changes()) done += fmt::format("{}{}", done.empty() ? "" : ", ", step.name);
    }
    const auto place =
        finish_change(job, {"nothing-to-mend", fmt::format("Nothing to mend: {}.", why)}, context, report);
    if (!place) return;
    report.good("mended", job.outcome().patch ? fmt::format("Made {}, a patch that mends {}.", *place, done)
                                              : fmt::format("Made {}: {} mended.", *place, done));
}

}  // namespace hotstitch::cli
