// SPDX-License-Identifier: MIT
// A folder changed in its own place. "FOLDER.change.hotstitch" is filled first: `new/` with what comes, and `changes`,
// a list of what will be done, which is on the disk before anything is touched. Then each old file gets a second name
// in `old/`, and the new one takes its place. In the end the whole becomes the way back, "FOLDER.undo-N.hotstitch".
// Undoing renames it back first, so that stopped at any moment, the same undoing goes on. docs/formats/journal.md.
// Tested by tests/kit/kit_create_test.cc, tests/kit/cli_kit_test.cc and, killed at every step,
// tests/faults/kit_faults_test.cc.
#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <charconv>
#include <set>
#include <sstream>

#include "base/hex.h"
#include "hotstitch/digest.h"
#include "hotstitch/file_io.h"
#include "hotstitch/text.h"
#include "io/folder_writer.h"
#include "io/locks.h"
#include "io/names.h"
#include "io/system_error.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr std::string_view first_line = "hotstitch-folder-change 1", folder_suffix = ".hotstitch",
                           list_name = "changes";
constexpr std::string_view words[] = {"replace", "add", "remove", "add-folder", "remove-folder", "add-link"};

using What = FolderChange::What;

struct Row {
    What what{};
    std::uint64_t size = 0;  ///< of a file that comes
    Crc32 crc{};
    std::string name;
};

fs::path change_path(const fs::path& folder) {
    return fs::path(folder).concat(".change").concat(folder_suffix);
}

/// Line ends and % as %0a: one row stays one line.
std::string written(std::string_view name) {
    std::string out;
    for (const char c : name)
        if (static_cast<unsigned char>(c) < 0x20 || c == '%')
            out += fmt::format("%{:02x}", static_cast<unsigned char>(c));
        else
            out += c;
    return out;
}

std::string read_name(std::string_view text) {
    std::string out;
    for (std::size_t i = 0; i < text.size(); ++i) {
        unsigned value = 0;
        const bool coded = text[i] == '%' && i + 2 < text.size() &&
                           std::from_chars(&text[i + 1], &text[i + 1] + 2, value, 16).ptr == &text[i + 1] + 2;
        out += coded ? static_cast<char>(value) : text[i];
        if (coded) i += 2;
    }
    return out;
}

/// Of an error in the middle of bringing back.
std::string in_part(const fs::path& folder) {
    return fmt::format("{} is only in part as it was before; undoing it once more goes on", folder.string());
}

Error broken_list(const fs::path& path) {
    return Error(ErrorCode::damaged, fmt::format("the list of changes in {} is broken", path.string()))
        .in("changes")
        .hint("what was there before lies in its folder old/; bring it back by hand");
}

std::vector<Row> read_rows(const fs::path& change) {
    const InputFile file = InputFile::record(change / list_name);
    std::istringstream lines{std::string(text_of(file.bytes()))};
    std::string line;
    if (!std::getline(lines, line) || line != first_line) throw broken_list(change);
    std::vector<Row> rows;
    bool ended = false;
    while (std::getline(lines, line)) {
        if (line == "end") {
            ended = true;
            break;
        }
        std::istringstream in(line);
        std::string word, crc, name;
        Row row;
        in >> word >> row.size >> crc;
        in.get();
        std::getline(in, name);
        const auto found = std::find(std::begin(words), std::end(words), word);
        std::array<std::byte, 4> value{};
        row.name = read_name(name);
        // A list may come from anybody: no name leads out.
        const fs::path path(row.name);
        if (found == std::end(words) || !bytes_from_hex(crc, value) || row.name.empty() || path.is_absolute() ||
            std::any_of(path.begin(), path.end(), [](const fs::path& one) { return one == ".."; }))
            throw broken_list(change);
        row.what = static_cast<What>(found - std::begin(words));
        for (const std::byte byte : value) row.crc.value = row.crc.value << 8 | std::to_integer<std::uint32_t>(byte);
        rows.push_back(std::move(row));
    }
    if (!ended) throw broken_list(change);
    return rows;
}

bool is_there(const fs::path& path) {
    struct stat info {};
    return ::lstat(path.c_str(), &info) == 0;
}

bool is_same_entry(const fs::path& a, const fs::path& b) {
    struct stat one {
    }, other{};
    return ::lstat(a.c_str(), &one) == 0 && ::lstat(b.c_str(), &other) == 0 && one.st_dev == other.st_dev &&
           one.st_ino == other.st_ino;
}

