// SPDX-License-Identifier: MIT
// Roles: each file's content is recognised, then, for what is only a text, its name is asked: a list of checksums, a
// map, keys, a readme. An archive or folder is what lies in it. Tested by tests/heap/heap_test.cc.
#include "heap/roles.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>

#include "hotstitch/archive.h"
#include "hotstitch/delivery.h"
#include "hotstitch/disc.h"
#include "hotstitch/field_jobs.h"
#include "hotstitch/keys.h"
#include "hotstitch/text.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr std::uint64_t longest_text = 1 << 20;
constexpr std::size_t most_in_folder = 2000;

std::string lower(std::string text) {
    std::transform(text.begin(), text.end(), text.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return text;
}

bool ends_with_any(const std::string& name, std::initializer_list<std::string_view> ends) {
    const std::string small = lower(name);
    return std::any_of(ends.begin(), ends.end(), [&](std::string_view end) { return small.ends_with(end); });
}

bool is_readme_name(const std::string& name) {
    return ends_with_any(name, {".txt", ".nfo", ".md", ".diz", ".htm", ".html", ".url", ".rtf", "readme"});
}

bool is_disc_folder(const fs::path& folder) {
    std::error_code code;
    return fs::is_directory(folder / "sys", code) && fs::is_directory(folder / "files", code);
}

/// What only its name and its text tell.
HeapRole role_of_text(const std::string& name, ByteView text) {
    if (ends_with_any(name, {".receipt.json"})) return HeapRole::receipt;
    if (ends_with_any(name, {".checks.json", ".sha1", ".sha256", ".md5", ".sfv", ".crc"})) return HeapRole::checks;
    if (ends_with_any(name, {map_extension})) return HeapRole::map;
    if (is_cue_sheet(text_of(text))) return HeapRole::sheet;
    try {
        if (!read_keys(text_of(text)).by_name.empty()) return HeapRole::keys;
    } catch (const Error&) {  // then it holds something else
    }
    return is_readme_name(name) ? HeapRole::readme : HeapRole::game;
}

/// What the first bytes tell of it; nothing: all of it has to be asked.
std::optional<HeapRole> role_by_head(const FileKind& kind, const std::string& name) {
    if (kind.id == KindId::patch || kind.id == KindId::other_patch) return HeapRole::patch;
    if (kind.id == KindId::picture || kind.id == KindId::document) return HeapRole::picture;
    if (kind.id == KindId::web_page) return HeapRole::readme;
    if (kind.id == KindId::pointer) return HeapRole::other;
    if (kind.id != KindId::text && is_companion(name)) return HeapRole::companion;
    if (kind.id == KindId::empty) return HeapRole::other;
    return std::nullopt;
}

class Sorter {
public:
    explicit Sorter(WorkOptions& options) : options_(options) {}

    void add(const std::string& name) {
        std::error_code code;
        if (fs::is_directory(name, code)) return add_folder(name);
        const InputFile file = open_file(name, options_);
        add_file(name, file, false);
    }
    std::vector<HeapFile> take() { return std::move(files_); }

private:
    void note(std::string path, HeapRole role, std::string is, bool found, std::string why = {}) {
        files_.push_back({std::move(path), role, std::move(is), std::move(why), found});
    }

    void add_file(const std::string& name, const InputFile& file, bool found) {
        const FileKind kind = recognise_file(head_of(file));
        if (!file.sheet().empty() && fs::path(name) == file.sheet())
            return note(name, HeapRole::sheet, words_for(identify(file)), found);
        if (const auto role = role_by_head(kind, name))
            return note(name, *role,
                        kind.id == KindId::patch       ? fmt::format("a patch, {}", kind.title)
                        : *role == HeapRole::companion ? "goes beside a game, under its name"
                                                       : std::string(kind.title),
                        found,
                        kind.id == KindId::other_patch ? "its format is not read here"
                        : kind.id == KindId::pointer   ? "the file itself lies elsewhere"
                        : kind.id == KindId::empty     ? "it is empty"
                                                       : "");
        if (kind.id == KindId::archive) return add_archive(name, file, found);
        if (kind.id == KindId::text && file.size() <= longest_text) {
            const HeapRole role = role_of_text(name, file.bytes());
            take_in(name, role, file);
            return note(name, role, words_of(role), found);
        }
        note(name, HeapRole::game, words_for(identify(file)), found);
    }

    void add_archive(const std::string& name, const InputFile& file, bool found) {
        std::error_code code;
        if (fs::is_regular_file(name, code) && is_kit(name, options_)) return note(name, HeapRole::kit, "a kit", found);
        const std::vector<ArchiveMember> members = list_archive(file, options_.limits, options_.progress);
        const auto patches = std::count_if(members.begin(), members.end(),
                                           [](const ArchiveMember& m) { return recognise_patch(m.head).has_value(); });
        const bool one_only = members.size() == 1 && members.front().name.empty();
        if (patches == 0 && !holds_patch_deeper(name, members))
            return note(name, HeapRole::game,
                        one_only ? std::string(recognise_file(head_of(file)).title)
                                 : fmt::format("an archive, {} in it", counted(members.size(), "file", "files")),
                        found);
        note(name, HeapRole::patch,
             patches == 0
                 ? "an archive with a patch in an archive"
                 : fmt::format("an archive with {}", counted(static_cast<std::uint64_t>(patches), "patch", "patches")),
             found);
        for (const ArchiveMember& member : members) add_member(name, member);
    }

    /// An archive in the archive that holds the patch.
    bool holds_patch_deeper(const std::string& name, const std::vector<ArchiveMember>& members) {
        const bool archives = std::any_of(members.begin(), members.end(), [](const ArchiveMember& m) {
            return recognise_file(m.head).id == KindId::archive;
        });
        if (!archives) return false;
        try {
            open_patch_file(name, options_);
            return true;
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled) throw;
            return error.code() == ErrorCode::usage;  // there are several
        }
    }

    /// What lies beside a patch in its archive. The patches themselves are the archive's.
    void add_member(const std::string& archive, const ArchiveMember& member) {
        const FileKind kind = recognise_file(member.head);
        const std::string address = joined_address(archive, escaped_part(member.name));
        if (member.encrypted) return note(address, HeapRole::other, "encrypted", true, "it is encrypted");
        if (kind.id == KindId::patch || kind.id == KindId::archive) return;
        if (kind.id == KindId::executable)
            return note(address, HeapRole::program, std::string(kind.title), true,
                        "a program that came along; it is never run");
        if (is_companion(member.name))
            return note(address, HeapRole::companion, "goes beside a game, under its name", true);
        if (const auto role = role_by_head(kind, member.name))
            return note(address, *role, std::string(kind.title), true);
        if (kind.id == KindId::text)
            return note(address,
                        is_readme_name(member.name) ? HeapRole::readme : role_of_text(member.name, member.head),
                        is_readme_name(member.name) ? "what the maker says" : "a text", true);
        note(address, is_game_extension(fs::path(member.name).extension().string()) ? HeapRole::game : HeapRole::other,
             std::string(kind.title), true);
    }

    void add_folder(const std::string& name) {
        if (is_kit(name, options_)) return note(name, HeapRole::kit, "a kit", false);
        if (is_disc_folder(name)) return note(name, HeapRole::game, "a disc's files", false);
        note(name, HeapRole::folder, "a folder", false);
        // What belongs to a patch lies in the folder itself; games are searched for, below it too.
        std::size_t seen = 0;
        for (const fs::path& path : files_in(name)) {
            if (++seen > most_in_folder) break;
            try {
                const InputFile file = InputFile::regular(path, options_.limits, options_.progress);
                const KindId kind = recognise_file(head_of(file)).id;
                const bool is_about_patch = kind == KindId::patch || kind == KindId::text || kind == KindId::archive;
                if (!is_about_patch) continue;
                const std::size_t before = files_.size();
                add_file(path.string(), file, true);
                // A game in it is found by its patch.
                if (files_.size() == before + 1 && files_.back().role == HeapRole::game) files_.pop_back();
            } catch (const Error& error) {
                if (error.code() == ErrorCode::cancelled) throw;  // else it cannot be read, and is none of these
            }
        }
    }

    static std::string words_of(HeapRole role) {
        switch (role) {
            case HeapRole::receipt: return "a receipt of what was made before";
            case HeapRole::checks: return "checksums";
            case HeapRole::map: return "a map";
            case HeapRole::sheet: return "a cue sheet";
            case HeapRole::keys: return "keys";
            case HeapRole::readme: return "what the maker says";
            default: return "a text";
        }
    }

    void take_in(const std::string& name, HeapRole role, const InputFile& file) {
        if (role == HeapRole::keys)
            options_.limits.keys = std::make_shared<const Keys>(read_keys(text_of(file.bytes())));
        if (role == HeapRole::map) options_.limits.maps = maps_of({{name}, {}}, options_);
        if (role == HeapRole::keys || role == HeapRole::map) options_.read.emplace_back(name);
    }

    WorkOptions& options_;
    std::vector<HeapFile> files_;
};

