// SPDX-License-Identifier: MIT
// A kit written down, so that people can read on from there. Tested by tests/kit_test.cc.
#include <fmt/format.h>

#include "hotstitch/kit.h"
#include "hotstitch/words.h"
#include "kit/verbs.h"
#include "toml/values.h"

namespace hotstitch {
namespace {

std::string quoted_text(std::string_view text) {
    return in_quotes(as_utf8(std::string(text)));
}

std::string quoted_list(const std::vector<std::string>& texts) {
    std::string all;
    for (const std::string& text : texts) all += fmt::format("{}{}", all.empty() ? "" : ", ", quoted_text(text));
    return "[" + all + "]";
}

void key(std::string& out, std::string_view name, const std::string& text) {
    if (!text.empty()) out += fmt::format("{} = {}\n", name, quoted_text(text));
}

void write_base(std::string& out, const KitBase& base) {
    out += "\n[[base]]\n";
    key(out, "id", base.id);
    key(out, "title", base.title);
    if (base.folder) out += "folder = true\n";
    if (base.optional) out += "optional = true\n";
    out += "any = [\n";
    for (const KitEdition& edition : base.any) {
        out += fmt::format("  {{name = {}", quoted_text(edition.name));
        if (!edition.digests.empty()) out += ", " + digests_in_toml(edition.digests);
        std::string files;
        for (const auto& [name, digests] : edition.files)
            files +=
                fmt::format("{}{} = {{{}}}", files.empty() ? "" : ", ", quoted_text(name), digests_in_toml(digests));
        if (!files.empty()) out += ", files = {" + files + "}";
        out += "},\n";
    }
    out += "]\n";
}

std::string settings(const std::vector<FieldSetting>& fields) {
    std::string all;
    for (const FieldSetting& field : fields)
        all +=
            fmt::format("{}{} = {}", all.empty() ? "" : ", ", quoted_text(field.selector), value_in_toml(field.value));
    return all;
}

void write_step(std::string& out, const KitStep& step) {
    using enum KitStep::Does;
    out += "\n[[step]]\n";
    key(out, "note", step.note);
    const Verb& verb = verb_of(step.does);
    if (step.does == set)
        out += fmt::format("set = {{{}}}\n", settings(step.set));
    else if (step.does == mend)
        out += fmt::format("mend = {}\n", quoted_list(step.mends));
    else
        key(out, verb.name, verb.place.empty() ? step.at : step.file);
    if (!verb.place.empty()) key(out, verb.place, step.at);
    if (step.does == link) key(out, "to", step.file);
    key(out, "map", step.map);
    if (step.add) out += "add = true\n";
    if (step.room != Room::any)
        key(out, "room", step.room == Room::place ? "place" : step.room == Room::append ? "append" : "rebuild");
    if (step.executable) out += fmt::format("executable = {}\n", *step.executable);
    if (!step.only.empty()) out += fmt::format("only = {}\n", quoted_list(step.only));
}

void write_output(std::string& out, const KitOutput& output) {
    out += "\n[[output]]\n";
    key(out, "from", output.from);
    key(out, "name", output.name);
    if (!output.only.empty()) out += fmt::format("only = {}\n", quoted_list(output.only));
    if (output.check.empty()) return;
    std::string checks;
    for (const auto& [edition, digests] : output.check)
        checks +=
            fmt::format("{}{} = {{{}}}", checks.empty() ? "" : ", ", quoted_text(edition), digests_in_toml(digests));
    out += fmt::format("check = {{{}}}\n", checks);
}

}  // namespace

std::string kit_text(const Kit& kit) {
    std::string out = "hotstitch-kit = 1\n";
    key(out, "name", kit.name);
    key(out, "version", kit.version);
    key(out, "author", kit.author);
    key(out, "readme", kit.readme);
    for (const KitBase& base : kit.bases) write_base(out, base);
    for (const KitStep& step : kit.steps) write_step(out, step);
    for (const KitOutput& output : kit.outputs) write_output(out, output);
    return out;
}

}  // namespace hotstitch