bool is_as_made(const fs::path& path, const Row& row, const Progress& progress) {
    std::error_code code;
    if (row.what == What::add_link) {
        const std::string to = fs::read_symlink(path, code).string();
        return !code && to.size() == row.size && crc32(bytes_of(to)) == row.crc;
    }
    if (!fs::is_regular_file(fs::symlink_status(path, code)) || fs::file_size(path, code) != row.size) return false;
    return digest(InputFile::record(path), {}, progress).crc32 == row.crc;
}

/// Paths of what is another by now, or gone.
std::vector<std::string> rows_not_as_made(const fs::path& folder, const std::vector<Row>& rows,
                                          const Progress& progress) {
    std::vector<std::string> wrong;
    std::set<std::string> new_names;
    for (const Row& row : rows)
        if (row.what == What::add || row.what == What::add_link || row.what == What::add_folder)
            new_names.insert(row.name);
    for (const Row& row : rows) {
        const bool came = row.what == What::replace || row.what == What::add || row.what == What::add_link;
        const bool is_right =
            came ? is_as_made(folder / row.name, row, progress)
                 : row.what != What::remove || new_names.contains(row.name) || !is_there(folder / row.name);
        if (!is_right) wrong.push_back(row.name);
    }
    return wrong;
}

void make_parents(const fs::path& path) {
    std::error_code code;
    fs::create_directories(path.parent_path(), code);
    if (code) throw system_error("make the folder", path.parent_path(), code.value());
}

void rename_or_throw(const fs::path& from, const fs::path& to) {
    if (::rename(from.c_str(), to.c_str()) != 0) throw system_error("put into place", to);
}

/// The old file under a second name; where the file system knows none, it moves.
void set_aside(const fs::path& file, const fs::path& old) {
    make_parents(old);
    if (::link(file.c_str(), old.c_str()) == 0) return;
    rename_or_throw(file, old);
}

/// Everything as it was before. Each step may have been done before. What somebody else has put there since gets the
/// name of a backup, which is returned.
std::vector<fs::path> roll_back(const fs::path& folder, const fs::path& change, const std::vector<Row>& rows,
                                const Progress& progress) try {
    std::vector<fs::path> kept;
    for (auto row = rows.rbegin(); row != rows.rend(); ++row) {
        const fs::path path = folder / row->name, old = change / "old" / row->name, fresh = change / "new" / row->name;
        switch (row->what) {
            case What::replace:
            case What::remove:
                if (!is_there(old)) break;
                make_parents(path);
                if (is_there(path) && !is_same_entry(old, path) &&
                    (row->what == What::remove || !is_as_made(path, *row, progress)))
                    kept.push_back(rename_to_backup(path));
                rename_or_throw(old, path);
                if (is_there(old)) ::unlink(old.c_str());  // two names of one file
                break;
            case What::add:
            case What::add_link:
                // While it lies in `new`, what stands there is not ours.
                if (is_there(fresh) || !is_there(path) || !is_as_made(path, *row, progress)) break;
                if (::unlink(path.c_str()) != 0) throw system_error("remove", path);
                break;
            case What::add_folder:  // where it is empty
                if (::rmdir(path.c_str()) != 0 && errno != ENOENT && errno != ENOTEMPTY && errno != EEXIST &&
                    errno != ENOTDIR)
                    throw system_error("remove the folder", path);
                break;
            case What::remove_folder: {
                std::error_code code;
                fs::create_directories(path, code);
                if (code) throw system_error("make the folder", path, code.value());
                break;
            }
        }
    }
    sync_folder(folder);
    std::error_code code;
    fs::remove_all(change, code);
    if (code) throw system_error("remove", change, code.value());
    return kept;
} catch (Error& error) {
    throw std::move(error).done(in_part(folder));
}

class Counted final : public ByteSink {
public:
    explicit Counted(ByteSink& below) : below_(below) {}
    void reserve(std::uint64_t bytes) override { below_.reserve(bytes); }
    void write(ByteView bytes) override {
        crc = crc32(bytes, crc), length += bytes.size();
        below_.write(bytes);
    }
    void clear() override { below_.clear(), crc = {}, length = 0; }
    void read_back(std::uint64_t offset, MutableByteView into) const override { below_.read_back(offset, into); }
    std::optional<ByteView> written() override { return below_.written(); }
    std::uint64_t written_size() const override { return length; }
    Crc32 crc{};
    std::uint64_t length = 0;

private:
    ByteSink& below_;
};

