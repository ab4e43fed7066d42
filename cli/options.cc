// SPDX-License-Identifier: MIT
// The options of every command, and what each fills in.
#include "options.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <sstream>

#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch::cli {

std::map<const CLI::Option*, std::vector<std::string>>& choices_of_options() {
    static std::map<const CLI::Option*, std::vector<std::string>> all;
    return all;
}

namespace {

/// A name, a file, a list: with the word for it that --help shows. An empty name of a file is a mistake of the caller's
/// script, never the place that is taken when none is named.
template <class T>
CLI::Option* add_value(CLI::App& app, const std::string& name, T& value, std::string_view type,
                       std::string description) {
    CLI::Option* const option = app.add_option(name, value, std::move(description))->type_name(std::string(type));
    if (type == "FILE" || type == "PATH" || type == "FOLDER" || type == "PATTERN")
        option->check([](const std::string& text) { return std::string(text.empty() ? "the name is empty" : ""); });
    return option;
}

void add_size(CLI::App& app, const std::string& name, std::uint64_t& size, std::string description) {
    app.add_option_function<std::string>(
           name, [&size](const std::string& text) { size = parse_size(text); }, std::move(description))
        ->type_name("SIZE");
}

/// One value a time, any number of times.
void add_each(CLI::App& app, const std::string& name, const char* type, std::string description,
              const std::function<void(const std::string&)>& take) {
    app.add_option_function<std::vector<std::string>>(
           name, [take](const std::vector<std::string>& texts) { std::for_each(texts.begin(), texts.end(), take); },
           std::move(description))
        ->type_name(type)
        ->allow_extra_args(false);
}

void add_common(CLI::App& app, Common& common) {
    app.add_flag("--json", common.json, "One JSON document on standard output, with the same facts");
    app.add_flag("-q,--quiet", common.quiet, "Only the verdict");
    app.add_flag("-v,--verbose", common.verbose, "Also what was chosen and why");
    add_choice<When>(app, "--color", common.colour,
                     {{"auto", When::automatic}, {"always", When::always}, {"never", When::never}},
                     "auto, always or never (also NO_COLOR)")
        ->type_name("WHEN");
    add_choice<ProgressStyle>(
        app, "--progress", common.progress,
        {{"auto", ProgressStyle::automatic}, {"json", ProgressStyle::json}, {"none", ProgressStyle::none}},
        "auto: a line on a terminal; json: JSON lines on standard error; none")
        ->type_name("STYLE");
    add_size(app, "--limit-output", common.limit_output, "Largest output allowed, for example 4G");
    add_size(app, "--limit-unpacked", common.limit_unpacked,
             "Most that may be unpacked from one archive, for example 8G");
    add_value(app, "--keys", common.keys, "FILE",
              "Your own keys for encrypted discs: lines of NAME = 32 hexadecimal digits");
    add_each(app, "--map", "FILE", "A map: what stands where in files of one kind, for the file it fits (repeatable)",
             [&common](const std::string& file) { common.maps.push_back(file); });
    add_value(app, "--maps", common.map_folder, "FOLDER", "All maps in a folder; those that fit are used");
}

/// A name that --allow takes, what it sets, and what it means.
struct Allowance {
    std::string_view name;
    bool* allowed;
    std::string_view meaning;
};

void add_allow(CLI::App& app, const std::vector<Allowance>& known) {
    std::vector<std::string_view> names;
    for (const Allowance& row : known) names.push_back(row.name);
    add_each(app, "--allow", "LIST", fmt::format("Go on although a check fails: {}", fmt::join(names, ", ")),
             [known](const std::string& list) {
                 std::istringstream asked(list);
                 for (std::string name; std::getline(asked, name, ',');) {
                     const auto row =
                         std::find_if(known.begin(), known.end(), [&](const auto& k) { return k.name == name; });
                     if (row != known.end()) {
                         *row->allowed = true;
                         continue;
                     }
                     std::string meanings;
                     for (const Allowance& k : known)
                         meanings += fmt::format("{}{} ({})", meanings.empty() ? "" : ", ", k.name, k.meaning);
                     throw Error(ErrorCode::usage, fmt::format("--allow knows no check named \"{}\"", name))
                         .wanted(meanings);
                 }
             });
}

template <class Request>
void add_allow_checks(CLI::App& app, Request& request) {
    std::vector<Allowance> known{{"source", &request.allow_source, "not the file the patch was made for"}};
    if constexpr (requires { request.allow_target; }) {
        known.push_back({"target", &request.allow_target, "not the result it should make"});
        known.push_back({"patch", &request.allow_patch, "not the patch its checks belong to"});
    }
    add_allow(app, known);
}

void add_allow_changes(CLI::App& app, Allowed& allow) {
    add_allow(app, {{"signature", &allow.signature, "the executable is signed, and the change breaks that"},
                    {"packed", &allow.packed, "the executable looks packed or encrypted"}});
}

void add_then(CLI::App& app, Common& common) {
    add_value(app, "--then", common.then, "COMMAND",
              "Run this by the shell when all is right, {} being the output; its exit code is then ours");
}

void add_output(CLI::App& app, std::string& output, ReplaceFlags& flags, const std::string& default_place) {
    add_value(app, "-o,--output", output, "PATH",
              "A name, a folder, or - for standard output; otherwise " + default_place);
    app.add_flag("--replace", flags.replace, "Replace an existing output; the old one is kept as a dated backup");
    app.add_flag("--no-backup", flags.no_backup, "Keep no backup of what is replaced");
}

void add_as(CLI::App& app, std::string& as) {
    add_value(
        app, "--as", as, "PATTERN",
        "The output's name with words from what the file says of itself: 'games/{title} [{serial}]/game.iso'; also "
        "{region}, {revision}, {platform}, {name}, {extension}");
}

void add_expect(CLI::App& app, Digests& expected) {
    add_each(app, "--expect", "KIND:VALUE",
             "What the source has to be: crc32:…, md5:…, sha1:…, sha256:…, a checksum alone, or size:… (repeatable)",
             [&expected](const std::string& text) { add_digest(expected, text); });
}

void add_known(CLI::App& app, std::string& known) {
    add_value(app, "--known", known, "FILE",
              "A list that names files: lines of md5sum, sha1sum or sha256sum, crc32,size,name, or XML");
}

std::string joined_words(const std::vector<std::string>& words, const char* between) {
    return fmt::format("{}", fmt::join(words, between));
}

Error no_such_format(const std::string& name) {
    std::vector<std::string> names;
    for (const FormatTraits& row : patch_formats()) names.emplace_back(row.name);
    const std::string near = nearest_word(name, names);
    return Error(ErrorCode::usage, fmt::format("there is no patch format \"{}\"", name))
        .wanted(joined_words(names, ", "))
        .hint(near.empty() ? "" : fmt::format("did you mean {}?", near));
}

/// `kit`: set for the one that is no patch format; null: it is not among them.
void add_format(CLI::App& app, std::optional<PatchFormat>& format, bool* kit = nullptr) {
    std::vector<std::string> names;
    for (const FormatTraits& row : patch_formats()) names.emplace_back(row.name);
    if (kit != nullptr) names.emplace_back("kit");
    CLI::Option* const option =
        app.add_option_function<std::string>(
               "--format",
               [&format, kit](const std::string& name) {
                   if (kit != nullptr && name == "kit") return void(*kit = true);
                   format = format_by_name(name);
                   if (!format) throw no_such_format(name);
               },
               (kit != nullptr ? "The format: " : "The patch format: ") + joined_words(names, ", "))
            ->type_name("NAME");
    choices_of_options()[option] = std::move(names);
}

template <class Request>
void add_receipt(CLI::App& app, Request& request, const std::string& works_by_it) {
    app.add_flag_callback(
        "--no-receipt", [&request] { request.receipt = false; },
        "Leave no receipt OUTPUT.receipt.json, which " + works_by_it);
    app.add_flag("--digests", request.digests, "SHA-256 in the receipt for files over 1 MiB too");
}

void add_room(CLI::App& app, Room& room) {
    add_choice<Room>(app, "--room", room,
                     {{"place", Room::place}, {"append", Room::append}, {"rebuild", Room::rebuild}},
                     "Where a disc's file goes that outgrows its place: nowhere, behind all others (what happens "
                     "unasked), or in its place, moving all that follows");
}

void add_change(CLI::App& app, ChangeArguments& change) {
    Destination& place = change.recipe.to;
    add_output(app, place.file, change.flags, "nowhere: this, --as, --in-place or --patch has to be said");
    add_as(app, place.as);
    add_value(app, "--patch", place.patch, "PATH",
              "Write the change as a patch, not the file; the format by extension or --format");
    add_format(app, place.format);
    app.add_flag("--in-place", place.in_place,
                 "Change the file itself; it is kept as a dated backup or, over 64 MiB, what is overwritten is");
    add_receipt(app, place, "undo and renew work by");
}

}  // namespace

