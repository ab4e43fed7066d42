// SPDX-License-Identifier: MIT
// Files, patches, sources and outputs as facts. Tested through the tool, by tests/cli/cli_json_test.cc and others.
#include "hotstitch/tell.h"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

#include "hotstitch/error.h"
#include "hotstitch/patch.h"
#include "hotstitch/text.h"
#include "tell/json.h"

namespace hotstitch::tell {

namespace fs = std::filesystem;

std::string shown(const fs::path& path) {
    return escaped(path.string());
}

JsonValue file_json(const fs::path& address, const Digests& digests) {
    const Address named = address_of(address.string());
    const std::string part = named.inside();
    Json value = {{"path", as_utf8(named.file)}, {"part", part.empty() ? Json(nullptr) : Json(as_utf8(part))}};
    value.update(Json(json_of(digests)));
    return value;
}

namespace {

std::vector<std::string> file_lines(const fs::path& path, const Digests& digests, const std::string& more) {
    std::string line = digests.size ? size_text(*digests.size) : std::string();
    if (!more.empty()) line = more + ", " + line;
    if (digests.crc32) line += ", crc32 " + digests.crc32->hex();
    return {shown(path), line};
}

}  // namespace

namespace {

/// What comes with a patch: texts beside it in its archive, its checks file, another format than its name says.
void state_beside_patch(const PatchInput& patch, Report& report) {
    if (patch.chosen_of != 0)
        report.fact(
            "chosen", "chosen",
            fmt::format("{}: the only one of {} patches in {} that fits; {}", shown(patch.file.path().filename()),
                        patch.chosen_of, shown(patch.archive), escaped(patch.chosen_by)),
            file_json(patch.file.origin()));
    checks_fact(report, patch.found);
    const auto by_name = format_by_extension(patch.file.path().extension().string());
    const PatchFormat format = patch.reader->facts().format;
    if (by_name && traits_of(*by_name).extension != traits_of(format).extension)
        report.note(fmt::format("{} is {} by its content, whatever its name says", shown(patch.file.path().filename()),
                                traits_of(format).title));
}

void state_readmes(const std::vector<const PatchInput*>& patches, Report& report) {
    Json list = Json::array();
    std::vector<std::string> lines;
    for (const PatchInput* patch : patches)
        for (const std::string& readme : patch->readmes) {
            list.push_back({{"path", as_utf8(patch->archive.string())}, {"part", as_utf8(readme)}});
            lines.push_back(fmt::format("{} in {}", escaped(readme), shown(patch->archive)));
        }
    report.list("readme", "readme", lines, lines.size(), list);
}

Json patch_json(const PatchInput& patch) {
    Json value = file_json(patch.file.origin().empty() ? patch.file.path() : fs::path(patch.file.origin()),
                           {.size = patch.file.size()});
    if (patch.reader) value["format"] = traits_of(patch.reader->facts().format).name;
    return value;
}

std::vector<std::string> patch_lines(const PatchInput& patch) {
    return file_lines(patch.file.path(), {.size = patch.file.size()},
                      patch.reader ? words_for(patch.reader->facts()) : std::string());
}

}  // namespace

void state_patch(const PatchInput& patch, Report& report) {
    state_readmes({&patch}, report);
    report.list("patch", "patch", patch_lines(patch), 2, patch_json(patch));
    state_beside_patch(patch, report);
}

void state_patches(const std::vector<const PatchInput*>& patches, Report& report) {
    state_readmes(patches, report);
    Json list = Json::array();
    for (const PatchInput* patch : patches) list.push_back(patch_json(*patch));
    for (const PatchInput* patch : patches) report.list("patch", "patch", patch_lines(*patch), 2, list);
    for (const PatchInput* patch : patches)
        if (patch->reader) state_beside_patch(*patch, report);
}

void warn_of_swap(Report& report) {
    report.warn("source and patch were given in swapped places; their content says which is which");
}

void state_source(const InputFile& source, const fs::path& archive, Report& report) {
    if (!archive.empty())
        report.warn(source.is_computed() ? fmt::format("the source was read as the plain image in {}", shown(archive))
                                         : fmt::format("the source was taken out of the archive {}", shown(archive)));
    report.list(
        "source", "source", file_lines(source.path(), {.size = source.size()}, {}), 2,
        file_json(source.origin().empty() ? source.path() : fs::path(source.origin()), {.size = source.size()}));
}

void path_fact(Report& report, const char* key, const char* label, const std::optional<fs::path>& path) {
    if (path) report.fact(key, label, shown(*path), file_json(*path));
}

void checks_fact(Report& report, const std::optional<FoundChecks>& found) {
    if (found) path_fact(report, "checks_file", "checks", found->path);
}

void file_fact(Report& report, const std::string& key, const fs::path& path, const Digests& digests,
               const std::string& more) {
    report.list(key, key, file_lines(path, digests, more), 2, file_json(path, digests));
}

void warn_of_extension(Report& report, const fs::path& patch, PatchFormat format) {
    const auto by_name = format_by_extension(patch.extension().string());
    if (!by_name || traits_of(*by_name).extension == traits_of(format).extension) return;
    report.warn(fmt::format("the name ends in {}, and the patch is {}: other programs may go by the name",
                            patch.extension().string(), traits_of(format).title));
}

void shared_fact(Report& report, const SharedBytes& shared) {
    report.fact(
        "own_bytes", "from source", words_for(shared),
        Json{{"literal", shared.literal}, {"also_in_source", shared.counted ? Json(shared.shared) : Json(nullptr)}});
}

void warn_of_reading(Report& report, const SourceReading& reading, std::string_view follows) {
    const auto& opinion = reading.opinion;
    if (!reading.reading && opinion)
        report.warn(fmt::format("the patch was perhaps made for the file {}: {}", words_for(opinion->reading),
                                words_for(*opinion)));
    if (!reading.reading) return;
    report.detail("reading", reading_json(*reading.reading));
    report.warn(fmt::format("the source was read {}: {}{}", words_for(*reading.reading),
                            opinion ? words_for(*opinion) : "only so it is the one the patch was made for", follows));
}

void warn_past_end(Report& report, const Fit& fit) {
    if (fit.starts_past_end <= far_past_end) return;
    report.warn(fmt::format("the patch writes {} past the end of the source: it was likely made for a bigger file",
                            size_text(fit.starts_past_end)));
}

void reason_facts(Report& report, const Diagnosis& diagnosis) {
    Json list = Json::array();
    for (const Reason& reason : diagnosis.reasons)
        list.push_back({{"code", reason.code}, {"text", escaped(words_for(reason))}});
    for (const Reason& reason : diagnosis.reasons) report.fact("reasons", "reason", escaped(words_for(reason)), list);
}

void mismatch_facts(Report& report, const std::vector<DigestMismatch>& mismatches) {
    Json list = Json::array();
    for (const DigestMismatch& m : mismatches)
        list.push_back({{"check", m.name}, {"wanted", m.wanted}, {"found", m.found}});
    report.detail("mismatches", list);
    // One checksum is enough for people: where one differs, all do.
    bool checksum_told = false;
    for (const DigestMismatch& m : mismatches) {
        if (m.name == "reach" || std::count(m.name.begin(), m.name.end(), ' ') != 0) {
            report.fact("mismatches", "check", m.name == "reach" ? "size" : m.name, list);
            report.fact("mismatches", "wanted", m.wanted, list);
            report.fact("mismatches", "found", m.found, list);
        } else if (m.name == "size") {
            report.fact("mismatches", "wanted size", size_text(std::stoull(m.wanted)), list);
        } else if (!std::exchange(checksum_told, true)) {
            report.fact("mismatches", m.name, m.found, list);
            report.fact("mismatches", "wanted " + m.name, m.wanted, list);
        }
    }
}

void state_way_back(const Delivered& delivered, Report& report) {
    path_fact(report, "sheet_made", "sheet", delivered.sheet);
    path_fact(report, "backup", "backup", delivered.backup);
    path_fact(report, "reverse", "reverse", delivered.reverse);
    path_fact(report, "journal", "way back", delivered.journal);
    path_fact(report, "receipt", "receipt", delivered.receipt);
    if (!delivered.has_way_back)
        report.warn("no backup and no reverse patch were kept: there is no way back from this");
}

void conclude_made_already(const fs::path& output, Report& report) {
    report.detail("made", false);
    report.good("made-already", fmt::format("Made already: {} is there, with the very bytes that this makes.",
                                            escaped(output.string())));
}

void output_fact(Report& report, const Digests& made, const fs::path& path) {
    std::string text = size_text(*made.size);
    if (made.crc32) text += ", crc32 " + made.crc32->hex();  // not of what was changed in place
    report.fact("output", "output", text, file_json(path, made));
    if (path != "-") report.output_is(path.string());
}

}  // namespace hotstitch::tell