/// Files that a sheet among them names are its tracks.
void give_tracks_to_sheets(std::vector<HeapFile>& files) {
    for (const HeapFile& sheet : files) {
        if (sheet.role != HeapRole::sheet) continue;
        const CueSheet read = read_cue_sheet(text_of(InputFile::regular(sheet.path).bytes()));
        for (HeapFile& file : files) {
            const std::string name = lower(fs::path(file.path).filename().string());
            const bool named = std::any_of(read.files.begin(), read.files.end(),
                                           [&](const std::string& one) { return lower(one) == name; });
            if (named && &file != &sheet) file.role = HeapRole::track, file.why = "the cue sheet stands for it";
        }
    }
}

}  // namespace

std::string_view name_of(HeapRole role) noexcept {
    constexpr std::array<std::string_view, 15> names{"game",      "patch",   "kit",     "sheet",  "track",
                                                     "companion", "map",     "keys",    "checks", "receipt",
                                                     "readme",    "picture", "program", "folder", "other"};
    return names[static_cast<std::size_t>(role)];
}

std::string file_name(const std::string& address) {
    return fs::path(address).filename().string();
}

std::vector<std::string> first_lines(ByteView bytes, std::size_t most) {
    std::vector<std::string> lines;
    std::string_view text = text_of(bytes);
    if (text.starts_with("\xEF\xBB\xBF")) text.remove_prefix(3);
    while (!text.empty() && lines.size() < most) {
        const std::size_t end = text.find('\n');
        std::string line(text.substr(0, end));
        while (!line.empty() && (line.back() == '\r' || line.back() == ' ')) line.pop_back();
        if (!line.empty() || !lines.empty()) lines.push_back(std::move(line));
        text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
    }
    while (!lines.empty() && lines.back().empty()) lines.pop_back();
    return lines;
}

std::vector<HeapFile> roles_of(const std::vector<std::string>& names, WorkOptions& options) {
    Sorter sorter(options);
    for (const std::string& name : names) sorter.add(name);
    std::vector<HeapFile> files = sorter.take();
    give_tracks_to_sheets(files);
    return files;
}

}  // namespace hotstitch