void declare(CLI::App& app, tell::DescribeRequest& describe, Common& common) {
    auto& command = *app.add_subcommand("describe", "What is this file; for a patch: what it needs and does");
    command.add_option("FILE", describe.files, "Any files, patches too")->required();
    add_value(command, "--source", describe.source, "FILE",
              "The source of a patch: also counts how much of the patch stands in it");
    add_known(command, describe.known);
    add_value(
        command, "--at", describe.at, "ADDRESS",
        "A place in a cartridge ROM or executable, as address and as offset: 80:8000, 08001234 or +0x81c0 (repeatable)")
        ->allow_extra_args(false);
    command.add_flag("--free", describe.free, "Runs of one byte of 256 or more in a cartridge ROM, by bank");
    add_common(command, common);
}

void declare(CLI::App& app, HeapArguments& heap, Common& common) {
    auto& command = *app.add_subcommand(
        "heap", "Whatever you have, in any order: games, patches, kits, archives, folders; \"heap\" may be left out");
    command.add_option("FILE", heap.files, "Files and folders")->required();
    command.add_flag("--plan", heap.plan, "Only say what would be done");
    command.add_flag("--yes", heap.yes, "Do it without asking; in a terminal, Enter is waited for");
    add_then(command, common);
    add_output(command, heap.to.file, heap.flags, "beside the game, named after the patch");
    add_receipt(command, heap.to, "undo and renew work by");
    add_common(command, common);
}

