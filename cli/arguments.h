// SPDX-License-Identifier: MIT
// What was typed, as plain structs. Only arguments.cc knows the argument parser.
#pragma once

#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "hotstitch/create.h"
#include "hotstitch/digest.h"
#include "hotstitch/patch_format.h"

namespace hotstitch::cli {

enum class When { automatic, always, never };
/// How progress is told: a line on a terminal, JSON lines on standard error, not at all.
enum class ProgressStyle { automatic, json, none };

/// Checks that may fail, as named by --allow.
struct Allowed {
    bool source = false, target = false, patch = false;
};

struct Common {
    bool json = false, quiet = false, verbose = false;
    When colour = When::automatic;
    ProgressStyle progress = ProgressStyle::automatic;
    Allowed allow;
    std::uint64_t limit_output = 0;
};

struct OutputArguments {
    std::string path;  ///< empty: the default place; "-": standard output; or a folder
    bool replace = false, no_backup = false;
};

struct DescribeArguments {
    std::vector<std::string> files;
    std::string source;
};

struct ApplyArguments {
    std::string source;
    std::vector<std::string> patches;
    OutputArguments output;
    bool in_place = false, as_is = false, keep_header = false;
    bool no_receipt = false, keep_reverse = false, digests = false;
    std::string name_like;  ///< a companion whose stem the output takes
    Digests expect;
};

struct CreateArguments {
    std::string source, target;
    OutputArguments output;
    std::optional<PatchFormat> format;
    bool checks = false;
    std::string metadata;  ///< a file
    Effort effort = Effort::normal;
    std::uint64_t memory = 0;  ///< of the matcher's tables, in bytes; 0: the default
    bool names = false;        ///< base names of source and target in a VCDIFF patch
    VcdiffOptions vcdiff;
};

struct RecastArguments {
    std::string source, patch;
    OutputArguments output;
    std::optional<PatchFormat> format;
    Digests expect;
};

struct OverlapArguments {
    std::string source;
    std::vector<std::string> patches;
};

struct UndoArguments {
    std::string file, patch;
};

struct RenewArguments {
    std::string receipt;
    std::vector<std::string> patches;
};

struct VerifyArguments {
    std::string patch;
    std::vector<std::string> sources;
    std::string target;
    std::string receipt;  ///< is this file still what was made, by its receipt
    Digests expect;
};

using CommandArguments = std::variant<DescribeArguments, ApplyArguments, CreateArguments, VerifyArguments,
                                      RecastArguments, OverlapArguments, UndoArguments, RenewArguments>;

struct Arguments {
    std::string command;  ///< "apply", …; empty: only `text` is to be printed
    Common common;
    CommandArguments arguments;
    std::string text;  ///< of --help or --version
};

/// Throws Error(usage). `common` is filled as far as it was understood, also then.
Arguments parse_arguments(int argc, char** argv, Common& common);

}  // namespace hotstitch::cli
