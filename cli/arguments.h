// SPDX-License-Identifier: MIT
// What was typed, as plain structs. Only arguments.cc knows the argument parser.
#pragma once

#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "hotstitch/create.h"
#include "hotstitch/digest.h"
#include "hotstitch/patch.h"

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
    std::uint64_t limit_output = 0, limit_unpacked = 0;  ///< bytes; 0: the defaults
};

struct OutputArguments {
    std::string path;  ///< empty: the default place; "-": standard output; or a folder
    bool replace = false, no_backup = false;
};

struct DescribeArguments {
    std::vector<std::string> files;
    std::string source;
    std::string known;            ///< a list that names files
    std::vector<std::string> at;  ///< addresses in cartridge ROMs
    bool free = false;            ///< list free space
};

struct ApplyArguments {
    std::string source;
    std::vector<std::string> patches;
    OutputArguments output;
    bool in_place = false, as_is = false, keep_header = false;
    bool no_receipt = false, keep_reverse = false, digests = false;
    bool mend = false;      ///< put internal checks right that the patch left stale
    std::string name_like;  ///< a companion whose stem the output takes
    std::string known;
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
    std::string known;
    Digests expect;
};

/// Where a rewritten file goes.
struct RewriteArguments {
    OutputArguments output;
    std::string patch;  ///< the change as a patch here, instead of the file
    std::optional<PatchFormat> format;
    bool in_place = false, no_receipt = false, digests = false;
};

struct MendArguments {
    std::string file;
    std::vector<std::string> mends;  ///< "checksum", "region=Europe"
    std::string boot_code;
    RewriteArguments rewrite;
};

struct HeaderArguments {
    std::string action, file;
    std::string keep, from, nes;  ///< a file for the header, a file with one, a description of one
    std::uint64_t size = 0;       ///< of the header, where nothing else says it
    RewriteArguments rewrite;
};

struct PartsArguments {
    std::string file;
    std::vector<std::string> patterns;
    std::string compare;  ///< another file
    bool deep = false, digests = false;
};

struct TakeArguments {
    std::vector<std::string> addresses;  ///< "FILE:PART", "FILE:FOLDER/", "FILE:" for all
    OutputArguments output;
};

struct PutArguments {
    std::string file;
    std::vector<std::string> parts;  ///< "PART=NEW"
    bool no_mend = false;
    RewriteArguments rewrite;
};

using CommandArguments = std::variant<DescribeArguments, ApplyArguments, CreateArguments, VerifyArguments,
                                      RecastArguments, OverlapArguments, UndoArguments, RenewArguments, MendArguments,
                                      HeaderArguments, PartsArguments, TakeArguments, PutArguments>;

struct Arguments {
    std::string command;  ///< "apply", …; empty: only `text` is to be printed
    Common common;
    CommandArguments arguments;
    std::string text;  ///< of --help or --version
};

/// Throws Error(usage). `common` is filled as far as it was understood, also then.
Arguments parse_arguments(int argc, char** argv, Common& common);

}  // namespace hotstitch::cli