void declare(CLI::App& app, ApplyArguments& apply, Common& common) {
    auto& command = *app.add_subcommand("apply", "Make the patched file from a source and its patches");
    Recipe& recipe = apply.recipe;
    Destination& place = recipe.to;
    command
        .add_option("SOURCE", recipe.base,
                    "The unpatched file, a folder that it lies in, or - for standard input; of a kit, its bases")
        ->required();
    add_then(command, common);
    command
        .add_option("PATCH", apply.patches,
                    "The patch or kit, or several, applied in this order; a folder of patches for the one that fits; - "
                    "for standard input")
        ->required();
    command.add_flag("--plan", apply.plan, "Of a kit: only say which bases were found and what would be made");
    add_output(command, place.file, apply.flags, "beside the source");
    add_as(command, place.as);
    command.add_flag("--in-place", place.in_place,
                     "Replace the source itself; it is kept as a dated backup or, over 64 MiB, what is overwritten is");
    command.add_flag("--as-is", recipe.as_is,
                     "Never read the source in another way, without its front header for example");
    command.add_flag("--keep-representation", place.keep_representation,
                     "Put the output back as the source is: with its front header, in its byte order, interleaved");
    command.add_flag("--mend", apply.mend,
                     "A cartridge ROM's internal checks that were right before and are wrong after are put right");
    add_known(command, apply.known);
    add_value(command, "--name-like", place.name_like, "FILE",
              "The output takes this companion's name, a sound track's or a cue sheet's for example");
    command.add_flag("--with-sheet", place.with_sheet,
                     "The cue sheet that names the source is written anew for the output");
    add_room(command, apply.room);
    command.add_flag("--keep-reverse", place.reverse,
                     "Also write OUTPUT.reverse.bps, a patch that makes the source again");
    add_receipt(command, place, "undo and renew work by");
    add_expect(command, recipe.expected);
    add_allow_checks(command, recipe);
    add_common(command, common);
}

