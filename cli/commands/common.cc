// SPDX-License-Identifier: MIT
#include "commands/common.h"

#include <fmt/format.h>
#include <unistd.h>

#include <utility>

#include "hotstitch/error.h"
#include "hotstitch/patch.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

InputFile open_input(const std::string& name, const Limits& limits, const Progress& progress) {
    if (name == "-") return InputFile::from_descriptor(STDIN_FILENO, "standard input", limits, progress);
    return InputFile(name, limits, progress);
}

Replace replace_mode(const OutputArguments& output, bool in_place) {
    if (!output.replace && !in_place) return Replace::never;
    return output.no_backup ? Replace::without_backup : Replace::keep_backup;
}

void readme_facts(Report& report, const PatchFile& patch) {
    for (const std::string& readme : patch.readmes)
        report.fact("readme", "readme", fmt::format("{} in {}", escaped(readme), shown(patch.archive)),
                    as_utf8(readme));
}

InputFile stated_source(InputFile file, const PatchReader& patch, const Checks& checks, const Context& context,
                        Report& report) {
    SourceFile found = source_for(std::move(file), patch, checks, context);
    if (!found.archive.empty())
        report.warn(fmt::format("the source was taken out of the archive {}", shown(found.archive)));
    return std::move(found.file);
}

std::string shown(const fs::path& path) {
    return escaped(path.string());
}

void checks_fact(Report& report, const std::optional<FoundChecks>& found) {
    if (found) report.fact("checks_file", "checks", shown(found->path), as_utf8(found->path.string()));
}

void file_fact(Report& report, const std::string& key, const fs::path& path, const Digests& digests,
               const std::string& more) {
    Json value = json_of(digests);
    value["path"] = as_utf8(path.string());
    report.fact(key, key, shown(path), std::move(value));
    std::string line = digests.size ? size_text(*digests.size) : std::string();
    if (!more.empty()) line = more + ", " + line;
    if (digests.crc32) line += ", crc32 " + digests.crc32->hex();
    report.fact(key, key, line, report.facts().back().value);
}

std::string patch_text(const PatchFacts& facts) {
    const FormatTraits& format = traits_of(facts.format);
    return fmt::format("{}, {}", format.title, counted(facts.records, format.record, format.records));
}

void shared_fact(Report& report, const SharedBytes& shared) {
    Json value = {{"literal", shared.literal},
                  {"also_in_source", shared.counted ? Json(shared.shared) : Json(nullptr)}};
    if (!shared.counted) {
        report.fact("own_bytes", "from source", "not counted: the patch is too large for the memory budget",
                    std::move(value));
        return;
    }
    if (shared.literal == 0) {
        report.fact("own_bytes", "from source", "no literal bytes in the patch", std::move(value));
        return;
    }
    const double share = 100.0 * static_cast<double>(shared.shared) / static_cast<double>(shared.literal);
    report.fact("own_bytes", "from source",
                fmt::format("{} of {} literal bytes ({:.1f} %) also stand in the source", grouped(shared.shared),
                            grouped(shared.literal), share),
                std::move(value));
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
        if (m.name == "reach" || m.name.find(' ') != std::string::npos) {
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
    const auto state = [&](const char* name, const std::optional<fs::path>& path) {
        if (path) report.fact(name, name, escaped(path->string()), as_utf8(path->string()));
    };
    state("backup", delivered.backup);
    state("reverse", delivered.reverse);
    state("receipt", delivered.receipt);
    if (!delivered.has_way_back)
        report.warn("no backup and no reverse patch were kept: there is no way back from this");
}

void conclude_made_already(const fs::path& output, Report& report) {
    report.detail("made", false);
    report.conclude(
        Mood::good, "made-already",
        fmt::format("Made already: {} is there, with the very bytes that this makes.", escaped(output.string())),
        ExitCode::yes);
}

void output_fact(Report& report, const Digests& made, const fs::path& path) {
    Json value = json_of(made);
    value["path"] = as_utf8(path.string());
    report.fact("output", "output", fmt::format("{}, crc32 {}", size_text(*made.size), made.crc32->hex()),
                std::move(value));
}

}  // namespace hotstitch::cli
