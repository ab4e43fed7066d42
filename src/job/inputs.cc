// SPDX-License-Identifier: MIT
// Addresses, archives with a game or a patch in them, checks beside a patch. Tested by tests/part/archive_test.cc and
// tests/cli/cli_apply_test.cc.
#include "hotstitch/inputs.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <functional>

#include "hotstitch/archive.h"
#include "hotstitch/error.h"
#include "hotstitch/field_jobs.h"
#include "hotstitch/part.h"
#include "hotstitch/text.h"
#include "job/copies.h"
#include "job/folder.h"
#include "job/sheets.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr int most_nesting = 2;
constexpr std::size_t most_members_tried = 64;

std::string lower_extension(const std::string& name) {
    std::string extension = fs::path(name).extension().string();
    std::transform(extension.begin(), extension.end(), extension.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return extension;
}

/// Texts and pictures that come along with a game or patch.
bool is_by_the_way(const ArchiveMember& member) {
    constexpr std::array<std::string_view, 11> extensions{".txt", ".nfo", ".md",  ".htm", ".html", ".url",
                                                          ".jpg", ".png", ".pdf", ".diz", ".json"};
    return std::find(extensions.begin(), extensions.end(), lower_extension(member.name)) != extensions.end();
}

bool is_readme(const ArchiveMember& member) {
    const std::string extension = lower_extension(member.name);
    return extension == ".txt" || extension == ".nfo" || extension == ".md";
}

std::string list_of(const std::vector<ArchiveMember>& members) {
    std::string text;
    for (std::size_t i = 0; i < members.size() && i < 10; ++i)
        text += fmt::format("{}{}", i == 0 ? "" : ", ", members[i].name);
    return text + (members.size() > 10 ? ", …" : "");
}

/// As it can be named in a call of a shell.
std::string address_word(const InputFile& archive, const ArchiveMember& member) {
    return shell_file((archive.is_unpacked() ? archive.origin() : archive.path().string()) + ":" +
                      escaped_part(member.name));
}

/// What may be a game: no patch, no text, no picture.
bool is_game(const ArchiveMember& member) {
    return !is_by_the_way(member) && !recognise_patch(member.head);
}

std::vector<ArchiveMember> game_members(const InputFile& file, const WorkOptions& options) {
    std::vector<ArchiveMember> members = list_archive(file, options.limits, options.progress);
    std::erase_if(members, [](const ArchiveMember& m) { return !is_game(m); });
    return members;
}

/// Does the stated size allow that this is the source (give or take a front header) or the target?
bool may_be_meant(const ArchiveMember& member, const PatchFacts& facts, const Checks& checks) {
    constexpr std::uint64_t largest_header = 1024;
    const auto near = [&](const Digests& wanted) {
        if (!wanted.size || !member.size) return true;
        return std::max(*wanted.size, *member.size) - std::min(*wanted.size, *member.size) <= largest_header;
    };
    return near(joined(facts.source, checks.source)) || near(joined(facts.target, checks.target));
}

}  // namespace

bool is_archive(const InputFile& file) {
    return recognise_file(head_of(file)).id == KindId::archive;  // which nothing else can be besides
}

Address address_of(const std::string& text) {
    std::error_code code;
    if (text == "-" || fs::exists(text, code)) return {text};
    return Address::parse(text, [&](const std::string& name) {
        const fs::file_status status = fs::status(name, code);
        return fs::is_regular_file(status) || fs::is_block_file(status) || fs::is_directory(status);
    });
}

namespace {

/// One file, compressed as a whole.
bool is_compressed_file(const InputFile& file, const WorkOptions& options) {
    const std::vector<ArchiveMember> members = list_archive(file, options.limits, options.progress);
    return members.size() == 1 && members.front().name.empty();
}

/// The names of an address whose file is to be read: "A:" is A's content.
std::vector<std::string> names_to_read(const Address& address) {
    std::vector<std::string> names = address.parts;
    for (std::string& name : names)
        if (name.empty()) name = "content";
    return names;
}

}  // namespace