void declare(CLI::App& app, CreateArguments& create, Common& common) {
    auto& command = *app.add_subcommand("create", "Make a patch from a source and its modified copy");
    CreateRequest& request = create.request;
    command.add_option("SOURCE", request.source, "The unmodified file; for a kit, also a folder")->required();
    command.add_option("TARGET", request.target, "The modified file, or folder")->required();
    add_output(command, request.output, create.flags, "beside the target");
    add_format(command, request.format, &create.kit);
    add_choice<Effort>(command, "--effort", request.effort,
                       {{"quick", Effort::quick}, {"normal", Effort::normal}, {"best", Effort::best}},
                       "quick (for trying out), normal or best (for publishing)")
        ->type_name("DEPTH");
    add_size(command, "--memory", request.memory,
             "Memory for finding matches (a quarter of the machine's, at most 1G)");
    add_value(command, "--metadata", create.metadata, "FILE", "Keep this file's content in the patch (bps, vcdiff)");
    command.add_flag("--checks", request.checks,
                     "Also write PATCH.checks.json: sizes and checksums that the format itself does not carry");
    command.add_flag("--names", request.names, "vcdiff: the files' names, without folders, in the patch");
    command.add_flag_callback(
        "--plain", [&] { request.vcdiff.lzma = false; }, "vcdiff: no LZMA sections, for readers that lack them");
    command.add_flag_callback(
        "--no-window-checks", [&] { request.vcdiff.window_checks = false; },
        "vcdiff: no checksums; with --plain, any strict RFC 3284 reader takes it");
    add_size(command, "--window", request.vcdiff.window, "vcdiff: bytes of target in one window, up to 16M (8M)");
    add_value(command, "--title", create.title, "NAME", "kit: its name; otherwise the target's");
    command.add_option("--also", create.also, "kit: SOURCE and TARGET of one more edition or region (repeatable)")
        ->type_name("FILE FILE")
        ->expected(2)
        ->allow_extra_args(false)
        ->take_all();
    add_value(command, "--base-name", create.base_names, "NAME",
              "kit: the name of an edition: of the first pair, then of each --also (repeatable)")
        ->allow_extra_args(false);
    add_common(command, common);
}

void declare(CLI::App& app, VerifyArguments& verify, Common& common) {
    auto& command = *app.add_subcommand("verify", "Does the patch fit these files; is that its result");
    command.add_option("PATCH", verify.patch, "The patch, or a folder or archive with one for each edition");
    add_value(command, "--receipt", verify.receipt, "FILE", "Is this file still what was made, by its receipt");
    command.add_option("SOURCE", verify.request.files, "Files it might be for, or folders to search");
    add_value(command, "--target", verify.target, "FILE", "Is this file what the patch makes");
    add_known(command, verify.known);
    add_expect(command, verify.expected);
    add_common(command, common);
}

void declare(CLI::App& app, RecastArguments& recast, Common& common) {
    auto& command = *app.add_subcommand("recast", "Write the same change in another patch format");
    command.add_option("SOURCE", recast.request.source, "The unpatched file")->required();
    command.add_option("PATCH", recast.request.patch, "The patch")->required();
    add_output(command, recast.request.output, recast.flags, "beside the patch, with the new extension");
    add_format(command, recast.request.format);
    add_expect(command, recast.request.expected);
    add_allow_checks(command, recast.request);
    add_common(command, common);
}

void declare(CLI::App& app, OverlapArguments& overlap, Common& common) {
    auto& command = *app.add_subcommand("overlap", "Do patches for one source touch the same places");
    command.add_option("SOURCE", overlap.request.source, "The file they are all made for")->required();
    command.add_option("PATCH", overlap.request.patches, "Two patches or more")->required();
    add_allow_checks(command, overlap.request);
    add_common(command, common);
}

