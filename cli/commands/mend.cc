// SPDX-License-Identifier: MIT
#include "hotstitch/mend.h"

#include <fmt/format.h>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "image_facts.h"
#include "rewriting.h"

namespace hotstitch::cli {
namespace {

Json json_of(const MendStep& step) {
    Json fields = Json::array(), ranges = Json::array();
    for (const MendedField& field : step.fields)
        fields.push_back({{"name", field.name}, {"before", field.before}, {"after", field.after}});
    for (const ByteRange& range : step.ranges) ranges.push_back({{"offset", range.offset}, {"length", range.length}});
    return {
        {"name", step.name}, {"changes", step.changes()}, {"fields", std::move(fields)}, {"ranges", std::move(ranges)}};
}

std::string change_text(const MendedField& field) {
    const std::string before = escaped(field.before), after = escaped(field.after);
    if (before == after) return fmt::format("is {} already", after);
    return before == "-" ? after : fmt::format("from {} to {}", before, after);
}

std::string field_text(const MendedField& field) {
    return fmt::format("{} {}", field.name, change_text(field));
}

std::string ranges_text(const MendStep& step) {
    std::uint64_t bytes = 0;
    for (const ByteRange& range : step.ranges) bytes += range.length;
    if (step.ranges.size() == 1)
        return fmt::format("{} at {}", counted(bytes, "byte", "bytes"), offset_text(step.ranges.front().offset));
    return fmt::format("{} in {} places, from {} on", counted(bytes, "byte", "bytes"), grouped(step.ranges.size()),
                       offset_text(step.ranges.front().offset));
}

std::string offer_text(const MendOffer& offer) {
    if (offer.needs_value)
        return offer.present.empty() ? fmt::format("{}; takes {}", offer.what, offer.value)
                                     : fmt::format("is {}; takes {}", escaped(offer.present), offer.value);
    if (!offer.step) return fmt::format("{}; cannot be done: {}", offer.what, escaped(offer.cannot));
    std::string text;
    for (const MendedField& field : offer.step->fields)
        text += fmt::format("{}{}", text.empty() ? "" : ", ", field_text(field));
    return text;
}

/// What could be mended, with the present and the right value.
void list_mends(const MendArguments& arguments, const InputFile& file, const Identity& image,
                const MendOptions& options, Report& report) {
    const std::vector<MendOffer> offers = mends_for(file, options);
    Json list = Json::array();
    std::size_t would = 0;
    for (const MendOffer& offer : offers) {
        Json row = {{"name", offer.name}, {"what", offer.what}, {"needs_value", offer.needs_value}};
        row["value"] = offer.value;
        row["present"] = offer.present;
        row["step"] = offer.step ? json_of(*offer.step) : Json(nullptr);
        if (!offer.cannot.empty()) row["cannot"] = as_utf8(offer.cannot);
        list.push_back(std::move(row));
    }
    report.detail("mends", list);
    for (const MendOffer& offer : offers) {
        const bool wanted = offer.step && offer.step->changes() && offer.name != "trim" && offer.name != "pad";
        would += wanted ? 1 : 0;
        report.fact("mends", std::string(offer.name), (wanted ? "needed: " : "") + offer_text(offer), list);
    }
    if (offers.empty()) {
        report.conclude(Mood::good, "nothing-to-mend",
                        fmt::format("{} is {}. Nothing can be mended in ROMs of this platform.", shown(file.path()),
                                    image_words(image)),
                        ExitCode::yes);
        return;
    }
    std::string names;
    for (const MendOffer& offer : offers)
        if (offer.step && offer.step->changes() && offer.name != "trim" && offer.name != "pad")
            names += fmt::format(" {}", offer.name);
    report.conclude(would == 0 ? Mood::good : Mood::unsure, would == 0 ? "nothing-to-mend" : "can-be-mended",
                    fmt::format("{} is {}. {}", shown(file.path()), image_words(image),
                                would == 0   ? "Nothing in it needs mending."
                                : would == 1 ? "One mend is needed."
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
    for (const MendStep& step : plan.steps) list.push_back(json_of(step));
    report.detail("steps", list);
    for (const MendStep& step : plan.steps) {
        for (const MendedField& field : step.fields)
            report.fact("steps", step.name,
                        step.fields.size() == 1 && field.name == step.name ? change_text(field) : field_text(field),
                        list);
        if (step.changes()) report.fact("steps", step.name, ranges_text(step), list);
        for (const std::string& warning : step.warnings) report.warn(escaped(warning));
    }
}

}  // namespace

void run(const MendArguments& arguments, const Context& context, Report& report) {
    const InputFile file = open_file(arguments.file, context);
    const MendOptions options{arguments.boot_code, context.limits};
    report.detail("path", as_utf8(file.path().string()));
    if (arguments.mends.empty()) {
        if (!arguments.rewrite.output.path.empty() || arguments.rewrite.in_place || !arguments.rewrite.patch.empty())
            throw Error(ErrorCode::usage, "no mend is named")
                .hint(fmt::format("to see what there is: hotstitch mend {}", shell_file(arguments.file)));
        const auto image = recognise_cartridge(file);
        if (!image)
            throw Error(ErrorCode::unsupported,
                        "the file is no image of a known platform, so there is nothing to mend by")
                .hint("see what describe says of it");
        return list_mends(arguments, file, *image, options, report);
    }
    file_fact(report, "file", file.path(), {.size = file.size()});
    std::vector<MendRequest> requests;
    for (const std::string& text : arguments.mends) requests.push_back(request_from(text));
    const MendPlan plan = plan_mends(file, requests, options);
    file.check_intact();
    state_plan(plan, report);
    if (!plan.changes())
        return pass_on_unchanged(file, "nothing-to-mend",
                                 fmt::format("Nothing to mend: {} is as it should be.", shown(file.path())),
                                 arguments.rewrite, context, report);
    RewriteRequest request = rewrite_request(arguments.rewrite, file);
    request.what = arguments.mends;
    const auto place = write_rewritten(file, plan.change, request, context, report);
    if (!place) return;
    std::string done;
    for (const MendStep& step : plan.steps)
        if (step.changes()) done += fmt::format("{}{}", done.empty() ? "" : ", ", step.name);
    report.detail("made", true);
    report.conclude(Mood::good, "mended",
                    arguments.rewrite.patch.empty() ? fmt::format("Made {}: {} mended.", *place, done)
                                                    : fmt::format("Made {}, a patch that mends {}.", *place, done),
                    ExitCode::yes);
}

}  // namespace hotstitch::cli