InputFile open_part(const InputFile& file, std::string_view name, const WorkOptions& options) {
    const auto container = open_with_tracks(file, file, options);
    if (!container)
        throw Error(ErrorCode::usage,
                    fmt::format("{} has no parts: it is {}", file.path().string(), identify(file).kind.title))
            .in("part")
            .found(std::string(name));
    if (name == "content") name = {};
    // What stands in the file as it is needs no copy.
    if (const std::string_view spelt = name.empty() ? "content" : name; container->kind() != KindId::archive) {
        const Part part = find_part(*container, spelt);
        const SharedSource bytes = container->open(part);
        if (const auto whole = bytes && part.offset ? bytes->whole() : std::nullopt)
            return as_plain(InputFile::slice(file, part.name, *whole), options);
    }
    return as_plain(
        InputFile::part(file, name,
                        [&](ByteSink& out) { extract_part(*container, name.empty() ? "content" : name, out); }),
        options);
}

namespace {

/// The file that an address begins with: of a cue sheet, the file that the track lies in which the address leads to.
InputFile open_outermost(const Address& address, const WorkOptions& options) {
    const std::string& name = address.file;
    if (name != "-") check_finished(name);
    InputFile opened =
        options.open ? options.open(name, options.limits) : InputFile(name, options.limits, options.progress);
    // A cue sheet stands for its disc.
    if (const auto sheet = sheet_in(opened)) return open_by_sheet(opened, *sheet, address, options);
    return as_plain(std::move(opened), options);
}

}  // namespace

InputFile open_file(const std::string& address, const WorkOptions& options, Limits* limits) {
    return open_file(address_of(address), options, limits);
}

InputFile open_file(const Address& address, const WorkOptions& options, Limits* limits) {
    const std::vector<std::string> inside = names_to_read(address);
    std::error_code code;
    if (!inside.empty() && fs::is_directory(address.file, code)) {
        InputFile file =
            InputFile::regular(file_in_folder(address.file, inside.front()), options.limits, options.progress);
        for (std::size_t i = 1; i < inside.size(); ++i) file = open_part(file, inside[i], options);
        return file;
    }
    InputFile opened = open_outermost(address, options);
    WorkOptions narrowed = options;
    for (const std::string& inner : inside) {
        if (opened.is_computed() && inner == "content") continue;  // a compressed copy is its content already
        InputFile next = open_part(opened, inner, narrowed);
        narrowed.limits = limits_inside(narrowed.limits, opened, inner);
        opened = std::move(next);
    }
    if (limits != nullptr) *limits = narrowed.limits;
    return opened;
}

ChangedFile open_to_change(const std::string& text, const WorkOptions& options, Left left) {
    Address address = address_of(text);
    // Where parts of it are meant, "FILE:" is all of the file.
    if (left == Left::archives && address.names_part() && address.parts.back().empty()) address = address.outer();
    std::vector<std::string> names = names_to_read(address);
    std::error_code code;
    const bool folder = !names.empty() && fs::is_directory(address.file, code);
    InputFile file =
        folder ? InputFile::regular(file_in_folder(address.file, names.front()), options.limits, options.progress)
               : open_outermost(address, options);
    if (folder) names.erase(names.begin());
    WorkOptions narrowed = options;
    while (!names.empty()) {
        const bool content = names.front() == "content", archive = is_archive(file);
        const bool packed = left == Left::packed && names.size() == 1 && content && is_packed(file);
        const bool copy = file.is_computed() && content;
        if (archive && content && left == Left::archives && is_compressed_file(file, narrowed)) break;
        if (!archive && !packed && !copy) break;
        if (!copy) {
            InputFile next = open_part(file, names.front(), narrowed);
            narrowed.limits = limits_inside(narrowed.limits, file, names.front());
            file = std::move(next);
        }
        names.erase(names.begin());
    }
    return {std::move(file), std::move(names)};
}