void declare(CLI::App& app, UndoArguments& undo, Common& common) {
    auto& command = *app.add_subcommand("undo", "Go back to what was before apply, by its receipt");
    command.add_option("FILE", undo.file, "What apply made")->required();
    command.add_option("PATCH", undo.patch, "A UPS patch, for a file without a receipt");
    add_common(command, common);
}

void declare(CLI::App& app, RenewArguments& renew, Common& common) {
    auto& command = *app.add_subcommand(
        "renew", "A newer patch came out, or the parts put in have changed: make the file again from its source");
    command.add_option("RECEIPT", renew.receipt, "OUTPUT.receipt.json, or OUTPUT")->required();
    command.add_option("PATCH", renew.patches, "The newer patch, or several; none: the same is done again");
    command.add_flag("--replace", renew.replace,
                     "Of a kit: replace files that the older one did not make; they are kept as dated backups");
    add_allow_checks(command, renew.recipe);
    add_common(command, common);
}

void declare(CLI::App& app, MendArguments& mend, Common& common) {
    auto& command = *app.add_subcommand("mend", "Header and flag fixes; without a mend, what could be mended");
    command.add_option("FILE", mend.file, "A cartridge ROM, an executable or a disc image")->required();
    command.add_option("MEND", mend.mend.mends,
                       "checksum, region=Europe, expand=2M, large-address-aware …; done in the right order");
    add_value(command, "--boot-code", mend.mend.boot_code, "VARIANT",
              "Nintendo 64: the boot code variant, where it is not recognised");
    command.add_flag_callback(
        "--no-mend", [&mend] { mend.change.recipe.mend = false; },
        "Leave checks that were right as they come out of the mends named");
    add_allow_changes(command, mend.change.recipe.allow);
    add_change(command, mend.change);
    add_common(command, common);
}

void declare(CLI::App& app, HeaderArguments& header, Common& common) {
    auto& command = *app.add_subcommand("header", "Front headers of cartridge ROMs: show, strip or attach one");
    add_choice<std::string>(command, "ACTION", header.action,
                            {{"show", "show"}, {"strip", "strip"}, {"attach", "attach"}}, "show, strip or attach")
        ->required();
    command.add_option("FILE", header.file, "A cartridge ROM")->required();
    add_value(command, "--keep", header.change.recipe.to.header, "FILE", "strip: the header goes into this file");
    add_value(command, "--from", header.header.file, "FILE", "attach: the header, as strip kept it");
    add_value(command, "--nes", header.header.nes, "LIST",
              "attach: a NES header, for example prg=128K,chr=0,mapper=1,mirroring=vertical,battery");
    add_size(command, "--size", header.header.size, "strip, attach: the header's size, where the file does not tell");
    add_change(command, header.change);
    add_common(command, common);
}

void declare(CLI::App& app, PartsArguments& parts, Common& common) {
    auto& command = *app.add_subcommand(
        "parts", "What is inside a file: discs, archives, cartridge ROMs, executables, packed files, files of chunks");
    command.add_option("FILE", parts.file, "A file, or a part of one: FILE:PART")->required();
    command.add_option("PATTERN", parts.request.patterns, "Only names that fit a shell pattern");
    command.add_flag("--deep", parts.request.deep, "Open what opens inside, too");
    command.add_flag("--digests", parts.request.digests, "CRC-32 and SHA-1 of each");
    add_value(command, "--compare", parts.compare, "FILE", "Part by part: what differs from this file (exit 1)");
    add_common(command, common);
}

void declare(CLI::App& app, TakeArguments& take, Common& common) {
    auto& command = *app.add_subcommand("take", "Write parts out as files");
    command
        .add_option("FILE:PART", take.request.addresses, "A part; FILE:FOLDER/ for all below a folder, FILE: for all")
        ->required();
    add_output(command, take.request.output, take.flags, "beside the file");
    command.add_flag("--raw", take.request.stored,
                     "As the file stores it: whole sectors of a disc image, a packed file as it is");
    add_common(command, common);
}

