// SPDX-License-Identifier: MIT
// A cue sheet stands for its disc: the tracks are parts, and where there is one data track, so are its files. Names in
// a sheet come from strangers, so none leads out of its folder. Tested by tests/cli/cli_disc_test.cc.
#include "job/sheets.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "base/letters.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr std::uint64_t largest_sheet = 1 << 20;

std::string track_part(const CueTrack& track) {
    return fmt::format("track {}", track.number);
}

/// The track of this name.
const CueTrack* track_named(const CueSheet& sheet, const std::string& part) {
    const std::string name = lower(part);
    const auto found = std::find_if(sheet.tracks.begin(), sheet.tracks.end(),
                                    [&](const CueTrack& track) { return track_part(track) == name; });
    return found == sheet.tracks.end() ? nullptr : &*found;
}

/// The disc in a file, with the tracks that a sheet says it has, some of them in other files.
class TracksContainer final : public Container {
public:
    TracksContainer(const InputFile& file, const ByteSource& content, CueSheet sheet, const WorkOptions& work)
        : content_(content), sheet_(std::move(sheet)), folder_(file.sheet()) {
        for (std::size_t i = 0; i < sheet_.files.size(); ++i)
            if (file.is_same_file(file_of_sheet(folder_, sheet_, i))) own_ = i;
        if (const CueTrack* const data = sheet_.data_track(); data != nullptr && data->file == own_) {
            data_ = data->number;
            disc_ = open_container(content, work.limits, work.progress);
        }
    }

    KindId kind() const noexcept override { return disc_ ? disc_->kind() : KindId::disc; }
    std::string title() const override {
        const std::string tracks = counted(sheet_.tracks.size(), "track", "tracks");
        return disc_ ? fmt::format("{}, {}", disc_->title(), tracks) : fmt::format("a disc of {}", tracks);
    }

    std::vector<std::string> warnings() const override {
        return disc_ ? disc_->warnings() : std::vector<std::string>();
    }

    void visit(const VisitPart& visitor) const override {
        for (const CueTrack& track : sheet_.tracks) {
            const SharedSource bytes = content_of(track);
            Part part{
                .name = track_part(track), .kind = PartKind::track, .size = bytes->size(), .offset = {}, .head = {}};
            part.storage = track.file != own_ ? PartStorage::in_another_file : PartStorage::computed;
            if (track.file == own_ && !track.is_data())
                part.offset = range_in(track).offset, part.storage = PartStorage::plain;
            part.head = [&bytes] { return head_of(*bytes); };
            if (visitor(part, [&](ByteSink& out) { write_source(*bytes, out); }) == Flow::stop) return;
        }
        if (!disc_) return;
        disc_->visit([&](const Part& part, const ExtractPart& extract) {
            return part.kind == PartKind::track ? Flow::go_on : visitor(part, extract);
        });
    }

    SharedSource open(const Part& part) const override {
        const CueTrack* const track = part.kind == PartKind::track ? track_named(sheet_, part.name) : nullptr;
        if (track != nullptr) return content_of(*track);
        return disc_->open(part);
    }

    SharedSource stored(const Part& part) const override {
        const CueTrack* const track = part.kind == PartKind::track ? track_named(sheet_, part.name) : nullptr;
        if (track == nullptr) return disc_ ? disc_->stored(part) : nullptr;
        return track->is_data() ? whole_of(*track) : nullptr;
    }

    PutResult put(const Part& part, const SharedSource& content, const PutOptions& options) const override {
        const CueTrack* const track = part.kind == PartKind::track ? track_named(sheet_, part.name) : nullptr;
        if (track == nullptr) return disc_->put(part, content, options);
        if (track->number == data_ && disc_) {
            // Of a plain one, the track is the file.
            for (const Part& own : disc_->parts())
                if (own.kind == PartKind::track) return disc_->put(own, content, options);
        }
        if (!part.offset)
            throw Error(ErrorCode::unsupported, fmt::format("{} is only read here", part.name))
                .hint("name the file that it lies in");
        return put_in_place(content_, part, *content);
    }

    PutResult add(const std::string& name, const SharedSource& content, const PutOptions& options) const override {
        return disc_ ? disc_->add(name, content, options) : Container::add(name, content, options);
    }
    std::optional<PartChanges> change_all(const std::vector<PartChange>& changes,
                                          const PutOptions& options) const override {
        const bool tracks = std::any_of(changes.begin(), changes.end(), [&](const PartChange& change) {
            return track_named(sheet_, change.name) != nullptr;
        });
        return disc_ && !tracks ? disc_->change_all(changes, options) : std::nullopt;
    }
    PutResult remove(const Part& part, const PutOptions& options) const override {
        return disc_ ? disc_->remove(part, options) : Container::remove(part, options);
    }

private:
    static PutResult put_in_place(const ByteSource& file, const Part& part, const ByteSource& content) {
        if (content.size() != part.size)
            throw Error(ErrorCode::usage, fmt::format("{} has a fixed size", part.name))
                .in("part")
                .wanted(counted(*part.size, "byte", "bytes"))
                .found(counted(content.size(), "byte", "bytes"));
        ChangeList list(file.size());
        const ChangeList within = differences(SliceSource(borrowed(file), *part.offset, *part.size), content);
        for (const Splice& s : within.splices())
            list.put(*part.offset + s.offset, s.removed, Bytes(*s.in.front().bytes));
        return list;
    }

    ByteRange range_in(const CueTrack& track) const { return range_of(sheet_, track, content_.size()); }

    SharedSource content_of(const CueTrack& track) const {
        SharedSource slice = whole_of(track);
        return track.is_data() ? user_data_of(slice) : slice;
    }