/// A file that takes another's place keeps its mode bits, but for whether it may be run.
void take_over_mode(const fs::path& old, const fs::path& fresh, bool executable) {
    struct stat info {};
    if (::stat(old.c_str(), &info) != 0) throw system_error("read", old);
    const mode_t plain = info.st_mode & 0666;
    if (::chmod(fresh.c_str(), executable ? plain | ((plain & 0444) >> 2) : plain) != 0)
        throw system_error("write", fresh);
}

std::vector<Row> stage(const fs::path& folder, const fs::path& change, const std::vector<FolderChange>& changes) {
    FolderWriter fresh(change / "new");
    fresh.folder({});
    std::vector<Row> rows;
    for (const FolderChange& one : changes) {
        Row row{.what = one.what, .name = one.name};
        if (one.what == What::replace || one.what == What::add)
            fresh.file(one.name, one.executable, [&](ByteSink& out) {
                Counted counted(out);
                one.write(counted);
                row.size = counted.length, row.crc = counted.crc;
            });
        else if (one.what == What::add_link)
            fresh.link(one.name, one.to), row.size = one.to.size(), row.crc = crc32(bytes_of(one.to));
        else if (one.what == What::add_folder)
            fresh.folder(one.name);
        if (one.what == What::replace) take_over_mode(folder / one.name, fresh.root() / one.name, one.executable);
        rows.push_back(std::move(row));
    }
    return rows;
}

void write_text(FolderWriter& writer, std::string_view name, const std::string& text) {
    writer.file(std::string(name), false, [&](ByteSink& out) { out.write(bytes_of(text)); });
}

/// Old files aside, then folders, then what is new.
void carry_out(const fs::path& folder, const fs::path& change, const std::vector<Row>& rows) {
    for (const Row& row : rows) {
        refuse_links(folder, fs::path(folder / row.name).parent_path());
        const fs::path path = folder / row.name, old = change / "old" / row.name;
        if (row.what == What::replace) set_aside(path, old);
        if (row.what == What::remove) make_parents(old), rename_or_throw(path, old);
    }
    for (auto row = rows.rbegin(); row != rows.rend(); ++row)
        if (row->what == What::remove_folder && ::rmdir((folder / row->name).c_str()) != 0)
            throw system_error("remove the folder", folder / row->name);
    for (const Row& row : rows) {
        const fs::path path = folder / row.name, fresh = change / "new" / row.name;
        if (row.what == What::add_folder && ::mkdir(path.c_str(), 0777) != 0)
            throw system_error("make the folder", path);
        if (row.what == What::add || row.what == What::add_link) {
            if (!rename_to_new(fresh, path)) throw system_error("put into place", path);
        } else if (row.what == What::replace) {
            rename_or_throw(fresh, path);
        }
    }
}

/// The last one that came to its end.
std::optional<FolderWayBack> last_way_back(const fs::path& folder) {
    const std::string prefix = folder.filename().string() + ".undo-";
    std::optional<FolderWayBack> last;
    std::error_code code;
    for (fs::directory_iterator entry(folder.parent_path(), code), end; !code && entry != end; entry.increment(code)) {
        const std::string name = entry->path().filename().string();
        if (!name.starts_with(prefix) || !name.ends_with(folder_suffix) ||
            !fs::is_directory(entry->symlink_status(code)))
            continue;
        const std::string digits = name.substr(prefix.size(), name.size() - prefix.size() - folder_suffix.size());
        unsigned number = 0;
        const char* const until = digits.data() + digits.size();
        if (digits.empty() || std::from_chars(digits.data(), until, number).ptr != until) continue;
        if (!last || number > last->number) last = FolderWayBack{entry->path(), false, number};
    }
    return last;
}

/// Also a folder of the same device that is mounted once more, which its number does not show.
bool is_mount_point(const fs::path& folder) {
    struct statx info {};
    if (::statx(AT_FDCWD, folder.c_str(), AT_SYMLINK_NOFOLLOW, 0, &info) == 0 &&
        (info.stx_attributes & STATX_ATTR_MOUNT_ROOT) != 0)
        return true;
    const auto own = stamp_of_folder(folder), beside = stamp_of_folder(folder.parent_path());
    return !own || !beside || own->device != beside->device || folder == folder.root_path();
}

