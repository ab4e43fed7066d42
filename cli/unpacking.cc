// SPDX-License-Identifier: MIT
#include "unpacking.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>

#include "commands/common.h"
#include "hotstitch/archive.h"
#include "hotstitch/error.h"
#include "hotstitch/recognise.h"
#include "render/escape.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

namespace {

constexpr int most_nesting = 2;

bool is_archive(const InputFile& file) {
    return recognise_file(file.bytes()).name == "archive";
}

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

}  // namespace

InputFile open_or_unpack(const std::string& name, const Context& context) {
    std::error_code code;
    if (name == "-" || fs::exists(name, code)) return open_input(name, context);
    // The first colon behind which a member's name may stand: what is before it has to be a file.
    for (std::size_t colon = name.find(':'); colon != std::string::npos; colon = name.find(':', colon + 1))
        if (fs::is_regular_file(name.substr(0, colon), code))
            return unpack(InputFile(name.substr(0, colon)), name.substr(colon + 1), context);
    return open_input(name, context);
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
                .found(list_of(members));
        if (patches.size() > 1)
            throw Error(ErrorCode::usage, fmt::format("there are several patches in {}", file.path().string()))
                .found(list_of(patches))
                .hint(fmt::format("name one: {}:{}", file.path().string(), patches.front().name));
        for (const ArchiveMember& member : members)
            if (is_readme(member))
                report.fact("readme", "readme", fmt::format("{} in {}", escaped(member.name), shown(file.path())),
                            as_utf8(member.name));
        file = unpack(file, patches.front().name, context);
    }
    return file;
}

std::optional<InputFile> unpacked_source(const InputFile& file, const Context& context) {
    if (!is_archive(file)) return std::nullopt;
    std::vector<ArchiveMember> members = list_archive(file.bytes(), context.limits, context.progress);
    std::erase_if(members,
                  [](const ArchiveMember& m) { return is_by_the_way(m) || recognise_patch(m.head).has_value(); });
    if (members.size() != 1) return std::nullopt;
    return unpack(file, members.front().name, context);
}

}  // namespace hotstitch::cli