namespace {

/// One of several patches that go together, each for an edition of its own.
struct PatchAmong {
    std::string name;
    std::function<InputFile()> open;
};

struct Chosen {
    std::optional<InputFile> file;
    std::string by;
    std::size_t fitting = 0, unchecked = 0;
};

std::string why_it_fits(const PatchReader& patch, const std::optional<FoundChecks>& beside, const InputFile& source) {
    const Digests wanted = joined(patch.facts().source, beside ? beside->checks.source : Digests{});
    std::string why = wanted.crc32  ? fmt::format("it wants a source with crc32 {}", wanted.crc32->hex())
                      : wanted.size ? fmt::format("it wants a source of {}", counted(*wanted.size, "byte", "bytes"))
                                    : "what it makes comes out right";
    if (const Identity identity = identify(source); !identity.title.empty())
        why += fmt::format(", as this one is: {}", edition_of(identity));
    return why;
}

/// The one of several patches that fits the source.
Chosen fitting_patch(const std::vector<PatchAmong>& patches, const InputFile& source, const WorkOptions& options) {
    constexpr std::size_t most_tried = 64;
    Chosen chosen;
    if (patches.size() > most_tried) return chosen;
    const auto inside = only_member(source, options);
    const InputFile& meant = inside ? *inside : source;
    for (const PatchAmong& among : patches) try {
            InputFile file = among.open();
            const auto patch = open_patch(file, limits_for_patch(file, options));
            const auto beside = find_checks(file);
            const Fit found = fit(*patch, meant, beside ? beside->checks : Checks{}, options.limits, options.progress);
            const bool fits = found.answer == FitAnswer::fits, patched = found.answer == FitAnswer::already_patched;
            chosen.unchecked += found.answer == FitAnswer::unknown ? 1 : 0;
            chosen.fitting += fits ? 1 : 0;
            if (fits ? chosen.fitting > 1 : !patched || chosen.file) continue;
            chosen.file.emplace(std::move(file));
            chosen.by = fits ? why_it_fits(*patch, beside, meant) : "this file is what it makes";
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled) throw;  // else it is damaged, and so not meant
        }
    return chosen;
}

std::string list_of(const std::vector<PatchAmong>& patches) {
    std::string text;
    for (std::size_t i = 0; i < patches.size() && i < 10; ++i)
        text += fmt::format("{}{}", i == 0 ? "" : ", ", patches[i].name);
    return text + (patches.size() > 10 ? ", …" : "");
}

/// Throws Error(usage) where several may be meant, Error(wrong_source) where none fits. `first`: how one is named.
void choose_patch(PatchFile& patch, const std::vector<PatchAmong>& patches, const std::string& place,
                  const std::string& first, const InputFile* source, const WorkOptions& options) {
    Chosen chosen;
    if (patches.size() == 1) chosen.file.emplace(patches.front().open());
    if (patches.size() > 1 && source != nullptr) chosen = fitting_patch(patches, *source, options);
    if (chosen.fitting > 1) chosen.file.reset();
    if (!chosen.file) {
        const bool none = source != nullptr && chosen.fitting == 0 && chosen.unchecked == 0;
        throw Error(none ? ErrorCode::wrong_source : ErrorCode::usage,
                    none ? fmt::format("none of the {} patches in {} is for this file", patches.size(), place)
                         : fmt::format("there are several patches in {}", place))
            .found(list_of(patches))
            .hint(none ? fmt::format("the file is {}; to see what is the matter with one of them, name it: {}",
                                     edition_of(identify(*source)), first)
                       : fmt::format("name one: {}", first));
    }
    if (patches.size() > 1) patch.chosen_of = patches.size(), patch.chosen_by = chosen.by;
    patch.file = *std::move(chosen.file);
}

/// A folder with a patch for each region or edition.
PatchFile open_patch_in_folder(const fs::path& folder, const WorkOptions& options, const InputFile* source) {
    std::vector<PatchAmong> patches;
    for (const fs::path& path : files_in(folder)) {
        const InputFile file = InputFile::regular(path, options.limits, options.progress);
        if (recognise_patch(head_of(file)))
            patches.push_back({path.filename().string(),
                               [path, options] { return InputFile::regular(path, options.limits, options.progress); }});
    }
    if (patches.empty())
        throw Error(ErrorCode::not_this_format, fmt::format("there is no patch in {}", folder.string()))
            .hint("name the patch, or the folder that it lies in");
    PatchFile patch{patches.front().open(), {}, {}, 0, {}};
    choose_patch(patch, patches, folder.string(), shell_file((folder / patches.front().name).string()), source,
                 options);
    patch.archive = folder;
    return patch;
}

}  // namespace

