// SPDX-License-Identifier: MIT

#include <fmt/format.h>
#include <unistd.h>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "hotstitch/kit_jobs.h"
#include "hotstitch/patch_jobs.h"
#include "hotstitch/text.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

namespace {

void state_demands(const PatchDemands& demands, bool ips, Report& report) {
    report.detail("demands",
                  Json{{"grows", demands.grows}, {"cuts", demands.cuts}, {"past_16_mib", demands.past_16_mib}});
    if (ips && demands.any())
        report.warn(fmt::format("the patch {}, which some old IPS appliers get wrong", words_for(demands)));
}

/// For --verbose.
void note_matching(const MatchFacts& matching, Report& report) {
    if (matching.index_step == 0) return report.note("matching: the source needed no index");
    report.note(fmt::format("matching: {} of the source in an index of {}, {}",
                            matching.index_step == 1 ? "each place" : fmt::format("1 place in {}", matching.index_step),
                            size_text(matching.index_memory), counted(matching.threads, "thread", "threads")));
}

void state_patch(const CreateResult& created, Report& report) {
    const PatchFacts& facts = created.report.facts;
    const bool vcdiff = traits_of(facts.format).has_windows;
    const bool has_checks = traits_of(facts.format).has_checks || facts.source.has_checksum() ||
                            (facts.windows != 0 && facts.checked_windows == facts.windows);
    if (vcdiff)
        report.fact("compression", "sections",
                    facts.compressor.empty() ? "plain" : fmt::format("{}-compressed", facts.compressor),
                    facts.compressor.empty() ? Json(nullptr) : Json(facts.compressor));
    file_fact(report, "patch", created.path.empty() ? fs::path("-") : created.path, {.size = facts.patch_size},
              words_for(facts));
    path_fact(report, "backup", "backup", created.backup);
    path_fact(report, "checks_file", "checks", created.checks);
    if (created.shared) shared_fact(report, *created.shared);
    report.fact("checked", "checked", "applied to the source, it makes the target, byte for byte",
                Json::array({"result"}));
    if (created.report.matching.threads != 0) note_matching(created.report.matching, report);
    state_demands(created.report.demands, !has_checks && !vcdiff, report);
    if (!has_checks && !created.checks)
        report.next(
            "publish the source's checksum with the patch, or add --checks: the format itself cannot tell a wrong "
            "source");
}

CreateRequest request_from(const CreateArguments& arguments, const Context& context) {
    CreateRequest request = arguments.request;
    if (request.names && !arguments.metadata.empty())
        throw Error(ErrorCode::usage, "--names and --metadata want the same place in the patch")
            .hint("keep one of them");
    if (request.source == "-" && request.target == "-")
        throw Error(ErrorCode::usage, "source and target cannot both come from standard input")
            .hint("save one of them as a file, and name that");
    if (request.output == "-" && request.checks)
        throw Error(ErrorCode::usage, "--checks writes a file beside the patch, so the patch needs a name")
            .hint("use -o PATH");
    if (request.target == "-" && request.output.empty())
        throw Error(ErrorCode::usage, "with the target from standard input, the output has to be named")
            .hint("add -o PATH");
    request.replace = arguments.flags.mode();
    // Not for the verdict alone: beside much new data it takes longer than the patch.
    request.count_shared = !context.common.quiet || context.common.json;
    if (request.names && !traits_of(format_for(request)).has_windows)
        throw Error(ErrorCode::usage, "--names is for vcdiff patches only")
            .hint("add --format vcdiff, or leave out --names");
    if (!arguments.metadata.empty()) {
        const InputFile metadata(arguments.metadata, context.limits, context.progress);
        request.metadata.assign(metadata.bytes().begin(), metadata.bytes().end());
    }
    return request;
}

}  // namespace

