// SPDX-License-Identifier: MIT
#include "hotstitch/create.h"

#include <fmt/format.h>
#include <unistd.h>

#include "commands/common.h"
#include "hotstitch/error.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

namespace {

void state_demands(const PatchDemands& demands, bool ips, Report& report) {
    std::string list;
    const auto add = [&](bool wanted, std::string_view text) {
        if (wanted) list += fmt::format("{}{}", list.empty() ? "" : ", ", text);
    };
    add(demands.grows, "grows the file");
    add(demands.cuts, "cuts the file shorter");
    add(demands.past_16_mib, "writes past 16 MiB");
    report.detail("demands",
                  Json{{"grows", demands.grows}, {"cuts", demands.cuts}, {"past_16_mib", demands.past_16_mib}});
    if (ips && demands.any()) report.warn(fmt::format("the patch {}, which some old IPS appliers get wrong", list));
}

/// The named format, or the one of the output's extension, or the one that carries all checks.
PatchFormat first_choice(const CreateArguments& arguments) {
    if (arguments.format) return *arguments.format;
    return format_by_extension(fs::path(arguments.output.path).extension().string()).value_or(CreateOptions{}.format);
}

/// A quarter of the machine's memory, at most 1 GiB.
std::uint64_t default_memory() {
    constexpr std::uint64_t most = std::uint64_t{1} << 30;
    const long pages = ::sysconf(_SC_PHYS_PAGES), page = ::sysconf(_SC_PAGESIZE);
    if (pages <= 0 || page <= 0) return most / 4;
    return std::min(static_cast<std::uint64_t>(pages) / 4 * static_cast<std::uint64_t>(page), most);
}

/// For --verbose.
void note_matching(const MatchFacts& matching, Report& report) {
    if (matching.index_step == 0) return report.note("matching: the source needed no index");
    report.note(fmt::format("matching: {} of the source in an index of {}, {}",
                            matching.index_step == 1 ? "each place" : fmt::format("1 place in {}", matching.index_step),
                            size_text(matching.index_memory), counted(matching.threads, "thread", "threads")));
}

struct Created {
    CreateReport report;
    fs::path path;
    std::optional<fs::path> backup;
    std::optional<SharedBytes> shared;
    bool stood_already = false;
};

class Creation {
public:
    Creation(const CreateArguments& arguments, const Context& context, const InputFile& source, const InputFile& target)
        : arguments_(arguments), context_(context), source_(source), target_(target) {
        if (!arguments.metadata.empty()) metadata_.emplace(arguments.metadata, context.limits, context.progress);
        // Four fields with slashes between them, as programs in the field write and read it; the tags stay empty.
        if (arguments.names)
            names_ = fmt::format("{}//{}/", target.path().filename().string(), source.path().filename().string());
    }

    Created in_format(PatchFormat format) {
        Limits limits = context_.limits;
        limits.memory = arguments_.memory != 0 ? arguments_.memory : default_memory();
        const CreateOptions options{.format = format,
                                    .effort = arguments_.effort,
                                    .metadata = metadata_ ? metadata_->bytes() : bytes_of(names_),
                                    .vcdiff = arguments_.vcdiff,
                                    .limits = limits,
                                    .progress = context_.progress};
        if (arguments_.output.path == "-") {
            ScratchFile scratch;
            Created created{create(source_, target_, scratch, options), "-", {}, {}};
            created.shared = shared_in(*scratch.written());
            scratch.copy_to(STDOUT_FILENO, context_.progress);
            return created;
        }
        const fs::path path =
            output_path(arguments_.output.path, with_extension(target_.path(), traits_of(format).extension));
        refuse_inputs(path, {&source_, &target_}, "name another output with -o");
        OutputSet set;
        OutputFile& file = set.add(path, {.replace = replace_mode(arguments_.output)});
        OutputFile* const checks =
            arguments_.checks ? &set.add(checks_path(file.path()), {.replace = replace_mode(arguments_.output)})
                              : nullptr;
        Created created{create(source_, target_, file, options), file.path(), {}, {}};
        const ByteView patch = *file.written();
        created.shared = shared_in(patch);
        if (checks != nullptr) checks->write(bytes_of(checks_to_json(checks_for(patch))));
        created.stood_already = file.stands_already();
        set.commit(context_.progress);
        created.backup = file.keep_backup();
        return created;
    }

private:
    /// Not for the verdict alone: beside much new data it takes longer than the patch.
    std::optional<SharedBytes> shared_in(ByteView patch) const {
        if (context_.common.quiet && !context_.common.json) return {};
        return count_shared(*open_patch(patch, context_.limits), source_, context_.limits, context_.progress);
    }

    Checks checks_for(ByteView patch) const {
        const DigestChoice all = available({true, true, true, true});
        return {digest(MemorySource(patch), {}), digest(source_, all, context_.progress),
                digest(target_, all, context_.progress)};
    }

