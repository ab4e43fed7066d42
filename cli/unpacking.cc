// SPDX-License-Identifier: MIT
#include "unpacking.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>

#include "commands/common.h"
#include "hotstitch/archive.h"
#include "hotstitch/error.h"
#include "hotstitch/fit.h"
#include "hotstitch/part.h"
#include "hotstitch/recognise.h"
#include "render/escape.h"

namespace hotstitch::cli {

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

InputFile unpack(const InputFile& archive, const std::string& member, const Context& context) {
    return InputFile::unpacked(archive, member, context.limits, context.progress);
}

std::string list_of(const std::vector<ArchiveMember>& members) {
    std::string text;
    for (std::size_t i = 0; i < members.size() && i < 10; ++i)
        text += fmt::format("{}{}", i == 0 ? "" : ", ", members[i].name);
    return text + (members.size() > 10 ? ", …" : "");
}

/// What may be a game: no patch, no text, no picture.
bool is_game(const ArchiveMember& member) {
    return !is_by_the_way(member) && !recognise_patch(member.head);
}

std::vector<ArchiveMember> game_members(const InputFile& file, const Context& context) {
    std::vector<ArchiveMember> members = list_archive(file.bytes(), context.limits, context.progress);
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
    return recognise_file(file.bytes()).name == "archive";
}

std::pair<std::string, std::string> split_file(const std::string& name) {
    std::error_code code;
    if (name == "-" || fs::exists(name, code)) return {name, {}};
    // The first colon behind which a part's name may stand: what is before it has to be a file.
    for (std::size_t colon = name.find(':'); colon != std::string::npos; colon = name.find(':', colon + 1))
        if (fs::is_regular_file(name.substr(0, colon), code)) return {name.substr(0, colon), name.substr(colon + 1)};
    return {name, {}};
}

InputFile open_or_unpack(const std::string& name, const Context& context) {
    std::error_code code;
    if (name == "-" || fs::exists(name, code)) return open_input(name, context);
    const auto [file, part] = split_file(name);
    if (file == name) return open_input(name, context);
    InputFile opened(file, context.limits, context.progress);
    for (const std::string& inner : split_address(part.empty() ? "content" : part))
        opened = InputFile::part(opened, inner, context.limits, context.progress);
    return opened;
}

InputFile open_patch_file(const std::string& name, const Context& context, Report& report) {
    InputFile file = open_or_unpack(name, context);
    for (int depth = 0; depth < most_nesting && is_archive(file); ++depth) {
        const std::vector<ArchiveMember> members = list_archive(file.bytes(), context.limits, context.progress);
        std::vector<ArchiveMember> patches;
        for (const ArchiveMember& member : members)
            if (recognise_patch(member.head) || (members.size() == 1 && !member.encrypted)) patches.push_back(member);
        if (std::any_of(members.begin(), members.end(), [](const auto& m) { return m.encrypted; }) && patches.empty())
            throw Error(ErrorCode::unsupported, fmt::format("{} is encrypted", file.path().string()))
                .hint("unpack it with its password first");
        if (patches.empty())
            throw Error(ErrorCode::not_this_format, fmt::format("there is no patch in {}", file.path().string()))
                .found(list_of(members))
                .hint("if this is the game, name the patch as well; else get the archive that holds the patch");
        if (patches.size() > 1)
            throw Error(ErrorCode::usage, fmt::format("there are several patches in {}", file.path().string()))
                .found(list_of(patches))
                .hint(fmt::format("name one: {}",
                                  shell_file(fmt::format("{}:{}", file.path().string(), patches.front().name))));
        for (const ArchiveMember& member : members)
            if (is_readme(member))
                report.fact("readme", "readme", fmt::format("{} in {}", escaped(member.name), shown(file.path())),
                            as_utf8(member.name));
        file = unpack(file, patches.front().name, context);
    }
    return file;
}

std::optional<InputFile> only_member(const InputFile& file, const Context& context) {
    if (!is_archive(file)) return std::nullopt;
    const std::vector<ArchiveMember> members = game_members(file, context);
    if (members.size() != 1) return std::nullopt;
    return unpack(file, members.front().name, context);
}

std::optional<InputFile> source_inside(const InputFile& file, const PatchReader& patch, const Checks& checks,
                                       const Context& context) {
    if (!is_archive(file)) return std::nullopt;
    const std::vector<ArchiveMember> members = game_members(file, context);
    if (members.size() == 1) {
        InputFile only = unpack(file, members.front().name, context);
        // A second layer, for example a disc image packed once more; never a third.
        auto deeper = only_member(only, context);
        return deeper ? std::move(*deeper) : std::move(only);
    }
    // One pass, whatever is unpacked on the way.
    std::size_t looked_at = 0;
    ArchiveReader reader(file.bytes(), context.limits, context.progress);
    while (const ArchiveMember* const member = reader.next()) {
        if (member->encrypted || !is_game(*member) || !may_be_meant(*member, patch.facts(), checks)) continue;
        if (++looked_at > most_members_tried) break;
        InputFile inside = InputFile::unpacked(file, reader, std::string(member->name));
        const FitAnswer answer = fit(patch, inside, checks, context.progress, context.limits).answer;
        if (answer != FitAnswer::fits && answer != FitAnswer::already_patched) continue;
        reader.check_rest();
        return inside;
    }
    return std::nullopt;
}

InputFile source_for(InputFile file, const PatchReader& patch, const Checks& checks, const Context& context,
                     Report& report) {
    if (!is_archive(file)) return file;
    const FitAnswer as_it_is = fit(patch, file, checks, context.progress, context.limits).answer;
    if (as_it_is == FitAnswer::fits || as_it_is == FitAnswer::already_patched) return file;
    if (auto inside = source_inside(file, patch, checks, context)) {
        report.warn(fmt::format("the source was taken out of the archive {}", shown(file.path())));
        return std::move(*inside);
    }
    const std::vector<ArchiveMember> members = game_members(file, context);
    if (members.size() < 2) return file;
    throw Error(
        ErrorCode::usage,
        fmt::format("there are several files in {}, and the patch does not say which is meant", file.path().string()))
        .found(list_of(members))
        .hint(
            fmt::format("name one: {}", shell_file(fmt::format("{}:{}", file.path().string(), members.front().name))));
}

}  // namespace hotstitch::cli
