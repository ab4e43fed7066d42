// SPDX-License-Identifier: MIT
// Scripts by which shells complete calls of the tool, made from the same definitions as --help.
#pragma once

#include <string>
#include <vector>

namespace hotstitch::cli {

struct OptionWords {
    std::vector<std::string> names;    ///< "--output", "-o"
    std::vector<std::string> choices;  ///< what it can be; empty: anything, or it takes no value
    std::string description;
    bool takes_value = false;
};

struct CommandWords {
    std::string name, description;
    std::vector<OptionWords> options;
    std::vector<std::string> first;  ///< what its first word can be, where that is one of a few
};

enum class Shell { bash, zsh, fish };

/// `tool`: the options in front of any command.
std::string completion_script(Shell shell, const std::vector<CommandWords>& commands, const CommandWords& tool);

}  // namespace hotstitch::cli