    const CreateArguments& arguments_;
    const Context& context_;
    const InputFile& source_;
    const InputFile& target_;
    std::optional<InputFile> metadata_;
    std::string names_;
};

/// In the named format; when none was named and the one chosen by the extension cannot reach far enough, in a larger
/// one.
Created create_in_fitting_format(const CreateArguments& arguments, const Context& context, const InputFile& source,
                                 const InputFile& target, Report& report) {
    Creation creation(arguments, context, source, target);
    const PatchFormat format = first_choice(arguments);
    try {
        return creation.in_format(format);
    } catch (const Error& error) {
        const bool reach =
            error.code() == ErrorCode::usage && (error.field() == "offset" || error.field() == "cut length");
        const FormatTraits& larger = traits_of(traits_of(format).larger);
        if (arguments.format || larger.id == format || !reach) throw;
        report.warn(fmt::format("chose {}, because {}; not every applier knows it", larger.name, error.what()));
        return creation.in_format(larger.id);
    }
}

void state_patch(const Created& created, const CreateArguments& arguments, Report& report) {
    const PatchFacts& facts = created.report.facts;
    const bool vcdiff = traits_of(facts.format).has_windows;
    const bool has_checks =
        traits_of(facts.format).has_checks || (facts.windows != 0 && facts.checked_windows == facts.windows);
    if (vcdiff)
        report.fact("compression", "sections",
                    facts.compressor.empty() ? "plain" : fmt::format("{}-compressed", facts.compressor),
                    facts.compressor.empty() ? Json(nullptr) : Json(facts.compressor));
    file_fact(report, "patch", created.path, {.size = facts.patch_size}, patch_text(facts));
    if (created.backup) report.fact("backup", "backup", shown(*created.backup), as_utf8(created.backup->string()));
    if (arguments.checks) {
        const fs::path path = checks_path(created.path);
        report.fact("checks_file", "checks", shown(path), as_utf8(path.string()));
    }
    if (created.shared) shared_fact(report, *created.shared);
    report.fact("checked", "checked", "applied to the source, it makes the target, byte for byte",
                Json::array({"result"}));
    if (created.report.matching.threads != 0) note_matching(created.report.matching, report);
    state_demands(created.report.demands, !has_checks && !vcdiff, report);
    if (!has_checks && !arguments.checks)
        report.next(
            "publish the source's checksum with the patch, or add --checks: the format itself cannot tell a wrong "
            "source");
}

/// Two archives may be data files of their own (many games keep theirs so). One archive beside a plain file is a
/// packed copy: its only file is meant.
void unpack_one_of(InputFile& source, InputFile& target, const Context& context, Report& report) {
    if (is_archive(source) == is_archive(target)) return;
    InputFile& packed = is_archive(source) ? source : target;
    auto inside = only_member(packed, context);
    if (!inside) return;
    report.warn(fmt::format("{} was taken out of the archive {}; to compare the archive itself, unpack or pack both",
                            shown(inside->path().filename()), shown(packed.path())));
    packed = std::move(*inside);
}

}  // namespace

void run(const CreateArguments& arguments, const Context& context, Report& report) {
    if (arguments.names && !arguments.metadata.empty())
        throw Error(ErrorCode::usage, "--names and --metadata want the same place in the patch");
    if (arguments.names && !traits_of(first_choice(arguments)).has_windows)
        throw Error(ErrorCode::usage, "--names is for vcdiff patches only")
            .hint("add --format vcdiff, or leave out --names");
    if (arguments.source == "-" && arguments.target == "-")
        throw Error(ErrorCode::usage, "source and target cannot both come from standard input");
    if (arguments.output.path == "-" && arguments.checks)
        throw Error(ErrorCode::usage, "--checks writes a file beside the patch, so the patch needs a name")
            .hint("use -o PATH");
    InputFile source = open_file(arguments.source, context), target = open_file(arguments.target, context);
    unpack_one_of(source, target, context, report);
    if (arguments.target == "-" && arguments.output.path.empty())
        throw Error(ErrorCode::usage, "with the target from standard input, the output has to be named")
            .hint("add -o PATH");
    file_fact(report, "source", source.path(), {.size = source.size()});
    file_fact(report, "target", target.path(), {.size = target.size()});

    const Created created = create_in_fitting_format(arguments, context, source, target, report);
    state_patch(created, arguments, report);
    if (created.report.changes_nothing) report.warn("source and target are the same: the patch changes nothing");
    if (created.stood_already) return conclude_made_already(created.path, report);
    const bool to_stdout = created.path == "-";
    report.conclude(
        Mood::good, "made",
        fmt::format("Made {}: it makes the target.", to_stdout ? "the patch on standard output" : shown(created.path)),
        ExitCode::yes);
}

}  // namespace hotstitch::cli