/// What goes and what comes is moved between the folder and what lies beside it.
void refuse_mount_point(const fs::path& folder) {
    if (!is_mount_point(folder)) return;
    throw Error(ErrorCode::unsupported,
                fmt::format("{} is a file system of its own, and cannot be changed in its place", folder.string()))
        .in("folder")
        .hint("put the game into a folder on it, or make a changed copy: -o FOLDER");
}

}  // namespace

fs::path change_folder(const fs::path& named, const std::vector<FolderChange>& changes,
                       const std::function<std::string()>& receipt, const Progress&) {
    const fs::path folder = resolved(named), change = change_path(folder);
    const Descriptor lock = lock_folder(folder);
    refuse_mount_point(folder);
    if (is_there(change))
        throw Error(ErrorCode::damaged, fmt::format("a change of {} was stopped in the middle", folder.string()))
            .hint("undo it first");
    std::error_code code;
    if (!fs::create_directory(change, code)) throw system_error("make the folder", change, code.value());
    std::vector<Row> rows;
    try {
        rows = stage(folder, change, changes);
        FolderWriter writer(change);
        writer.folder("old");
        write_text(writer, "receipt.json", receipt());
        std::string list = fmt::format("{}\n", first_line);
        for (const Row& row : rows)
            list += fmt::format("{} {} {} {}\n", words[static_cast<std::size_t>(row.what)], row.size, row.crc.hex(),
                                written(row.name));
        writer.flush();
        write_text(writer, "changes.new", list + "end\n");
        writer.flush();
        rename_or_throw(change / "changes.new", change / list_name);
        sync_folder(change);
    } catch (...) {
        fs::remove_all(change, code);
        throw;
    }
    try {
        carry_out(folder, change, rows);
        FolderWriter(folder).flush();
        fs::remove_all(change / "new", code);
        for (unsigned number = last_way_back(folder).value_or(FolderWayBack{}).number + 1;; ++number) {
            const fs::path way_back = fs::path(folder).concat(fmt::format(".undo-{}", number)).concat(folder_suffix);
            if (rename_to_new(change, way_back)) return sync_folder(folder.parent_path()), way_back;
            if (errno != EEXIST && errno != ENOTEMPTY) throw system_error("keep the way back", way_back);
        }
    } catch (...) {
        roll_back(folder, change, rows, {});
        throw;
    }
}

std::optional<FolderWayBack> way_back_of(const fs::path& named) {
    const fs::path folder = resolved(named);
    if (is_there(change_path(folder))) return FolderWayBack{change_path(folder), true, 0};
    return last_way_back(folder);
}

std::vector<std::string> changed_since(const fs::path& named, const Progress& progress) {
    const fs::path folder = resolved(named);
    const auto found = way_back_of(folder);
    return found && !found->stopped ? rows_not_as_made(folder, read_rows(found->path), progress)
                                    : std::vector<std::string>();
}

FolderWayBack undo_folder(const fs::path& named, const Progress& progress, const fs::path& aside) {
    const fs::path folder = resolved(named);
    const Descriptor lock = lock_folder(folder);
    auto found = way_back_of(folder);
    if (!found)
        throw Error(ErrorCode::io,
                    fmt::format("there is no way back for {}: nothing changed it in place", folder.string()));
    std::error_code code;
    if (found->stopped && !is_there(found->path / list_name)) {  // before anything was touched
        fs::remove_all(found->path, code);
        return *found;
    }
    const std::vector<Row> rows = read_rows(found->path);
    for (const Row& row : rows) {
        refuse_links(folder, fs::path(folder / row.name).parent_path());
        for (const char* const inside : {"old", "new"})
            refuse_links(found->path, fs::path(found->path / inside / row.name).parent_path());
    }
    if (!found->stopped) {
        const auto wrong = rows_not_as_made(folder, rows, progress);
        if (!aside.empty())
            for (const std::string& name : wrong) {
                if (!is_there(folder / name)) continue;
                make_parents(aside / name);
                rename_or_throw(folder / name, aside / name);
            }
        if (!wrong.empty() && aside.empty())
            throw Error(ErrorCode::wrong_target, "the folder is no longer as it was made")
                .in("file")
                .found(fmt::format("{}", fmt::join(wrong, "\n")))
                .hint(fmt::format("it was changed since, and nothing was touched; what was there before lies in {}",
                                  (found->path / "old").string()));
        rename_or_throw(found->path, change_path(folder));
    }
    found->kept = roll_back(folder, change_path(folder), rows, progress);
    return *found;
}

}  // namespace hotstitch
