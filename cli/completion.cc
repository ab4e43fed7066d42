// SPDX-License-Identifier: MIT
// All three scripts know the command by the first word that is no option, complete the values of options that take one
// of a few, and names of files elsewhere. Tested in the shells themselves by tests/completion.sh.
#include "completion.h"

#include <fmt/format.h>

#include <set>

namespace hotstitch::cli {
namespace {

std::string joined(const std::vector<std::string>& words) {
    return fmt::format("{}", fmt::join(words, " "));
}

std::string names_of(const std::vector<CommandWords>& commands) {
    std::string names = "help";
    for (const CommandWords& command : commands) names += " " + command.name;
    return names;
}

std::string options_of(const CommandWords& command) {
    std::string all;
    for (const OptionWords& option : command.options)
        all += fmt::format("{}{}", all.empty() ? "" : " ", joined(option.names));
    return all;
}

/// "--format) CALL ips bps" for each option of a few values, once.
std::string cases_of_values(const std::vector<CommandWords>& commands, std::string_view line) {
    std::set<std::string> cases;
    for (const CommandWords& command : commands)
        for (const OptionWords& option : command.options)
            if (!option.choices.empty())
                cases.insert(fmt::format(fmt::runtime(line), fmt::join(option.names, "|"), joined(option.choices)));
    return fmt::format("{}", fmt::join(cases, ""));
}

std::string bash_script(const std::vector<CommandWords>& commands, const CommandWords& tool) {
    std::string cases;
    for (const CommandWords& command : commands)
        cases += fmt::format("        {}) options='{}' first='{}' ;;\n", command.name, options_of(command),
                             joined(command.first));
    return fmt::format(
        R"(# bash completion for hotstitch; made by hotstitch --completion bash
_hotstitch() {{
    local current=${{COMP_WORDS[COMP_CWORD]}} previous=${{COMP_WORDS[COMP_CWORD-1]}} command= place=0 options= first= i
    for ((i = 1; i < COMP_CWORD; ++i)); do
        [[ ${{COMP_WORDS[i]}} == -* ]] || {{ command=${{COMP_WORDS[i]}} place=$i; break; }}
    done
    case $previous in
{0}    esac
    case $command in
        '' | help) mapfile -t COMPREPLY < <(compgen -W '{1} {3}' -- "$current"); return ;;
{2}    esac
    if [[ $current == -* ]]; then
        mapfile -t COMPREPLY < <(compgen -W "$options" -- "$current")
    elif [[ -n $first && $COMP_CWORD -eq $((place + 1)) ]]; then
        mapfile -t COMPREPLY < <(compgen -W "$first" -- "$current")
    else
        compopt -o filenames 2>/dev/null
        mapfile -t COMPREPLY < <(compgen -f -- "$current")
    fi
}}
complete -F _hotstitch hotstitch
)",
        cases_of_values(commands, "        {}) mapfile -t COMPREPLY < <(compgen -W '{}' -- \"$current\"); return ;;\n"),
        names_of(commands), cases, options_of(tool));
}

std::string zsh_script(const std::vector<CommandWords>& commands, const CommandWords& tool) {
    std::string cases;
    for (const CommandWords& command : commands)
        cases += fmt::format("    {}) options=({}); first=({}) ;;\n", command.name, options_of(command),
                             joined(command.first));
    return fmt::format(
        R"(#compdef hotstitch
# zsh completion for hotstitch; made by hotstitch --completion zsh
local command= place=0 i
local -a options first
for ((i = 2; i < CURRENT; ++i)); do
    [[ $words[i] == -* ]] || {{ command=$words[i]; place=$i; break }}
done
case $words[CURRENT-1] in
{0}esac
case $command in
    '' | help) compadd -- {1} {3}; return ;;
{2}esac
if [[ $words[CURRENT] == -* ]]; then
    compadd -- $options
elif (( $#first && CURRENT == place + 1 )); then
    compadd -- $first
else
    _files
fi
)",
        cases_of_values(commands, "    {}) compadd -- {}; return ;;\n"), names_of(commands), cases, options_of(tool));
}

/// In single quotes, as fish reads them.
std::string fish_word(const std::string& text) {
    std::string out = "'";
    for (const char c : text) out += c == '\'' || c == '\\' ? std::string{'\\', c} : std::string(1, c);
    return out + "'";
}

/// The options of one command, or of the tool itself, behind the words that say where they are meant.
std::string fish_options(const std::string& here, const CommandWords& command) {
    std::string out;
    for (const OptionWords& option : command.options) {
        out += here;
        for (const std::string& name : option.names)
            out +=
                name.starts_with("--") ? fmt::format(" -l {}", name.substr(2)) : fmt::format(" -s {}", name.substr(1));
        if (!option.choices.empty())
            out += fmt::format(" -x -a {}", fish_word(joined(option.choices)));
        else if (option.takes_value)
            out += " -r";
        out += fmt::format(" -d {}\n", fish_word(option.description));
    }
    return out;
}

std::string fish_script(const std::vector<CommandWords>& commands, const CommandWords& tool) {
    std::string out = "# fish completion for hotstitch; made by hotstitch --completion fish\n";
    out += fish_options("complete -c hotstitch -n __fish_use_subcommand", tool);
    for (const CommandWords& command : commands) {
        const std::string here = fmt::format("complete -c hotstitch -n '__fish_seen_subcommand_from {}'", command.name);
        out += fmt::format("complete -c hotstitch -f -n __fish_use_subcommand -a {} -d {}\n", command.name,
                           fish_word(command.description));
        if (!command.first.empty()) out += fmt::format("{} -a {}\n", here, fish_word(joined(command.first)));
        out += fish_options(here, command);
    }
    return out;
}

}  // namespace

std::string completion_script(Shell shell, const std::vector<CommandWords>& commands, const CommandWords& tool) {
    switch (shell) {
        case Shell::bash: return bash_script(commands, tool);
        case Shell::zsh: return zsh_script(commands, tool);
        case Shell::fish: break;
    }
    return fish_script(commands, tool);
}

}  // namespace hotstitch::cli
