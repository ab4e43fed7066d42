// SPDX-License-Identifier: MIT
#include "hotstitch/apply.h"

#include <fmt/format.h>
#include <unistd.h>

#include "commands/common.h"
#include "placement.h"
#include "render/escape.h"
#include "render/quantities.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

namespace {

/// Content decides which is which: a patch where the source should be, and none where the patch should be.
bool swap_if_unmistakable(InputFile& source, InputFile& patch, Report& report) {
    if (!recognise_patch(source.bytes()) || recognise_patch(patch.bytes())) return false;
    std::swap(source, patch);
    report.warn("source and patch were given in swapped places; their content says which is which");
    return true;
}

struct Inputs {
    InputFile source, patch;
};

Inputs open_both(const ApplyArguments& arguments, const Context& context, Report& report) {
    if (arguments.source == "-" && arguments.patch == "-")
        throw Error(ErrorCode::usage, "source and patch cannot both come from standard input");
    if (arguments.in_place && !arguments.output.path.empty())
        throw Error(ErrorCode::usage, "--in-place and --output contradict each other");
    Inputs inputs{open_input(arguments.source, context), open_input(arguments.patch, context)};
    swap_if_unmistakable(inputs.source, inputs.patch, report);
    if (inputs.source.is_same_file(inputs.patch.path()))
        throw Error(ErrorCode::usage, "source and patch are the same file");
    file_fact(report, "source", inputs.source.path(), {.size = inputs.source.size()});
    return inputs;
}

fs::path choose_output(const ApplyArguments& arguments, const Inputs& inputs) {
    if (arguments.in_place) {
        if (arguments.source == "-") throw Error(ErrorCode::usage, "standard input cannot be replaced in place");
        return inputs.source.path();
    }
    const bool piped = arguments.source == "-" || arguments.patch == "-";
    if (arguments.output.path.empty() && piped)
        throw Error(ErrorCode::usage, "with standard input as an input, the output has to be named")
            .hint("add -o PATH, or -o - for standard output");
    fs::path output = output_path(arguments.output.path, default_apply_output(inputs.source, inputs.patch.path()));
    refuse_inputs(output, {&inputs.source, &inputs.patch},
                  "name another output, or use --in-place (the source is kept as a backup)");
    return output;
}

/// What was and what could not be checked, in words.
void state_checks(const ApplyReport& made, const ApplyOptions& options, const FoundChecks* found, Report& report) {
    const std::string origin = found != nullptr ? "its checks file" : "--expect";
    for (const DigestMismatch& m : made.overridden)
        report.warn(fmt::format("went on although {} is {} where {} was wanted (--allow)", m.name, m.found, m.wanted));
    Json checked = Json::array();
    if (made.fit.answer == FitAnswer::fits) {
        checked.push_back("source");
        report.fact("checked_source", "checked", "the source is the one the patch was made for, by " + origin, true);
    }
    if (made.target_checked && made.overridden.empty()) {
        checked.push_back("target");
        report.fact("checked_target", "checked", "the result is what the patch should make, by its checks file", true);
    }
    report.detail("checked", std::move(checked));
    if (options.checks.source.empty()) {
        report.unchecked(
            "whether this is the source the patch was made for: the format carries no checksum and none was given");
        report.next(
            "if the result misbehaves, get the right source's checksum from the patch's author and pass it with "
            "--expect");
    } else if (!made.target_checked) {
        report.unchecked("the result itself: nothing says what it should be");
    }
}

void state_already_patched(const ApplyReport& made, Report& report) {
    report.conclude(Mood::good, "already-patched",
                    "Already patched: the source holds every byte that the patch writes. Nothing was made.",
                    ExitCode::yes);
    report.detail("made", made.made);
    report.next(
        "to start from the original, look for the file from before; to make a copy all the same, name it with -o");
}

std::string verdict_of(const ApplyReport& made, const std::string& place) {
    if (!made.overridden.empty()) return fmt::format("Made {}, against failed checks.", place);
    if (made.fit.answer == FitAnswer::fits && made.target_checked)
        return fmt::format("Made {}: source and result are right.", place);
    if (made.fit.answer == FitAnswer::fits) return fmt::format("Made {}: the source is right.", place);
    if (made.target_checked) return fmt::format("Made {}: the result is right.", place);
    return fmt::format("Made {}; nothing could be checked.", place);
}

/// How the same call would replace the source, for programs that only start from their own place.
std::string in_place_call(const ApplyArguments& arguments) {
    return fmt::format("to use it, put it where the program looks, or run: hotstitch apply --in-place {} {}",
                       escaped(arguments.source), escaped(arguments.patch));
}

}  // namespace

void run(const ApplyArguments& arguments, const Context& context, Report& report) {
    const Inputs inputs = open_both(arguments, context, report);
    const bool to_stdout = arguments.output.path == "-";
    const fs::path output = to_stdout ? fs::path() : choose_output(arguments, inputs);

    const auto reader = open_patch(inputs.patch.bytes(), context.limits);
    file_fact(report, "patch", inputs.patch.path(), {.size = inputs.patch.size()}, patch_text(reader->facts()));
    const auto found = find_checks(inputs.patch, report);

    ApplyOptions options;
    options.checks = joined_checks(found, arguments.expect);
    options.allow_source = context.common.allow.source;
    options.allow_target = context.common.allow.target;
    options.allow_patch = context.common.allow.patch;
    options.make_when_already_patched = !arguments.output.path.empty();
    options.limits = context.limits;
    options.progress = context.progress;

    ApplyReport made;
    std::string place = "standard output";
    std::optional<fs::path> backup;
    if (to_stdout) {
        ScratchFile scratch;
        made = apply(inputs.patch, inputs.source, scratch, options);
        scratch.copy_to(STDOUT_FILENO, context.progress);
    } else {
        Replace replace = replace_mode(arguments.output);
        if (arguments.in_place) replace = arguments.output.no_backup ? Replace::without_backup : Replace::keep_backup;
        OutputFile file(output, {replace, inputs.source.path()});
        made = apply(inputs.patch, inputs.source, file, options);
        if (made.made) backup = file.commit(context.progress);
        place = shown(file.path());
    }
    warn_past_end(report, made.fit);
    if (!made.made) return state_already_patched(made, report);

    Json target = json_of(made.target);
    target["path"] = to_stdout ? Json("-") : Json(as_utf8(fs::absolute(output).lexically_normal().string()));
    report.fact("output", "output", fmt::format("{}, crc32 {}", size_text(*made.target.size), made.target.crc32->hex()),
                std::move(target));
    if (backup) report.fact("backup", "backup", shown(*backup), as_utf8(backup->string()));
    if (made.fit.answer == FitAnswer::already_patched)
        report.warn("the source was already patched: it holds every byte that the patch writes");
    if (made.fit.changes_nothing) report.warn("the patch changes nothing: source and result are the same");
    state_checks(made, options, found ? &*found : nullptr, report);
    const bool certain = made.overridden.empty() && (made.target_checked || made.fit.answer == FitAnswer::fits);
    report.conclude(certain ? Mood::good : Mood::unsure, "made", verdict_of(made, place), ExitCode::yes);
    if (!to_stdout && !arguments.in_place && arguments.output.path.empty() &&
        output.parent_path().filename() == "patched")
        report.next(in_place_call(arguments));
}

}  // namespace hotstitch::cli