namespace {

KitCreateRequest kit_request_from(const CreateArguments& arguments, const Context& context) {
    KitCreateRequest request;
    request.pairs.push_back({arguments.request.source, arguments.request.target});
    for (std::size_t i = 0; i + 1 < arguments.also.size(); i += 2)
        request.pairs.push_back({arguments.also[i], arguments.also[i + 1]});
    if (arguments.base_names.size() > request.pairs.size())
        throw Error(ErrorCode::usage, "there are more names of editions than editions")
            .hint("name one for the first pair, and one for each --also");
    for (std::size_t i = 0; i < arguments.base_names.size(); ++i) request.pairs[i].edition = arguments.base_names[i];
    request.output = arguments.request.output;
    request.name = arguments.title;
    request.replace = arguments.flags.mode();
    request.effort = arguments.request.effort;
    request.maps = context.common.maps;
    if (!context.common.map_folder.empty())
        for (const fs::path& file : files_in(context.common.map_folder)) request.maps.push_back(file.string());
    return request;
}

void create_one_kit(const CreateArguments& arguments, const Context& context, Report& report) {
    if (arguments.request.output == "-")
        throw Error(ErrorCode::usage, "a kit does not go to standard output").hint("name a file or a folder with -o");
    report.detail("made", false);
    const KitCreateResult made = create_kit(kit_request_from(arguments, context), context);
    report.detail("made", !made.stood_already);
    const KitInput kit(made.path, context);
    kit_fact(report, {&kit});
    std::vector<std::string> has;
    const auto count = [&](std::size_t number, const char* one, const char* many) {
        if (number != 0) has.push_back(counted(number, one, many));
    };
    count(made.fields, "field", "fields"), count(made.patches, "patch", "patches");
    count(made.files, "file in another's place", "files in others' places"), count(made.added, "new file", "new files");
    count(made.moved, "file that moved", "files that moved"), count(made.removed, "removed", "removed");
    Json steps = {{"fields", made.fields}, {"patches", made.patches}, {"files", made.files},
                  {"added", made.added},   {"moved", made.moved},     {"removed", made.removed}};
    report.fact("changes", "changes", fmt::format("{}", fmt::join(has, ", ")), steps);
    report.fact("editions", "editions", fmt::format("{}", made.editions), made.editions);
    file_fact(report, "file", made.path, made.digests.crc32 ? made.digests : Digests{.size = made.size});
    path_fact(report, "backup", "backup", made.backup);
    if (made.shared) shared_fact(report, *made.shared);
    report.fact("checked", "checked", "applied to the source, it makes the target, byte for byte",
                Json::array({"result"}));
    for (const std::string& edition : made.whole)
        report.note(fmt::format("{}: one patch of the whole takes less than its parts", escaped(edition)));
    if (kit.is_folder())
        report.next("write its README.md, then pack it",
                    fmt::format("hotstitch kit pack {}", shell_file(made.path.string())));
    else
        report.next("to write its README.md and name its author, make a folder of it: the same call with -o NAME/");
    report.output_is(made.path.string());
    report.good("made", fmt::format("{} {}: it makes the target.", made.stood_already ? "There already:" : "Made",
                                    shown(made.path)));
}

}  // namespace

void run(const CreateArguments& arguments, const Context& context, Report& report) {
    if (arguments.kit || fs::path(arguments.request.output).extension() == kit_extension)
        return create_one_kit(arguments, context, report);
    if (!arguments.also.empty() || !arguments.base_names.empty() || !arguments.title.empty())
        throw Error(ErrorCode::usage, "--also, --base-name and --title are for kits").hint("add --format kit");
    CreateJob job(request_from(arguments, context), context);
    job.open();
    if (!job.archive().empty()) {
        const bool is_source = job.source().is_unpacked();
        report.warn(
            fmt::format("{} was taken out of the archive {}; to compare the archive itself, unpack or pack both",
                        shown((is_source ? job.source() : job.target()).path().filename()), shown(job.archive())));
    }
    file_fact(report, "source", job.source().path(), {.size = job.source().size()});
    file_fact(report, "target", job.target().path(), {.size = job.target().size()});
    const bool to_stream = arguments.request.output == "-";
    const CreateResult created =
        through_stream(arguments.request.output, context, [&](auto&... sink) { return job.run(sink...); });
    if (created.outgrown)
        report.warn(fmt::format("chose {}, because {}; not every applier knows it",
                                traits_of(created.report.facts.format).name, created.outgrown->what()));
    state_patch(created, report);
    warn_of_extension(report, created.path, created.report.facts.format);
    if (created.report.changes_nothing) report.warn("source and target are the same: the patch changes nothing");
    if (created.stood_already) return conclude_made_already(created.path, report);
    report.good("made", fmt::format("Made {}: it makes the target.",
                                    to_stream ? "the patch on standard output" : shown(created.path)));
}

}  // namespace hotstitch::cli
