// SPDX-License-Identifier: MIT
// Cue sheets: lines of words, some in quotes. What is not about files and tracks (titles, catalogue numbers, remarks)
// is read over. docs/formats/discs.md "Cue sheets". Tested by tests/part/disc_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <charconv>

#include "base/letters.h"
#include "hotstitch/bytes.h"
#include "hotstitch/disc.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch {
namespace {

constexpr std::size_t largest_sheet = 1 << 20, looked_at = 64 << 10;
constexpr std::size_t most_tracks = 99, frames_a_second = 75;

/// One line and where its words are in the text.
struct Line {
    std::size_t number = 0;
    std::vector<std::string_view> words;
};

std::string_view next_word(std::string_view& line) {
    line.remove_prefix(std::min(line.find_first_not_of(" \t"), line.size()));
    if (line.starts_with('"')) {
        const std::size_t end = line.find('"', 1);
        const std::string_view word = line.substr(1, end == std::string_view::npos ? end : end - 1);
        line.remove_prefix(end == std::string_view::npos ? line.size() : end + 1);
        return word;
    }
    const std::string_view word = line.substr(0, line.find_first_of(" \t"));
    line.remove_prefix(word.size());
    return word;
}

template <class Visit>
void each_line(std::string_view text, Visit&& visit) {
    if (text.starts_with("\xEF\xBB\xBF")) text.remove_prefix(3);
    for (std::size_t number = 1; !text.empty(); ++number) {
        const std::size_t end = std::min(text.find_first_of("\r\n"), text.size());
        Line line{number, {}};
        std::string_view rest = text.substr(0, end);
        // A bare file name may have spaces: what counts is the last word, the type.
        while (rest.find_first_not_of(" \t") != std::string_view::npos) line.words.push_back(next_word(rest));
        visit(line);
        const bool both = text.substr(end).starts_with("\r\n");
        text.remove_prefix(std::min(end + (both ? 2 : 1), text.size()));
    }
}

[[noreturn]] void wrong(const Line& line, const std::string& what, std::string wanted) {
    throw Error(ErrorCode::damaged, fmt::format("line {} of the cue sheet: {}", line.number, what))
        .in("cue sheet")
        .wanted(std::move(wanted));
}

std::uint64_t number_from(const Line& line, std::string_view text) {
    unsigned value = 0;
    const auto [end, failure] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (failure != std::errc{} || end != text.data() + text.size() || value > 999'999)
        wrong(line, fmt::format("\"{}\" is no number", text), "a number");
    return value;
}

/// "mm:ss:ff" as frames.
std::uint64_t time_from(const Line& line, std::string_view text) {
    std::uint64_t parts[3] = {};
    std::string_view rest = text;
    for (std::uint64_t& part : parts) {
        const std::size_t colon = std::min(rest.find(':'), rest.size());
        part = number_from(line, rest.substr(0, colon));
        rest.remove_prefix(std::min(colon + 1, rest.size()));
    }
    if (!rest.empty() || parts[1] > 59 || parts[2] >= frames_a_second)
        wrong(line, fmt::format("\"{}\" is no time", text), "minutes:seconds:frames");
    return (parts[0] * 60 + parts[1]) * frames_a_second + parts[2];
}

class Reader {
public:
    CueSheet read(std::string_view text) {
        if (text.size() > largest_sheet)
            throw Error(ErrorCode::limit, "the cue sheet is larger than any").wanted(size_text(largest_sheet));
        each_line(text, [&](const Line& line) {
            if (!line.words.empty()) take(line);
        });
        if (sheet_.tracks.empty())
            throw Error(ErrorCode::damaged, "the cue sheet names no track").in("cue sheet").wanted("TRACK");
        return std::move(sheet_);
    }

private:
    void take(const Line& line) {
        const std::string what = upper(line.words.front());
        if (what == "FILE") return file(line);
        if (what == "TRACK") return track(line);
        if (what != "INDEX" && what != "PREGAP") return;
        if (sheet_.tracks.empty()) wrong(line, fmt::format("{} before any track", what), "TRACK first");
        CueTrack& last = sheet_.tracks.back();
        const bool index = what == "INDEX";
        if (line.words.size() < (index ? 3U : 2U)) wrong(line, what + " without a time", "minutes:seconds:frames");
        if (!index) {
            last.silent = time_from(line, line.words[1]);
            return;
        }
        const std::uint64_t number = number_from(line, line.words[1]), at = time_from(line, line.words[2]);
        if (number == 0) last.pregap = at;
        if (number == 1) last.begin = at;
        if (last.pregap && number == 1 && *last.pregap > at)
            wrong(line, "a pregap behind the begin of its track", "INDEX 00 before INDEX 01");
    }

    void file(const Line& line) {
        if (line.words.size() < 2) wrong(line, "FILE without a name", "FILE \"NAME\" BINARY");
        // Bare names may hold spaces: all but the last word.
        const std::string_view first = line.words[1], last = line.words.back();
        const std::string_view before = line.words.size() > 2 ? line.words[line.words.size() - 2] : first;
        std::string name(first.data(), static_cast<std::size_t>(before.data() + before.size() - first.data()));
        const std::string type = line.words.size() > 2 ? upper(last) : "BINARY";
        if (type != "BINARY" && type != "MOTOROLA" && type != "WAVE" && type != "MP3" && type != "AIFF" &&
            type != "FLAC")
            wrong(line, fmt::format("files of type {} are not known", last), "BINARY");
        sheet_.files.push_back(std::move(name));
    }

    void track(const Line& line) {
        if (sheet_.files.empty()) wrong(line, "TRACK before any file", "FILE first");
        if (line.words.size() < 3) wrong(line, "TRACK without a mode", "TRACK 01 MODE1/2352");
        CueTrack track;
        track.number = static_cast<unsigned>(number_from(line, line.words[1]));
        track.mode = upper(line.words[2]);
        track.file = sheet_.files.size() - 1;
        if (track.sector_size() == 0)
            wrong(line, fmt::format("the mode {} is not known", line.words[2]),
                  "MODE1/2048, MODE1/2352, MODE2/2336, MODE2/2352 or AUDIO");
        if (sheet_.tracks.size() >= most_tracks) wrong(line, "more tracks than a disc can have", "at most 99");
        if (!sheet_.tracks.empty() && track.number <= sheet_.tracks.back().number)
            wrong(line, "a track out of order", fmt::format("a number above {}", sheet_.tracks.back().number));
        sheet_.tracks.push_back(std::move(track));
    }

    CueSheet sheet_;
};

}  // namespace

std::uint64_t CueTrack::sector_size() const noexcept {
    struct Row {
        std::string_view mode;
        std::uint64_t size;
    };
    constexpr Row rows[] = {{"AUDIO", 2352},      {"MODE1/2048", 2048}, {"MODE1/2352", 2352}, {"MODE2/2048", 2048},
                            {"MODE2/2336", 2336}, {"MODE2/2352", 2352}, {"MODE1/2448", 2448}, {"MODE2/2448", 2448}};
    for (const Row& row : rows)
        if (row.mode == mode) return row.size;
    return 0;
}

const CueTrack* CueSheet::data_track() const noexcept {
    const CueTrack* only = nullptr;
    for (const CueTrack& track : tracks) {
        if (!track.is_data()) continue;
        if (only != nullptr) return nullptr;
        only = &track;
    }
    return only;
}

bool is_cue_sheet(std::string_view text) noexcept {
    text = text.substr(0, looked_at);
    if (text.find('\0') != std::string_view::npos) return false;
    bool file = false, track = false;
    while (!text.empty() && !track) {
        std::string_view line = text.substr(0, text.find_first_of("\r\n"));
        text.remove_prefix(std::min(line.size() + 1, text.size()));
        if (line.starts_with("\xEF\xBB\xBF")) line.remove_prefix(3);
        line.remove_prefix(std::min(line.find_first_not_of(" \t"), line.size()));
        const auto begins = [&](std::string_view word) {
            return line.size() > word.size() && std::equal(word.begin(), word.end(), line.begin(), [](char a, char b) {
                       return a == std::toupper(static_cast<unsigned char>(b));
                   });
        };
        file = file || begins("FILE ");
        track = file && begins("TRACK ");
    }
    return track;
}

CueSheet read_cue_sheet(std::string_view text) {
    return Reader().read(text);
}

std::string cue_sheet_with(std::string_view text, std::size_t file, std::string_view name) {
    std::string out;
    std::size_t seen = 0, copied = 0;
    each_line(text, [&](const Line& line) {
        if (line.words.size() < 2 || upper(line.words.front()) != "FILE" || seen++ != file) return;
        const std::size_t last = line.words.size() > 2 ? line.words.size() - 2 : 1;
        const char* const begin = line.words[1].data();
        const char* const end = line.words[last].data() + line.words[last].size();
        auto from = static_cast<std::size_t>(begin - text.data()), to = static_cast<std::size_t>(end - text.data());
        if (from > 0 && text[from - 1] == '"') from -= 1;
        if (to < text.size() && text[to] == '"') ++to;
        out += text.substr(copied, from - copied);
        out += fmt::format("\"{}\"", name);
        copied = to;
    });
    return out + std::string(text.substr(copied));
}

ByteRange range_of(const CueSheet& sheet, const CueTrack& track, std::uint64_t file_size, bool pregap) {
    // Sectors of one file may differ in size: each track counts from where the one before it began.
    std::uint64_t offset = 0, frames = 0, begin = 0, end = file_size;
    std::uint64_t size = 0;
    bool found = false;
    for (const CueTrack& one : sheet.tracks) {
        if (one.file != track.file) continue;
        const std::uint64_t from = one.pregap.value_or(one.begin);
        if (from < frames)
            throw Error(ErrorCode::damaged,
                        fmt::format("track {} of the cue sheet begins before the one before it", one.number))
                .in("cue sheet");
        offset += (from - frames) * (size != 0 ? size : one.sector_size());
        if (found) {
            end = offset;
            break;
        }
        frames = from, size = one.sector_size();
        if (&one != &track && one.number != track.number) continue;
        found = true;
        begin = offset + (pregap ? 0 : (one.begin - from) * size);
    }
    end = std::min(end, file_size);
    if (begin >= end)
        throw Error(ErrorCode::damaged, fmt::format("track {} lies outside its file", track.number))
            .in("cue sheet")
            .wanted(fmt::format("more than {}", counted(begin, "byte", "bytes")))
            .found(counted(file_size, "byte", "bytes"))
            .hint("the file was cut short, or the sheet belongs to another one");
    return {begin, end - begin};
}

}  // namespace hotstitch
