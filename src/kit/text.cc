// SPDX-License-Identifier: MIT
// A kit written down, so that people can read on from there. Tested by tests/kit/kit_test.cc.
#include <fmt/format.h>

#include "hotstitch/kit.h"
#include "hotstitch/text.h"
#include "record/steps.h"
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

/// The value of the step's own key, and what stands beside it.
struct StepText {
    std::string what, more;
};

StepText text_of(const step::Patch& does, const std::string&) {
    return {quoted_text(does.file), {}};
}
StepText text_of(const step::Edit& does, const std::string&) {
    return {quoted_text(does.file), {}};
}
StepText text_of(const step::Put& does, const std::string&) {
    StepText text{quoted_text(does.file), {}};
    if (does.add) text.more += "add = true\n";
    if (does.room != Room::any) key(text.more, "room", std::string(code_of(does.room)));
    if (does.executable) text.more += fmt::format("executable = {}\n", *does.executable);
    return text;
}
StepText text_of(const step::Set& does, const std::string&) {
    StepText text{fmt::format("{{{}}}", settings(does.fields)), {}};
    key(text.more, "map", does.map);
    return text;
}
StepText text_of(const step::Mend& does, const std::string&) {
    StepText text{quoted_list(does.mends), {}};
    key(text.more, "boot-code", does.boot_code);
    return text;
}
StepText text_of(const step::Remove&, const std::string& at) {
    return {quoted_text(at), {}};
}
StepText text_of(const step::Folder&, const std::string& at) {
    return {quoted_text(at), {}};
}
StepText text_of(const step::Link& does, const std::string& at) {
    return {quoted_text(at), fmt::format("to = {}\n", quoted_text(does.to))};
}
StepText text_of(const step::StripHeader& does, const std::string& at) {
    return {quoted_text(at), does.size == 0 ? "" : fmt::format("size = {}\n", does.size)};
}
StepText text_of(const step::AttachHeader& does, const std::string& at) {
    StepText text{quoted_text(at), {}};
    key(text.more, "from", does.file), key(text.more, "nes", does.nes);
    if (does.size != 0) text.more += fmt::format("size = {}\n", does.size);
    return text;
}

void write_step(std::string& out, const Step& step) {
    out += "\n[[step]]\n";
    key(out, "note", step.note);
    const StepText text = std::visit([&](const auto& does) { return text_of(does, step.at); }, step.does);
    const StepRow& row = row_of(step.does);
    out += fmt::format("{} = {}\n", row.name, text.what);
    if (!row.place.empty()) key(out, row.place, step.at);
    out += text.more;
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
    for (const Step& step : kit.steps) write_step(out, step);
    for (const KitOutput& output : kit.outputs) write_output(out, output);
    return out;
}

}  // namespace hotstitch