PatchFile open_patch_file(const std::string& address, const WorkOptions& options, const InputFile* source) {
    std::error_code code;
    if (fs::is_directory(address, code)) return open_patch_in_folder(address, options, source);
    // What comes without an end is no patch: that shows before it fills the memory.
    WorkOptions bounded = options;
    bounded.limits.stream = std::min(options.limits.stream, std::uint64_t{256} << 20);
    PatchFile patch{open_file(address, bounded), {}, {}, 0, {}};
    for (int depth = 0; depth < most_nesting && is_archive(patch.file); ++depth) {
        const auto archive = std::make_shared<InputFile>(std::move(patch.file));
        const std::string place = archive->path().string();
        const std::vector<ArchiveMember> members = list_archive(*archive, options.limits, options.progress);
        std::vector<PatchAmong> patches;
        std::string first;
        for (const ArchiveMember& member : members) {
            if (!recognise_patch(member.head) && (members.size() != 1 || member.encrypted)) continue;
            if (patches.empty()) first = address_word(*archive, member);
            patches.push_back(
                {member.name, [archive, name = member.name, options] { return open_part(*archive, name, options); }});
        }
        if (std::any_of(members.begin(), members.end(), [](const auto& m) { return m.encrypted; }) && patches.empty())
            throw Error(ErrorCode::unsupported, fmt::format("{} is encrypted", place))
                .hint("unpack it with its password first");
        if (patches.empty())
            throw Error(ErrorCode::not_this_format, fmt::format("there is no patch in {}", place))
                .found(list_of(members))
                .hint("if this is the game, name the patch as well; else get the archive that holds the patch");
        for (const ArchiveMember& member : members)
            if (is_readme(member)) patch.readmes.push_back(member.name);
        patch.archive = archive->path();
        choose_patch(patch, patches, place, first, source, options);
    }
    return patch;
}

std::optional<InputFile> only_member(const InputFile& file, const WorkOptions& options) {
    if (!is_archive(file)) return std::nullopt;
    const std::vector<ArchiveMember> members = game_members(file, options);
    if (members.size() != 1) return std::nullopt;
    return open_part(file, members.front().name, options);
}

namespace {

/// A patch without checks: whether the file's own see what it changes, and come out right.
bool speaks_for_itself(const PatchReader& patch, const InputFile& file, const Limits& limits) {
    const RepresentationTrial trial = opinion_on_representation(patch, file, limits);
    return own_checks(patch, file, trial, limits).speak_for_it();
}

}  // namespace

std::optional<InputFile> source_inside(const InputFile& file, const PatchReader& patch, const Checks& checks,
                                       const WorkOptions& options) {
    if (!is_archive(file)) return std::nullopt;
    const std::vector<ArchiveMember> members = game_members(file, options);
    if (members.size() == 1) {
        InputFile only = open_part(file, members.front().name, options);
        // A second layer, for example a disc image packed once more; never a third.
        auto deeper = only_member(only, options);
        return deeper ? std::move(*deeper) : std::move(only);
    }
    // One pass, whatever is unpacked on the way.
    std::size_t looked_at = 0, likely_ones = 0;
    std::optional<InputFile> likely;
    ArchiveReader reader(file, options.limits, options.progress);
    while (const ArchiveMember* const member = reader.next()) {
        if (member->encrypted || !is_game(*member) || !may_be_meant(*member, patch.facts(), checks)) continue;
        if (++looked_at > most_members_tried) break;
        InputFile inside =
            InputFile::part(file, std::string(member->name), [&](ByteSink& out) { reader.extract(out); });
        const FitAnswer answer = fit(patch, inside, checks, options.limits, options.progress).answer;
        if (answer == FitAnswer::unknown && speaks_for_itself(patch, inside, options.limits)) {
            ++likely_ones;
            likely.emplace(std::move(inside));
            continue;
        }
        if (answer != FitAnswer::fits && answer != FitAnswer::already_patched) continue;
        reader.check_rest();
        return inside;
    }
    if (likely_ones == 1) return likely;
    return std::nullopt;
}

SourceFile source_for(InputFile file, const PatchReader& patch, const Checks& checks, const WorkOptions& options) {
    const bool packed = !is_archive(file) && is_packed(file);
    if (!is_archive(file) && !packed) return {std::move(file), {}};
    const FitAnswer as_it_is = fit(patch, file, checks, options.limits, options.progress).answer;
    if (as_it_is == FitAnswer::fits || as_it_is == FitAnswer::already_patched) return {std::move(file), {}};
    if (packed) {
        InputFile content = open_part(file, "content", options);
        const FitAnswer inside = fit(patch, content, checks, options.limits, options.progress).answer;
        if (inside == FitAnswer::fits || inside == FitAnswer::already_patched) return {std::move(content), file.path()};
        return {std::move(file), {}};
    }
    if (auto inside = source_inside(file, patch, checks, options)) return {std::move(*inside), file.path()};
    const std::vector<ArchiveMember> members = game_members(file, options);
    if (members.size() < 2) return {std::move(file), {}};
    throw Error(
        ErrorCode::usage,
        fmt::format("there are several files in {}, and the patch does not say which is meant", file.path().string()))
        .found(list_of(members))
        .hint(fmt::format("name one: {}", address_word(file, members.front())));
}

