// SPDX-License-Identifier: MIT
// The options of each command as the argument parser has them. Only arguments.cc and options.cc know the parser.
#pragma once

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <map>
#include <string>
#include <vector>

#include "arguments.h"
#include "hotstitch/error.h"

namespace hotstitch::cli {

/// What options that take one of a few words can be, for shells to complete.
std::map<const CLI::Option*, std::vector<std::string>>& choices_of_options();

/// One of a few words.
template <class T>
CLI::Option* add_choice(CLI::App& app, const std::string& name, T& value,
                        std::vector<std::pair<std::string, T>> choices, const std::string& description) {
    std::vector<std::string> words;
    words.reserve(choices.size());
    for (const auto& choice : choices) words.push_back(choice.first);
    CLI::Option* const option = app.add_option_function<std::string>(
        name,
        [&value, name, words, choices = std::move(choices)](const std::string& typed) {
            for (const auto& [word, meaning] : choices)
                if (word == typed) return void(value = meaning);
            throw Error(ErrorCode::usage, fmt::format("{} cannot be \"{}\"", name, typed))
                .wanted(fmt::format("{}", fmt::join(words, ", ")));
        },
        description);
    choices_of_options()[option] = std::move(words);
    return option;
}

/// Each adds its command, whose values the parser fills in when it is chosen.
void declare(CLI::App& app, HeapArguments& heap, Common& common);
void declare(CLI::App& app, tell::DescribeRequest& describe, Common& common);
void declare(CLI::App& app, ApplyArguments& apply, Common& common);
void declare(CLI::App& app, CreateArguments& create, Common& common);
void declare(CLI::App& app, VerifyArguments& verify, Common& common);
void declare(CLI::App& app, RecastArguments& recast, Common& common);
void declare(CLI::App& app, OverlapArguments& overlap, Common& common);
void declare(CLI::App& app, UndoArguments& undo, Common& common);
void declare(CLI::App& app, RenewArguments& renew, Common& common);
void declare(CLI::App& app, MendArguments& mend, Common& common);
void declare(CLI::App& app, HeaderArguments& header, Common& common);
void declare(CLI::App& app, PartsArguments& parts, Common& common);
void declare(CLI::App& app, TakeArguments& take, Common& common);
void declare(CLI::App& app, PutArguments& put, Common& common);
void declare(CLI::App& app, FieldsArguments& fields, Common& common);
void declare(CLI::App& app, ChartArguments& chart, Common& common);
void declare(CLI::App& app, KitArguments& kit, Common& common);
void declare(CLI::App& app, ShelfArguments& shelf, Common& common);

}  // namespace hotstitch::cli