void declare(CLI::App& app, PutArguments& put, Common& common) {
    auto& command = *app.add_subcommand("put", "Put parts into a file, and what depends on them right");
    command
        .add_option("FILE", put.file,
                    "A disc, a cartridge ROM, an executable, a packed file or a file of chunks; with --room rebuild, a "
                    "folder with sys/ and files/")
        ->required();
    command.add_option(
        "PART=NEW", put.parts,
        "A part, perhaps inside another, and the file that takes its place; FOLDER/=FOLDER for all below");
    command.add_flag("--add", put.add, "Parts that are not there are added (discs)");
    command.add_option("--remove", put.removed, "A part to take away (discs; repeatable)")
        ->type_name("PART")
        ->allow_extra_args(false);
    add_room(command, put.room);
    command.add_flag_callback(
        "--no-mend", [&put] { put.change.recipe.mend = false; }, "Leave the file's own checks as they come out");
    add_allow_changes(command, put.change.recipe.allow);
    add_then(command, common);
    add_change(command, put.change);
    add_common(command, common);
}

void declare(CLI::App& app, FieldsArguments& fields, Common& common) {
    auto& command = *app.add_subcommand(
        "fields", "Named fields of a file, by a map or its own header: show, set (NAME=VALUE) or compare them");
    command.add_option("FILE", fields.file, "A file, or a part of one: FILE:PART");
    command.add_option("SELECTOR", fields.selectors,
                       "berth, berth[3-7], berth[North Quay].depth …; with =VALUE, the field is set");
    command.add_flag("--csv", fields.csv, "Comma-separated values, for spreadsheets");
    command.add_flag("--check", fields.check, "Only read the maps, and say what is wrong with them");
    add_value(command, "--compare", fields.compare, "FILE", "Field by field: what differs from this file (exit 1)");
    add_value(command, "--save", fields.save, "EDITS", "With --compare: what differs, as an edit list");
    command.add_flag_callback(
        "--no-mend", [&fields] { fields.change.recipe.mend = false; }, "Leave checks that were right as they come out");
    add_allow_changes(command, fields.change.recipe.allow);
    add_then(command, common);
    add_change(command, fields.change);
    add_common(command, common);
}

void declare(CLI::App& app, ChartArguments& chart, Common& common) {
    auto& command = *app.add_subcommand("chart", "A picture of where two files differ, or of what a patch changes");
    command.add_option("SOURCE", chart.source, "The unmodified file")->required();
    command.add_option("TARGET", chart.other, "The modified file, or a patch")->required();
    add_value(command, "--svg", chart.svg, "FILE", "The same as a picture");
    command.add_flag("--replace", chart.flags.replace,
                     "Replace an existing picture; the old one is kept as a dated backup");
    command.add_flag("--no-backup", chart.flags.no_backup, "Keep no backup of what is replaced");
    command.add_option("--hex", chart.hex, "The first N places as bytes, old over new")->type_name("N");
    add_common(command, common);
}

void declare(CLI::App& app, KitArguments& kit, Common& common) {
    auto& command =
        *app.add_subcommand("kit", "Kits, mods of several steps: check one, or pack its folder as one file");
    add_choice<std::string>(command, "ACTION", kit.action, {{"check", "check"}, {"pack", "pack"}}, "check or pack")
        ->required();
    command.add_option("KIT", kit.kit, "A folder with kit.toml, or a packed kit")->required();
    command.add_option("FILE", kit.bases,
                       "check: files or folders with its bases, to count how much of the kit stands in them");
    add_output(command, kit.output, kit.flags, "beside the folder, NAME.kit");
    add_common(command, common);
}

void declare(CLI::App& app, ShelfArguments& shelf, Common& common) {
    auto& command =
        *app.add_subcommand("shelf", "Several mods of one game, by turns in its place; without an option, what is");
    command.add_option("GAME", shelf.game, "The game's file or folder, or the cue sheet of its disc")->required();
    add_value(command, "--keep", shelf.keep, "MOD", "Put patches, kits or modified copies on the shelf GAME.shelf");
    add_value(command, "--use", shelf.use, "NAME", "Put these in the game's place, in this order; or: original");
    command.add_flag("--adopt", shelf.adopt, "What stands there now, after an update, is the original from now on");
    add_then(command, common);
    add_common(command, common);
}

}  // namespace hotstitch::cli
