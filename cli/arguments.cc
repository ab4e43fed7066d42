// SPDX-License-Identifier: MIT
#include "arguments.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <optional>
#include <sstream>
#include <tuple>

#include "completion.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "hotstitch/version.h"
#include "json.h"
#include "options.h"
#include "render/style.h"

namespace hotstitch::cli {
namespace {

/// CLI11's message without its advice, which is ours to give.
std::string first_line(const std::string& text) {
    return text.substr(0, text.find('\n'));
}

bool is_command(std::string_view word) {
    return std::find(std::begin(tell::command_names), std::end(tell::command_names), word) !=
           std::end(tell::command_names);
}

/// A file or folder that is there, or a part of one.
bool names_file(const std::string& word) {
    std::error_code code;
    return !word.starts_with('-') && std::filesystem::exists(address_of(word).file, code);
}

/// "help" and "help COMMAND" as --help.
std::vector<std::string> with_help_spelt_out(int argc, char** argv) {
    std::vector<std::string> words(argv + std::min(argc, 1), argv + argc);
    if (words.empty() || words.front() != "help") return words;
    if (words.size() > 1) return {words[1], "--help"};
    return {"--help"};
}

std::vector<std::string> option_names(const CLI::App& command) {
    std::vector<std::string> names;
    for (const CLI::Option* option : command.get_options()) {
        for (const std::string& name : option->get_lnames()) names.push_back("--" + name);
        for (const std::string& name : option->get_snames()) names.push_back("-" + name);
    }
    return names;
}

/// "FILE…" as "heap FILE…", where the first word is a file; or an option that the tool itself has not, and a file
/// comes.
void spell_out_heap(const CLI::App& app, std::vector<std::string>& words) {
    if (words.empty() || is_command(words.front())) return;
    const bool option = words.front().starts_with('-');
    const bool own = option && app.get_option_no_throw(words.front().substr(0, words.front().find('='))) != nullptr;
    const bool files = option ? !own && std::any_of(words.begin(), words.end(), names_file) &&
                                    std::none_of(words.begin(), words.end(), is_command)
                              : names_file(words.front());
    if (files) words.insert(words.begin(), "heap");
}

/// What is not known is said before anything else, with what was likely meant.
void refuse_unknown(const CLI::App& app, const std::vector<std::string>& words) {
    const auto is_option = [](const std::string& word) { return word.size() > 1 && word.front() == '-'; };
    // The value of an option of the tool itself is no command.
    auto first = words.begin();
    while (first != words.end() && is_option(*first)) {
        const CLI::Option* const option = app.get_option_no_throw(*first);
        const bool has_value = option != nullptr && option->get_expected_max() > 0 && words.end() - first > 1;
        first += has_value ? 2 : 1;
    }
    std::vector<std::string> commands;
    for (const CLI::App* command : app.get_subcommands({})) commands.push_back(command->get_name());
    const CLI::App* command = &app;
    if (first != words.end()) {
        if (std::find(commands.begin(), commands.end(), *first) == commands.end()) {
            const std::string near = nearest_word(*first, commands);
            if (near.empty() && first->find_first_of("./\\") != std::string::npos)
                throw Error(ErrorCode::io, fmt::format("cannot open {}: No such file or directory", *first))
                    .hint("check the name; without a command, files and folders are expected");
            throw Error(ErrorCode::usage, fmt::format("there is no command \"{}\"", *first))
                .wanted(fmt::format("{}", fmt::join(commands, ", ")))
                .hint(near.empty() ? "see hotstitch --help" : fmt::format("did you mean hotstitch {}?", near));
        }
        command = app.get_subcommand(*first);
    }
    const std::vector<std::string> known = option_names(*command);
    for (const std::string& word : words) {
        if (word == "--") return;
        const std::string name = word.starts_with("--") ? word.substr(0, word.find('=')) : word.substr(0, 2);
        if (!is_option(word) || std::find(known.begin(), known.end(), name) != known.end()) continue;
        const std::string near = nearest_word(name, known);
        std::error_code code;
        Error error(ErrorCode::usage, fmt::format("there is no option {}", word));
        if (std::filesystem::exists(word, code))
            throw std::move(error).hint(fmt::format("to name the file: {}", shell_file(word)));
        throw std::move(error).hint(
            near.empty() || !word.starts_with("--")
                ? fmt::format("see hotstitch {}--help", command == &app ? "" : command->get_name() + " ")
                : fmt::format("did you mean {}?", near));
    }
}

CommandWords words_of(const CLI::App& command) {
    CommandWords words{command.get_name(), command.get_description(), {}, {}};
    for (const CLI::Option* option : command.get_options()) {
        const auto choices = choices_of_options().find(option);
        const std::vector<std::string> values =
            choices == choices_of_options().end() ? std::vector<std::string>() : choices->second;
        OptionWords one{{}, values, option->get_description(), option->get_expected_max() > 0};
        for (const std::string& name : option->get_lnames()) one.names.push_back("--" + name);
        for (const std::string& name : option->get_snames()) one.names.push_back("-" + name);
        if (one.names.empty())
            words.first = words.first.empty() ? values : words.first;
        else
            words.options.push_back(std::move(one));
    }
    return words;
}

std::string completion_of(const CLI::App& app, Shell shell) {
    std::vector<CommandWords> commands;
    for (const CLI::App* command : app.get_subcommands({})) commands.push_back(words_of(*command));
    return completion_script(shell, commands, words_of(app));
}

/// No line longer than the terminal is wide, and no word cut: what goes on stands below its column.
std::string wrapped(const std::string& help) {
    constexpr std::size_t unknown = 80, narrowest = 50, column = 30;
    const std::size_t terminal = width_of(STDOUT_FILENO),
                      width = std::max(terminal == 0 ? unknown : terminal, narrowest);
    std::istringstream lines(help);
    std::string out;
    for (std::string line; std::getline(lines, line);) {
        const std::string indent(line.starts_with("  ") ? column : 0, ' ');
        while (line.size() > width) {
            std::size_t end = line.rfind(' ', width);
            if (end == std::string::npos || end <= indent.size()) end = line.find(' ', width);
            if (end == std::string::npos) break;
            out += line.substr(0, end) + "\n";
            line.replace(0, end + 1, indent);
        }
        out += line + "\n";
    }
    return out;
}

/// --help and --version are answers, not errors. Returns whether one of them was asked for.
bool parse_or_answer(CLI::App& app, std::vector<std::string> words, std::string& answer) {
    try {
        std::reverse(words.begin(), words.end());  // as the parser wants them
        app.parse(std::move(words));
        return false;
    } catch (const CLI::CallForHelp&) {
        const auto chosen = app.get_subcommands();
        answer = wrapped(chosen.empty() ? app.help() : chosen.front()->help("hotstitch"));
    } catch (const CLI::CallForVersion& call) {
        answer = std::string(call.what()) + "\n";
    } catch (const CLI::ParseError& error) {
        const auto chosen = app.get_subcommands();
        throw Error(ErrorCode::usage, first_line(error.what()))
            .hint(fmt::format("see hotstitch {}--help", chosen.empty() ? "" : chosen.front()->get_name() + " "));
    }
    return true;
}

}  // namespace

std::string command_of(int argc, char** argv) {
    for (int i = 1; i < argc; ++i)
        if (argv[i][0] != '-') return is_command(argv[i]) ? argv[i] : names_file(argv[i]) ? "heap" : "hotstitch";
    return "hotstitch";
}

Arguments parse_arguments(int argc, char** argv, Common& common) {
    CLI::App app(
        "Hot Stitch makes, applies and checks patches for ROMs, disc images, data files and executables.\n"
        "Nothing is overwritten unless asked; everything that can be checked is.",
        "hotstitch");
    app.require_subcommand(0, 1);
    app.set_version_flag("--version", fmt::format("hotstitch {} ({})", version(), built_with()));
    std::optional<Shell> shell;
    add_choice<std::optional<Shell>>(app, "--completion", shell,
                                     {{"bash", Shell::bash}, {"zsh", Shell::zsh}, {"fish", Shell::fish}},
                                     "A script by which bash, zsh or fish completes calls")
        ->type_name("SHELL");
    bool schemas = false;
    app.add_flag("--schemas", schemas, "JSON Schemas of all that --json prints");
    app.footer(
        "Exit codes: 0 done or yes, 1 no, 2 wrong call, 3 bad input, 4 system failure, 129, 130 and 143 stopped.\n"
        "Each command has its own --help. The manual: man hotstitch");
    std::tuple<HeapArguments, tell::DescribeRequest, ApplyArguments, CreateArguments, VerifyArguments, RecastArguments,
               OverlapArguments, UndoArguments, RenewArguments, MendArguments, HeaderArguments, PartsArguments,
               TakeArguments, PutArguments, FieldsArguments, ChartArguments, KitArguments, ShelfArguments>
        commands;
    std::apply([&](auto&... command) { (declare(app, command, common), ...); }, commands);

    Arguments result;
    std::vector<std::string> words = with_help_spelt_out(argc, argv);
    spell_out_heap(app, words);
    refuse_unknown(app, words);
    if (parse_or_answer(app, words, result.text)) return result;
    if (schemas) return result.text = Json(tell::json_schemas()).dump(2) + "\n", result;
    if (shell) return result.text = completion_of(app, *shell), result;
    if (app.get_subcommands().empty())
        throw Error(ErrorCode::usage, "no command was given").hint("see hotstitch --help");
    result.command = app.get_subcommands().front()->get_name();
    result.common = common;
    std::apply(
        [&](auto&... command) {
            // The commands stand in the order in which they were declared.
            std::size_t index = 0;
            const auto all = app.get_subcommands([](CLI::App*) { return true; });
            ((all[index++] == app.get_subcommands().front() ? void(result.arguments = std::move(command)) : void()),
             ...);
        },
        commands);
    return result;
}

}  // namespace hotstitch::cli
