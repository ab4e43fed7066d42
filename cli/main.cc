// SPDX-License-Identifier: MIT
// Parses, runs one command, prints its report. Errors end here.
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <new>

#include "advice.h"
#include "arguments.h"
#include "commands/commands.h"
#include "commands/common.h"
#include "hotstitch/keys.h"
#include "hotstitch/text.h"
#include "render/print.h"
#include "render/progress_line.h"
#include "render/style.h"
#include "render/text.h"
#include "signals.h"
#include "then.h"

namespace hotstitch::cli {
namespace {

bool has_argument(int argc, char** argv, std::string_view wanted) {
    return std::any_of(argv, argv + argc, [&](const char* argument) { return argument == wanted; });
}

/// Where the chosen command's output goes, if it has one.
std::string output_of(const CommandArguments& chosen) {
    return std::visit(
        [](const auto& arguments) -> std::string {
            if constexpr (requires { arguments.csv; })
                return arguments.csv ? "-" : arguments.change.recipe.to.file;
            else if constexpr (requires { arguments.request.output; })
                return arguments.request.output;
            else if constexpr (requires { arguments.output; })
                return arguments.output;
            else if constexpr (requires { arguments.change; })
                return arguments.change.recipe.to.file;
            else if constexpr (requires { arguments.to; })
                return arguments.to.file;
            else if constexpr (requires { arguments.recipe; })
                return arguments.recipe.to.file;
            else
                return {};
        },
        chosen);
}

/// A report goes to standard output; errors, and everything when the output itself goes there, to standard error.
int print(const Report& report, const Common& common, bool output_is_stdout) {
    const int code = static_cast<int>(report.exit_code());
    if (common.json) {
        bool told = true;
        write_json(report, [&](std::string_view piece) { told = told && put(stdout, piece); });
        return told ? code : static_cast<int>(ExitCode::system);
    }
    std::FILE* const stream = report.is_error() || output_is_stdout ? stderr : stdout;
    const bool told = put(stream, rendered_text(report, {wants_colour(common.colour, fileno(stream)), common.quiet,
                                                         common.verbose, width_of(fileno(stream))}));
    // An answer that did not arrive is a failure; that of a failure changes nothing.
    return told || stream == stderr ? code : static_cast<int>(ExitCode::system);
}

int run_command(const Arguments& arguments, Report& report) {
    Context context;
    context.common = arguments.common;
    context.limits.output = arguments.common.limit_output;
    context.limits.archive_unpacked = arguments.common.limit_unpacked;
    ProgressStyle style = arguments.common.progress;
    if (style == ProgressStyle::automatic && arguments.common.quiet) style = ProgressStyle::none;
    ProgressLine line(style);
    context.progress = [&](const ProgressState& state) { return line.update(state); };
    if (!arguments.common.keys.empty()) {
        Limits limits = context.limits;
        limits.stream = std::min(limits.stream, std::uint64_t{1} << 20);
        const InputFile keys(arguments.common.keys, limits, context.progress);
        context.limits.keys = std::make_shared<const Keys>(read_keys(text_of(keys.bytes())));
    }
    // Of the fields command, a broken map in a folder is told; elsewhere it is passed over.
    if (!arguments.common.maps.empty() || !arguments.common.map_folder.empty())
        context.limits.maps =
            maps_of({arguments.common.maps, arguments.common.map_folder}, context, &context.broken_maps);
    if (!arguments.common.keys.empty()) context.read.emplace_back(arguments.common.keys);
    for (const std::string& map : arguments.common.maps) context.read.emplace_back(map);
    if (!arguments.common.map_folder.empty())
        for (const std::filesystem::path& map : files_in(arguments.common.map_folder)) context.read.push_back(map);
    context.limits.scratch = [] { return std::make_unique<ScratchFile>(); };
    context.open = [&](const std::string& name, const Limits& limits) {
        return open_input(name, limits, context.progress);
    };
    const bool output_is_stdout = output_of(arguments.arguments) == "-";
    try {
        if (output_is_stdout && arguments.common.json)
            throw Error(ErrorCode::usage, "two outputs want standard output: a document, and what is made")
                .hint("name a file with -o, or leave out --json");
        if (output_is_stdout && !arguments.common.then.empty())
            throw Error(ErrorCode::usage, "--then runs a command on a file, and -o - makes none")
                .hint("name a file with -o");
        std::visit([&](const auto& chosen) { run(chosen, context, report); }, arguments.arguments);
    } catch (const Error& error) {
        constexpr std::string_view reading_only[] = {"describe", "verify", "overlap", "undo", "parts", "take", "chart"};
        const bool writes =
            std::find(std::begin(reading_only), std::end(reading_only), arguments.command) == std::end(reading_only);
        conclude(report, error,
                 !error.done().empty() ? fmt::format(" {}.", escaped(error.done()))
                 : writes              ? " Nothing was written."
                                       : "");
        if (error.code() == ErrorCode::cancelled) {
            const auto code = stop_signal() == SIGTERM  ? ExitCode::terminated
                              : stop_signal() == SIGHUP ? ExitCode::hung_up
                                                        : ExitCode::interrupted;
            report.bad("stopped", "Stopped on request. Nothing was left behind.", code);
        }
    }
    line.clear();
    const int code = print(report, arguments.common, output_is_stdout);
    if (code != 0 || arguments.common.then.empty() || report.output().empty()) return code;
    if (!arguments.common.json && !arguments.common.quiet) put(stdout, "\n");
    return run_then(arguments.common.then, report.output(), arguments.common.json);
}

int main(int argc, char** argv) {
    open_missing_streams();
    catch_stop_signals();
    Common common;
    Report report(command_of(argc, argv));
    try {
        const Arguments arguments = parse_arguments(argc, argv, common);
        if (!arguments.text.empty()) {
            return put(stdout, arguments.text) ? 0 : static_cast<int>(ExitCode::system);
        }
        report = Report(arguments.command);
        return run_command(arguments, report);
    } catch (const Error& error) {
        common.json = has_argument(argc, argv, "--json");
        conclude(report, error);
    } catch (const std::bad_alloc&) {
        report.fail("no-memory", "Stopped: the system has no memory left for this.");
    } catch (const std::exception& error) {
        report.fail("io", fmt::format("Stopped: {}.", escaped(error.what())));
    }
    return print(report, common, false);
}

}  // namespace
}  // namespace hotstitch::cli

int main(int argc, char** argv) {
    return hotstitch::cli::main(argc, argv);
}
