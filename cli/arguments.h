// SPDX-License-Identifier: MIT
// What was typed, as plain structs. Only arguments.cc and options.cc know the argument parser.
#pragma once

#include <string>
#include <variant>
#include <vector>

#include "hotstitch/field_jobs.h"
#include "hotstitch/job.h"
#include "hotstitch/part_jobs.h"
#include "hotstitch/patch_jobs.h"
#include "hotstitch/tell.h"

namespace hotstitch::cli {

enum class When { automatic, always, never };
/// How progress is told: a line on a terminal, JSON lines on standard error, not at all.
enum class ProgressStyle { automatic, json, none };

struct Common {
    bool json = false, quiet = false, verbose = false;
    When colour = When::automatic;
    ProgressStyle progress = ProgressStyle::automatic;
    std::uint64_t limit_output = 0, limit_unpacked = 0;  ///< bytes; 0: the defaults
    std::string keys;                                    ///< a file with the user's own keys
    std::vector<std::string> maps;                       ///< files that say what stands where
    std::string map_folder;                              ///< and all in this folder
    std::string then;                                    ///< a command to run on the output; {} is its name
};

struct ReplaceFlags {
    bool replace = false, no_backup = false;
    /// Never, or with a backup, or without. In place, replacing is what was asked for.
    Replace mode(bool in_place = false) const noexcept {
        if (!replace && !in_place) return Replace::never;
        return no_backup ? Replace::without_backup : Replace::keep_backup;
    }
};

// What a job takes is parsed into its request; the rest is what a request needs only to be made, or is only printed.
// Where a request has an output, "-" is standard output.

/// Files without a command: what they are for, they say themselves.
struct HeapArguments {
    std::vector<std::string> files;
    Destination to;
    ReplaceFlags flags;
    bool yes = false, plan = false;  ///< without asking; only say what would be done
};

struct ApplyArguments {
    Recipe recipe;  ///< without its steps
    std::vector<std::string> patches;
    Room room = Room::any;
    bool mend = false;
    ReplaceFlags flags;
    std::string known;
    bool plan = false;  ///< of a kit: only say what would be done
};

struct CreateArguments {
    CreateRequest request;
    ReplaceFlags flags;
    std::string metadata;                       ///< a file
    bool kit = false;                           ///< not a patch
    std::string title;                          ///< of the kit, as those that follow
    std::vector<std::string> also, base_names;  ///< further pairs: SOURCE TARGET SOURCE TARGET …; names of editions
};

struct RecastArguments {
    RecastRequest request;
    ReplaceFlags flags;
};

struct OverlapArguments {
    OverlapRequest request;
};

struct UndoArguments {
    std::string file, patch;
};

struct RenewArguments {
    std::string receipt;
    std::vector<std::string> patches;
    Recipe recipe;  ///< what is allowed
    bool replace = false;
};

struct VerifyArguments {
    std::string patch, target, known;
    VerifyRequest request;
    std::string receipt;  ///< is this file still what was made, by its receipt
    Digests expected;
};

/// Where a changed file goes, and what to go on with.
struct ChangeArguments {
    Recipe recipe;  ///< without base and steps
    ReplaceFlags flags;
};

struct MendArguments {
    std::string file;
    step::Mend mend;
    ChangeArguments change;
};

struct HeaderArguments {
    std::string action, file;
    step::AttachHeader header;  ///< its size is that of a header to take off, too
    ChangeArguments change;
};

struct PartsArguments {
    std::string file;
    ListRequest request;
    std::string compare;  ///< another file
};

struct TakeArguments {
    TakeRequest request;
    ReplaceFlags flags;
};

struct PutArguments {
    std::string file;
    std::vector<std::string> parts;    ///< "PART=NEW"
    std::vector<std::string> removed;  ///< parts to take away
    Room room = Room::any;
    bool add = false;
    ChangeArguments change;
};

struct FieldsArguments {
    std::string file;
    std::vector<std::string> selectors;  ///< "berth[3].depth", or with "=VALUE"
    bool csv = false, check = false;
    std::string compare, save;  ///< another file; where an edit list of what differs goes
    ChangeArguments change;
};

struct ChartArguments {
    std::string source, other;  ///< a file; another one, or a patch of it
    std::string svg;            ///< where the picture goes
    std::size_t hex = 0;        ///< so many places as bytes
    ReplaceFlags flags;
};

struct KitArguments {
    std::string action, kit;
    std::vector<std::string> bases;  ///< check: what may be its bases
    std::string output;              ///< pack
    ReplaceFlags flags;
};

struct ShelfArguments {
    std::string game;
    std::vector<std::string> keep, use;  ///< files; names on the shelf, "original" alone
    bool adopt = false;
};

using CommandArguments = std::variant<HeapArguments, tell::DescribeRequest, ApplyArguments, CreateArguments,
                                      VerifyArguments, RecastArguments, OverlapArguments, UndoArguments, RenewArguments,
                                      MendArguments, HeaderArguments, PartsArguments, TakeArguments, PutArguments,
                                      FieldsArguments, ChartArguments, KitArguments, ShelfArguments>;

struct Arguments {
    std::string command;  ///< "apply", …; empty: only `text` is to be printed
    Common common;
    CommandArguments arguments;
    std::string text;  ///< of --help or --version
};

/// The command that a call names, whatever else is wrong with it; "hotstitch": none that there is.
std::string command_of(int argc, char** argv);

/// Throws Error(usage). `common` is filled as far as it was understood, also then.
Arguments parse_arguments(int argc, char** argv, Common& common);

}  // namespace hotstitch::cli