SharedSource SourceReading::of(const ByteSource& file) const {
    return reading ? SharedSource(read_as(file, *reading)) : borrowed(file);
}

SourceReading reading_for(const PatchReader& patch, const InputFile& file, const Checks& checks,
                          const WorkOptions& options) {
    SourceReading result;
    const PatchFacts& facts = patch.facts();
    const std::string name = file.path().filename().string();
    if (facts.source.empty() && checks.source.empty() && facts.checked_windows == 0) {
        result.opinion = opinion_on_representation(patch, file, options.limits).opinion;
        if (result.opinion && result.opinion->sure()) result.reading = result.opinion->reading;
        result.diagnosis = implausible_source(patch, file, name, result.reading);
        result.by_plausibility = result.diagnosis.has_value();
        if (result.diagnosis) return result;
    }
    if (fit(patch, *result.of(file), checks, options.limits, options.progress).answer != FitAnswer::does_not_fit)
        return result;
    OtherPatches none;
    Diagnosis diagnosis = diagnose(patch, file, {checks, none.list(), options.limits, options.progress, name});
    if (diagnosis.reading && diagnosis.reading->harmless())
        result.reading = diagnosis.reading;
    else
        result.diagnosis = std::move(diagnosis);
    return result;
}

bool are_swapped(const InputFile& source, const InputFile& patch) {
    const auto is_patch = [](const InputFile& file) { return recognise_patch(head_of(file)).has_value(); };
    return is_patch(source) && !is_patch(patch) && !is_archive(patch);
}

bool archives_are_swapped(const std::string& source, const std::string& patch, const WorkOptions& options) {
    std::error_code code;
    for (const std::string* const address : {&source, &patch})
        if (!fs::is_regular_file(*address, code)) return false;
    const InputFile first = open_file(source, options), second = open_file(patch, options);
    if (!is_archive(first) && !is_archive(second)) return false;
    const auto holds = [&](const InputFile& file, const auto& wanted) {
        const std::vector<ArchiveMember> members = list_archive(file, options.limits, options.progress);
        return std::any_of(members.begin(), members.end(), wanted);
    };
    const auto is_patch = [](const ArchiveMember& member) { return recognise_patch(member.head).has_value(); };
    const auto holds_patches = [&](const InputFile& file) {
        return is_archive(file) ? holds(file, is_patch) : recognise_patch(head_of(file)).has_value();
    };
    if (!holds_patches(first) || holds_patches(second)) return false;
    return !is_archive(first) || !holds(first, [](const ArchiveMember& member) { return is_game(member); });
}

fs::path checks_path(const fs::path& patch) {
    return fs::path(patch).concat(".checks.json");
}

std::optional<FoundChecks> find_checks(const InputFile& patch) {
    FoundChecks found{checks_path(patch.path()), {}};
    std::error_code code;
    if (!fs::is_regular_file(found.path, code)) return std::nullopt;
    const InputFile file = InputFile::regular(found.path);
    found.checks = checks_from_json(text_of(file.bytes()));
    return found;
}

PatchInput open_patch_input(const std::string& address, const WorkOptions& options, const InputFile* source) {
    PatchInput input{open_patch_file(address, options, source), {}, {}, {}};
    input.limits = limits_for_patch(input.file, options);
    input.reader = open_patch(input.file, input.limits);
    input.found = find_checks(input.file);
    return input;
}

Checks joined_checks(const std::optional<FoundChecks>& found, const Digests& expect) {
    Checks all = found ? found->checks : Checks{};
    for (const DigestMismatch& mismatch : compare(all.source, expect))
        throw Error(ErrorCode::usage, fmt::format("{} expects another source than the caller", found->path.string()))
            .in(mismatch.name)
            .wanted(fmt::format("{} (checks file)", mismatch.wanted))
            .found(fmt::format("{} (the caller)", mismatch.found));
    all.source = joined(all.source, expect);
    return all;
}

}  // namespace hotstitch
