// SPDX-License-Identifier: MIT
// Kits, told: before they are trusted, planned, and made. Tested by tests/kit/cli_kit_test.cc.
#include <fmt/format.h>

#include "hotstitch/tell.h"
#include "hotstitch/text.h"
#include "tell/json.h"

namespace hotstitch::tell {
namespace {

constexpr std::size_t steps_shown = 12, outputs_shown = 12;

std::string title_of(const Kit& kit) {
    return escaped(kit.name) + (kit.version.empty() ? "" : " " + escaped(kit.version));
}

std::string title_of(const KitBase& base) {
    return escaped(base.title.empty() ? base.id : base.title);
}

Json step_json(std::size_t kit, const Step& step) {
    return {
        {"kit", kit + 1}, {"does", name_of(step.does)}, {"at", as_utf8(step.at)}, {"text", as_utf8(words_for(step))}};
}

std::string step_line(const Step& step) {
    std::string line = escaped(words_for(step));
    if (!step.only.empty()) line += escaped(fmt::format(" (only {})", fmt::join(step.only, ", ")));
    if (!step.note.empty()) line += ": " + escaped(step.note);
    return line;
}

Json edition_json(const KitEdition& edition) {
    Json out = {{"name", as_utf8(edition.name)}};
    if (edition.files.empty()) return out["digests"] = Json::parse(json_of(edition.digests).text()), out;
    for (const auto& [path, digests] : edition.files)
        out["files"].push_back({{"path", as_utf8(path)}, {"digests", Json::parse(json_of(digests).text())}});
    return out;
}

Json base_json(const KitBase& base) {
    Json editions = Json::array();
    for (const KitEdition& edition : base.any) editions.push_back(edition_json(edition));
    return {{"editions", std::move(editions)},
            {"id", base.id},
            {"title", as_utf8(base.title)},
            {"edition", nullptr},
            {"path", nullptr},
            {"part", nullptr},
            {"optional", base.optional}};
}

std::string edition_line(const KitBase& base, const KitEdition& edition) {
    std::string line = title_of(base);
    if (base.any.size() > 1) line += fmt::format(", {}", escaped(edition.name));
    const Digests& d = edition.digests;
    if (base.folder) return line + fmt::format(": a folder with {}", escaped(edition.files.front().first));
    if (d.size) line += fmt::format(": {}", size_text(*d.size));
    if (d.crc32) line += fmt::format(", crc32 {}", d.crc32->hex());
    if (d.sha1) line += fmt::format(", sha1 {}", hex(d.sha1->bytes));
    return line;
}

}  // namespace

void kit_fact(Report& report, const std::vector<const KitInput*>& kits) {
    Json all = Json::array();
    for (const KitInput* input : kits)
        all.push_back({{"name", as_utf8(input->kit().name)},
                       {"version", as_utf8(input->kit().version)},
                       {"author", as_utf8(input->kit().author)},
                       {"readme", as_utf8(input->kit().readme)},
                       {"path", as_utf8(input->path().string())}});
    for (const KitInput* input : kits) {
        const std::string author = input->kit().author.empty() ? "" : ", by " + escaped(input->kit().author);
        report.fact("kits", "kit", title_of(input->kit()) + author, all);
    }
}

void describe_kit(Report& report, const KitInput& input) {
    const Kit& kit = input.kit();
    kit_fact(report, {&input});
    report.detail("kind", "kit");
    report.fact("readme", "readme", fmt::format("{}, in the kit: read it first", escaped(kit.readme)),
                as_utf8(kit.readme));
    std::vector<std::string> lines;
    Json bases = Json::array();
    for (const KitBase& base : kit.bases) {
        for (const KitEdition& edition : base.any)
            lines.push_back(edition_line(base, edition) + (base.optional ? " (not needed)" : ""));
        bases.push_back(base_json(base));
    }
    report.list("wants", "needs", lines, outputs_shown, bases);
    lines.clear();
    Json steps = Json::array();
    for (const Step& step : kit.steps) lines.push_back(step_line(step)), steps.push_back(step_json(0, step));
    report.list("steps", "does", lines, steps_shown, steps);
    lines.clear();
    Json outputs = Json::array();
    for (const KitOutput& output : kit.outputs) {
        const KitBase* const base = kit.base(output.from);
        lines.push_back(fmt::format("{}, from {}", escaped(output.name), escaped(output.from)));
        outputs.push_back({{"path", as_utf8(output.name)}, {"folder", base != nullptr && base->folder}});
    }
    report.list("outputs", "makes", lines, outputs_shown, outputs);
    std::uint64_t size = input.text().size();
    for (const auto& [name, length] : input.files()) size += length;
    report.fact("size", "holds",
                fmt::format("{}, {}", counted(input.files().size() + 1, "file", "files"), size_text(size)), size);
    report.next("to see whether it is for your files",
                fmt::format("hotstitch verify {} FILES", shell_file(input.path().string())));
    report.good("kit", fmt::format("{} is a kit: {}.", shown(input.path()), title_of(kit)));
}

void bases_fact(Report& report, const std::vector<std::vector<KitBaseFound>>& bases) {
    Json all = Json::array();
    std::vector<std::string> lines;
    for (const auto& of_kit : bases)
        for (const KitBaseFound& found : of_kit) {
            Json row = base_json(*found.base);
            std::string line = title_of(*found.base);
            if (found) {
                const Json place = file_json(found.address);
                row["edition"] = as_utf8(found.edition);
                row["path"] = place["path"], row["part"] = place["part"];
                if (found.base->any.size() > 1) line += fmt::format(", {}", escaped(found.edition));
                line += ": " + escaped(found.address);
                if (found.reading) {
                    line += ", read " + words_for(*found.reading);
                    row["reading"] = {{"code", code_of(*found.reading)}, {"text", words_for(*found.reading)}};
                }
            } else {
                line += found.base->optional ? ": not given, and not needed" : ": missing";
            }
            if (std::find(lines.begin(), lines.end(), line) != lines.end()) continue;
            lines.push_back(line);
            all.push_back(std::move(row));
        }
    for (const std::string& line : lines) report.fact("bases", "base", line, all);
}

void plan_facts(Report& report, const KitPlan& plan) {
    std::vector<std::string> lines;
    Json steps = Json::array(), outputs = Json::array();
    for (const KitStepPlan& planned : plan.steps)
        lines.push_back(step_line(*planned.step)), steps.push_back(step_json(planned.kit, *planned.step));
    report.list("steps", "step", lines, steps_shown, steps);
    lines.clear();
    for (const KitOutputPlan& output : plan.outputs) {
        lines.push_back(shown(output.path) + (output.folder ? ", a folder" : ""));
        outputs.push_back({{"path", as_utf8(output.path.string())}, {"folder", output.folder}, {"size", output.size}});
    }
    report.list("outputs", "would make", lines, outputs_shown, outputs);
    report.fact("room", "room", fmt::format("about {}", size_text(plan.room)), plan.room);
}

void made_facts(Report& report, const KitResult& result) {
    Json outputs = Json::array();
    for (const KitMade& made : result.made) {
        Json row = {
            {"path", as_utf8(made.path.string())}, {"folder", made.folder}, {"stood_already", made.stood_already}};
        if (made.digests.size) row["size"] = *made.digests.size;
        if (!made.folder && made.digests.crc32) row["crc32"] = made.digests.crc32->hex();
        if (made.folder) row["files"] = made.files;
        if (made.checked) row["checked"] = true;
        if (made.backup) row["backup"] = as_utf8(made.backup->string());
        outputs.push_back(std::move(row));
    }
    std::size_t shown_so_far = 0;
    for (const KitMade& made : result.made) {
        if (++shown_so_far > outputs_shown) break;
        std::string text = shown(made.path);
        if (made.folder && made.digests.size)
            text +=
                fmt::format(", a folder: {}, {}", counted(made.files, "file", "files"), size_text(*made.digests.size));
        else if (made.digests.size)
            text += fmt::format(", {}{}", size_text(*made.digests.size),
                                made.digests.crc32 ? ", crc32 " + made.digests.crc32->hex() : "");
        if (made.checked) text += ", as the kit says";
        if (made.stood_already) text += "; stood there already";
        report.fact("outputs", "output", text, outputs);
        path_fact(report, "backup", "backup", made.backup);
    }
    path_fact(report, "receipt", "receipt", result.receipt);
    path_fact(report, "way_back", "way back", result.way_back);
    for (const std::string& warning : result.warnings) report.warn(escaped(warning));
    if (!result.made.empty()) report.output_is(result.made.front().path.string());
}

}  // namespace hotstitch::tell
