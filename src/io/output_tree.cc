// SPDX-License-Identifier: MIT
// Many files at once: filled in a temporary folder of the folder that they will stand in or below, brought to the disk
// by one flush, then moved into their places one by one; should one of them fail, those before it move back. Tested by
// tests/base/file_io_test.cc and tests/cli/cli_inputs_test.cc.
#include <sys/stat.h>
#include <unistd.h>

#include <map>
#include <set>

#include "hotstitch/file_io.h"
#include "io/folder_writer.h"
#include "io/names.h"
#include "io/system_error.h"

namespace hotstitch {

namespace fs = std::filesystem;

struct OutputTree::State {
    /// Of what goes into one folder, or below it.
    struct Room {
        fs::path temporary;
        Descriptor lock;
        std::optional<FolderWriter> writer;
    };
    struct Entry {
        fs::path from, path;
        bool stands = false, placed = false;
        std::optional<fs::path> backup{};
    };

    Replace replace = Replace::never;
    std::map<fs::path, Room> rooms;
    std::vector<Entry> entries;
    std::set<fs::path> places;  ///< of the entries
    bool done = false;

    ~State();
    Room& room_in(const fs::path& folder);
    void check(Entry& entry) const;
    void place(Entry& entry);
    void take_back() noexcept;
};

OutputTree::State::~State() {
    std::error_code code;
    for (const auto& [folder, room] : rooms) fs::remove_all(room.temporary, code);
    for (const Entry& entry : entries) settle_folders(entry.path.parent_path(), done);
    for (const auto& [folder, room] : rooms) settle_folders(folder, done);
}

OutputTree::State::Room& OutputTree::State::room_in(const fs::path& folder) {
    Room& room = rooms[folder];
    if (room.writer) return room;
    make_folders(folder);
    const fs::path name = folder / "taken";
    clear_leftovers(name);
    room.lock = open_temporary_folder(name, room.temporary);
    room.writer.emplace(room.temporary);
    return room;
}

/// Before anything is moved.
void OutputTree::State::check(Entry& entry) const {
    struct stat info {};
    if (::stat(entry.path.c_str(), &info) != 0) return;
    if (S_ISDIR(info.st_mode))
        throw Error(ErrorCode::usage, fmt::format("{} is a folder, a file is needed", entry.path.string()));
    if (!S_ISREG(info.st_mode))
        throw Error(ErrorCode::usage, fmt::format("{} is a device or pipe, not a file", entry.path.string()));
    entry.stands = same_bytes(entry.from, entry.path);
    if (!entry.stands && replace == Replace::never)
        throw Error(ErrorCode::exists, fmt::format("{} exists already", entry.path.string()))
            .in("existing output")
            .as(ErrorId::output_exists)
            .hint("choose another name, or allow the file to be replaced (it is then kept as a backup)");
}

void OutputTree::State::place(Entry& entry) {
    if (entry.stands) return;
    make_folders(entry.path.parent_path());
    struct stat info {};
    if (::lstat(entry.path.c_str(), &info) == 0 && replace != Replace::never)
        entry.backup = rename_to_backup(entry.path);
    if (!rename_to_new(entry.from, entry.path)) throw system_error("put into place", entry.path);
    entry.placed = true;
}

void OutputTree::State::take_back() noexcept {
    for (Entry& entry : entries) {
        if (entry.placed) ::rename(entry.path.c_str(), entry.from.c_str());
        if (entry.backup) ::rename(entry.backup->c_str(), entry.path.c_str());
        entry.placed = false, entry.backup.reset();
    }
}

OutputTree::OutputTree(Replace replace) : state_(std::make_unique<State>()) {
    state_->replace = replace;
}
OutputTree::~OutputTree() = default;

fs::path OutputTree::add(const fs::path& folder, const fs::path& name_in_it,
                         const std::function<void(ByteSink&)>& write) {
    State& s = *state_;
    fs::path place = resolved(folder / name_in_it);
    refuse_long_name(place, "the output", "choose a shorter name");
    if (s.places.contains(place))
        throw Error(ErrorCode::usage, fmt::format("two files would go to {}", place.string()))
            .in("output")
            .hint("write each of them by a call of its own, under another name");
    State::Room& room = s.room_in(resolved(folder.empty() ? "." : folder));
    const std::string name = fmt::format("{}", s.entries.size());
    try {
        room.writer->file(name, false, write);
    } catch (...) {
        ::unlink((room.temporary / name).c_str());
        throw;
    }
    s.entries.push_back({room.temporary / name, place});
    s.places.insert(place);
    return place;
}

void OutputTree::commit() {
    State& s = *state_;
    for (auto& [folder, room] : s.rooms) room.writer->flush();
    for (State::Entry& entry : s.entries) s.check(entry);
    try {
        for (State::Entry& entry : s.entries) s.place(entry);
    } catch (...) {
        s.take_back();
        throw;
    }
    s.done = true;
    std::set<fs::path> parents;
    for (State::Entry& entry : s.entries) {
        parents.insert(entry.path.parent_path());
        if (entry.backup && s.replace == Replace::without_backup) ::unlink(entry.backup->c_str());
    }
    for (const fs::path& parent : parents) sync_folder(parent);
}

}  // namespace hotstitch