    /// The track with all bytes of its sectors.
    SharedSource whole_of(const CueTrack& track) const {
        SharedSource whole = borrowed(content_);
        ByteRange range;
        if (track.file == own_) {
            range = range_in(track);
        } else {
            const auto other = std::make_shared<InputFile>(file_of_sheet(folder_, sheet_, track.file));
            range = range_of(sheet_, track, other->size());
            whole = other;
        }
        return std::make_shared<SliceSource>(whole, range.offset, range.length);
    }

    const ByteSource& content_;
    const CueSheet sheet_;
    const fs::path folder_;  ///< the sheet's path
    std::size_t own_ = 0;
    unsigned data_ = 0;
    std::unique_ptr<Container> disc_;
};

}  // namespace

std::optional<CueSheet> sheet_in(const InputFile& file) {
    if (file.size() > largest_sheet || !is_cue_sheet(text_of(file.bytes()))) return std::nullopt;
    return read_cue_sheet(text_of(file.bytes()));
}

fs::path file_of_sheet(const fs::path& sheet, const CueSheet& read, std::size_t file) {
    std::string name = read.files.at(file);
    std::replace(name.begin(), name.end(), '\\', '/');
    const fs::path named(name);
    const bool leads_out = named.is_absolute() || (name.size() > 1 && name[1] == ':') ||
                           std::any_of(named.begin(), named.end(), [](const fs::path& p) { return p == ".."; });
    if (leads_out || name.empty())
        throw Error(ErrorCode::refused, fmt::format("{} names a file outside its folder", sheet.string()))
            .in("cue sheet")
            .found(read.files[file])
            .hint("put the file beside the sheet, and write its name alone into the FILE line");
    fs::path path = sheet.parent_path() / named;
    std::error_code code;
    if (fs::exists(path, code)) return path;
    const fs::path folder = path.parent_path().empty() ? fs::path(".") : path.parent_path();
    for (fs::directory_iterator entry(folder, code), end; !code && entry != end; entry.increment(code))
        if (lower(entry->path().filename().string()) == lower(named.filename().string()))
            return sheet.parent_path() / named.parent_path() / entry->path().filename();
    throw Error(ErrorCode::io, fmt::format("{} names a file that is not there", sheet.string()))
        .in("cue sheet")
        .found(read.files[file])
        .hint("put the file beside the sheet, or write the name that it has into the FILE line");
}

InputFile open_by_sheet(const InputFile& sheet, const CueSheet& read, const Address& address, const WorkOptions& work) {
    const CueTrack* track = address.names_part() ? track_named(read, address.parts.front()) : nullptr;
    if (track == nullptr) track = read.data_track();
    if (track == nullptr) track = &read.tracks.front();
    const fs::path path = file_of_sheet(sheet.path(), read, track->file);
    check_finished(path);
    InputFile file = InputFile::regular(path, work.limits, work.progress);
    file.set_sheet(sheet.path());
    return file;
}

SheetOutput sheet_output(const InputFile& source, const std::string& typed) {
    if (source.sheet().empty() || typed.empty()) return {};
    std::error_code code;
    const fs::path path(typed);
    if (typed.ends_with('/') || fs::is_directory(path, code))
        return {path / source.sheet().filename(), path / source.path().filename()};
    if (lower(path.extension().string()) != ".cue") return {};
    fs::path file = path;
    return {path, file.replace_extension(source.path().extension())};
}

std::optional<std::string> sheet_naming(const fs::path& sheet, const fs::path& file, const std::string& name) {
    const InputFile text = InputFile::regular(sheet);
    const auto read = sheet_in(text);
    if (!read) return std::nullopt;
    for (std::size_t i = 0; i < read->files.size(); ++i)
        if (lower(fs::path(read->files[i]).filename().string()) == lower(file.filename().string()))
            return cue_sheet_with(text_of(text.bytes()), i, name);
    return std::nullopt;
}

void write_sheet(const InputFile& source, const SheetOutput& output, Replace replace, Delivery& delivery) {
    if (output.sheet.empty()) return;
    const auto text = sheet_naming(source.sheet(), source.path(), output.file.filename().string());
    if (!text) throw Error(ErrorCode::io, fmt::format("{} names another file", source.sheet().string()));
    delivery.add(output.sheet, {.replace = replace}).write(bytes_of(*text));
    const InputFile sheet = InputFile::regular(source.sheet());
    const CueSheet read = read_cue_sheet(text_of(sheet.bytes()));
    for (std::size_t i = 0; i < read.files.size(); ++i) {
        const fs::path other = file_of_sheet(source.sheet(), read, i);
        const fs::path there = output.sheet.parent_path() / fs::path(read.files[i]).filename();
        std::error_code code;
        if (source.is_same_file(other) || fs::exists(there, code)) continue;
        write_source(InputFile::regular(other), delivery.add(there, {.replace = replace}));
    }
}

OpenOutermost tracks_of(const InputFile& file, const WorkOptions& work) {
    return [&file, work](const ByteSource& content, const Limits&) { return open_with_tracks(file, content, work); };
}

std::unique_ptr<Container> open_with_tracks(const InputFile& file, const ByteSource& content, const WorkOptions& work) {
    if (file.sheet().empty()) {
        auto container = open_container(content, work.limits, work.progress);
        return file.is_computed() ? with_content(content, std::move(container)) : std::move(container);
    }
    const auto sheet = sheet_in(InputFile::regular(file.sheet()));
    if (!sheet) throw Error(ErrorCode::io, fmt::format("{} is no longer a cue sheet", file.sheet().string()));
    return std::make_unique<TracksContainer>(file, content, *sheet, work);
}

}  // namespace hotstitch
