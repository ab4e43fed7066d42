// SPDX-License-Identifier: MIT
// Tested by tests/cli/cli_apply_test.cc.
#include <algorithm>
#include <array>
#include <cctype>
#include <map>

#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "hotstitch/inputs.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr std::array<std::string_view, 10> companion_extensions{".cue", ".pcm",  ".msu", ".wav", ".ogg",
                                                                ".mp3", ".flac", ".ccd", ".sub", ".m3u"};

bool take_off_end(std::string& text, std::string_view end) {
    if (!text.ends_with(end)) return false;
    text.resize(text.size() - end.size());
    return true;
}

}  // namespace

bool is_companion(const fs::path& file) {
    std::string extension = file.extension().string();
    std::transform(extension.begin(), extension.end(), extension.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return std::find(companion_extensions.begin(), companion_extensions.end(), extension) != companion_extensions.end();
}

std::string companion_stem(const fs::path& file) {
    std::string whole = file.stem().string();
    std::string stem = whole;
    const bool in_brackets = take_off_end(stem, ")");
    const std::size_t digits = stem.size() - std::min(stem.find_last_not_of("0123456789") + 1, stem.size());
    if (digits == 0 || digits > 3) return whole;
    stem.resize(stem.size() - digits);
    // "Name-1", "Name_1", "Name (Track 1)": anything else is a number that belongs to the name.
    const bool is_track =
        in_brackets ? take_off_end(stem, " (Track ") : take_off_end(stem, "-") || take_off_end(stem, "_");
    return is_track && !stem.empty() ? stem : whole;
}

std::vector<CompanionSet> companions_in(const fs::path& folder) {
    constexpr int most_entries = 10'000;
    std::map<std::string, CompanionSet> sets;
    std::error_code code;
    int looked_at = 0;
    for (fs::directory_iterator entry(folder.empty() ? "." : folder, code), end;
         !code && entry != end && looked_at < most_entries; entry.increment(code), ++looked_at) {
        const fs::path file = entry->path();
        if (!is_companion(file)) continue;
        const std::string stem = companion_stem(file);
        CompanionSet& set = sets[stem];
        set.stem = stem;
        if (set.files++ == 0 || file < set.example) set.example = file;
    }
    std::vector<CompanionSet> out;
    for (auto& [stem, set] : sets)
        if (set.files >= 2) out.push_back(std::move(set));
    return out;
}

std::vector<SheetBeside> cue_sheets_naming(const fs::path& file) {
    constexpr std::size_t most_entries = 10'000, most_read = 64 << 10;
    std::vector<SheetBeside> sheets;
    std::vector<fs::path> entries = files_in(file.parent_path());
    entries.resize(std::min(entries.size(), most_entries));
    for (const fs::path& entry : entries) {
        if (entry.extension() != ".cue" && entry.extension() != ".CUE") continue;
        try {
            const Bytes head = head_of(InputFile::regular(entry), most_read);
            const std::string line = "FILE \"" + file.filename().string() + "\"";
            if (text_of(head).find(line) != std::string_view::npos) sheets.push_back({entry, file.filename().string()});
        } catch (const Error&) {  // not readable: then it names nothing here
        }
    }
    return sheets;
}

}  // namespace hotstitch
