// SPDX-License-Identifier: MIT
// One file more or less in a folder of a volume: its records are laid out again, sector by sector, in the order of
// ECMA-119 9.3. A folder that needs a further sector gets it where files get theirs. All is done tree by tree, each on
// what the step before it made. Tested by tests/part/disc_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <map>

#include "base/letters.h"
#include "base/numbers.h"
#include "hotstitch/error.h"
#include "part/disc/volume_change.h"
#include "source/whole.h"

namespace hotstitch::disc {
namespace {

constexpr std::size_t longest_record = 254, longest_joliet = 206;

/// A change that is made in steps, each on the volume as those before it have left it.
class Steps {
public:
    explicit Steps(const SharedSource& user) : user_(user), made_(user), change_(user->size()) {}

    const SharedSource& user() const { return made_; }
    Volume volume() const { return read_volume(*made_); }
    const ChangeList& change() const { return change_; }
    void then(const ChangeList& next) {
        change_ = change_.then(next);
        made_ = std::make_shared<ChangedSource>(user_, change_);
    }

private:
    SharedSource user_, made_;
    ChangeList change_;
};

std::string folder_of(const std::string& path) {
    const std::size_t slash = path.rfind('/');
    return slash == std::string::npos ? std::string() : path.substr(0, slash);
}
std::string name_in(const std::string& path) {
    return path.substr(path.rfind('/') == std::string::npos ? 0 : path.rfind('/') + 1);
}

std::size_t find_folder(const Tree& tree, const std::string& path) {
    for (std::size_t i = 0; i < tree.entries.size(); ++i)
        if (tree.entries[i].directory && lower(tree.entries[i].path) == lower(path)) return i;
    return tree.entries.size();
}

/// The same folder in another tree: by its path, else by a file that lies in it.
std::size_t twin_folder(const Volume& volume, const Tree& tree, const std::string& path) {
    if (const std::size_t found = find_folder(tree, path); found != tree.entries.size()) return found;
    const std::size_t here = find_folder(volume.tree(), path);
    for (const Entry& entry : volume.tree().entries) {
        if (entry.parent != here || entry.directory || entry.size == 0) continue;
        for (const Entry& other : tree.entries)
            if (!other.directory && other.size == entry.size &&
                other.records.front().extent == entry.records.front().extent)
                return other.parent;
    }
    throw Error(ErrorCode::unsupported, fmt::format("it cannot be told which folder {} is by its short name", path))
        .in("part");
}

Bytes wide(std::string_view utf8) {
    Bytes out;
    const auto add = [&](std::uint32_t c) {
        out.push_back(static_cast<std::byte>(c >> 8)), out.push_back(static_cast<std::byte>(c));
    };
    for (std::size_t i = 0; i < utf8.size();) {
        const auto lead = static_cast<unsigned char>(utf8[i]);
        const unsigned more = lead < 0x80 ? 0 : lead < 0xE0 ? 1 : lead < 0xF0 ? 2 : 3;
        std::uint32_t c = more == 0 ? lead : lead & (0x3FU >> more);
        for (unsigned k = 1; k <= more; ++k)
            c = c << 6 | (i + k < utf8.size() ? static_cast<unsigned char>(utf8[i + k]) & 0x3FU : 0);
        i += 1 + more;
        if (c > 0xFFFF) {
            add(0xD800 + ((c - 0x10000) >> 10)), add(0xDC00 + ((c - 0x10000) & 0x3FF));
        } else {
            add(c);
        }
    }
    return out;
}

Bytes copied(std::string_view text) {
    const ByteView bytes = bytes_of(text);
    return {bytes.begin(), bytes.end()};
}

/// The records of a folder, "." and ".." first.
std::vector<Bytes> records_in(const ByteSource& user, const Record& folder) {
    std::vector<Bytes> all;
    each_record(user, folder.extent, folder.size,
                [&](ByteView bytes, std::uint64_t) { all.emplace_back(bytes.begin(), bytes.end()); });
    return all;
}

/// No record crosses a sector.
Bytes laid_out(const std::vector<Bytes>& records) {
    Bytes out;
    for (const Bytes& r : records) {
        const std::size_t in_sector = out.size() % user_size;
        if (in_sector + r.size() > user_size) out.resize(out.size() + user_size - in_sector);
        out.insert(out.end(), r.begin(), r.end());
    }
    out.resize(static_cast<std::size_t>(sectors_for(out.size()) * user_size));
    return out;
}

Bytes own_name(ByteView r) {
    const ByteView name = r.subspan(record::name, u8(r, record::name_length));
    return {name.begin(), name.end()};
}

/// ECMA-119 9.3: names and extensions compare as if filled with spaces; a version follows.
bool stands_before(ByteView a, ByteView b) {
    const auto parts = [](ByteView name) {
        const std::string_view text = text_of(name);
        const std::size_t version = std::min(text.rfind(';'), text.size()), dot = std::min(text.find('.'), version);
        return std::pair{text.substr(0, dot),
                         text.substr(std::min(dot + 1, version), version - std::min(dot + 1, version))};
    };
    const auto compare = [](std::string_view x, std::string_view y) {
        for (std::size_t i = 0; i < std::max(x.size(), y.size()); ++i) {
            const auto at = [&](std::string_view t) { return i < t.size() ? static_cast<unsigned char>(t[i]) : 0x20U; };
            if (at(x) != at(y)) return at(x) < at(y) ? -1 : 1;
        }
        return 0;
    };
    const auto x = parts(a), y = parts(b);
    const int names = compare(x.first, y.first);
    return names != 0 ? names < 0 : compare(x.second, y.second) < 0;
}

/// A name that the primary tree takes, and that no other record there has.
std::string short_name(const std::string& name, const std::vector<Bytes>& records, const std::string& version) {
    const std::size_t dot = name.rfind('.');
    const auto plain = [](std::string text, std::size_t most) {
        for (char& c : text)
            c = std::isalnum(static_cast<unsigned char>(c)) != 0 && static_cast<unsigned char>(c) < 0x80
                    ? static_cast<char>(std::toupper(static_cast<unsigned char>(c)))
                    : '_';
        return text.substr(0, most);
    };
    const std::string extension = dot == std::string::npos ? "" : plain(name.substr(dot + 1), 3);
    const std::string stem = plain(name.substr(0, dot), 8);
    const auto taken = [&](const std::string& one) {
        return std::any_of(records.begin(), records.end(), [&](const Bytes& r) { return own_name(r) == copied(one); });
    };
    for (unsigned number = 0;; ++number) {
        const std::string tail = number == 0 ? "" : std::to_string(number);
        std::string one = fmt::format("{}{}.{}{}", stem.substr(0, 8 - tail.size()), tail, extension, version);
        if (!taken(one)) return one;
    }
}

/// What Rock Ridge adds: who may do what and when, as of a neighbour, and the name.
Bytes rock_ridge(const ByteSource& user, const Tree& tree, const std::vector<Bytes>& records, const std::string& name) {
    Bytes area;
    for (const Bytes& r : records) {
        if ((u8(r, record::flags) & record::directory) != 0 || !area.empty()) continue;
        Bytes fields;
        bool plain = true;  // no link, no folder that stands elsewhere
        for (const SystemUse& use : system_use_of(user, r, 0, tree.skip)) {
            plain = plain && !use.is("SL") && !use.is("CL") && !use.is("PN");
            if (use.is("PX") || use.is("TF")) fields.insert(fields.end(), use.bytes.begin(), use.bytes.end());
        }
        if (plain) area = std::move(fields);
    }
    if (area.empty()) {
        constexpr std::uint32_t fields[] = {0100444, 1, 0, 0};  // a file that all may read
        area = {std::byte{'P'}, std::byte{'X'}, std::byte{36}, std::byte{1}};
        for (const std::uint32_t value : fields)
            for (const int shift : {0, 8, 16, 24, 24, 16, 8, 0}) area.push_back(static_cast<std::byte>(value >> shift));
    }
    const Bytes text = copied(name);
    const Bytes head{std::byte{'N'}, std::byte{'M'}, static_cast<std::byte>(5 + text.size()), std::byte{1},
                     std::byte{0}};
    area.insert(area.end(), head.begin(), head.end());
    area.insert(area.end(), text.begin(), text.end());
    return area;
}

Bytes new_record(const ByteSource& user, const Tree& tree, const std::vector<Bytes>& records, const std::string& name,
                 std::uint64_t extent, std::uint64_t size) {
    // Versions are written where the neighbours have them.
    const bool versions = records.size() < 3 || std::any_of(records.begin() + 2, records.end(), [](const Bytes& r) {
                              return text_of(own_name(r)).ends_with(std::string_view("\0;\0001", 4)) ||
                                     text_of(own_name(r)).ends_with(";1");
                          });
    const std::string version = versions ? ";1" : "";
    Bytes id = tree.names == Names::joliet       ? wide(name + version)
               : tree.names == Names::rock_ridge ? copied(short_name(name, records, version))
                                                 : Bytes{};
    if (id.empty()) {
        const std::string plain = upper(name);
        id = copied(plain.find(';') == std::string::npos ? plain + version : plain);
    }
    Bytes r = id;
    r.insert(r.begin(), record::name, std::byte{0});
    if (r.size() % 2 != 0) r.push_back(std::byte{0});
    if (tree.names == Names::rock_ridge) {
        r.insert(r.end(), tree.skip, std::byte{0});
        const Bytes more = name.size() > 200 ? Bytes(longest_record) : rock_ridge(user, tree, records, name);
        r.insert(r.end(), more.begin(), more.end());
        if (r.size() % 2 != 0) r.push_back(std::byte{0});
    }
    if (r.size() > longest_record || (tree.names == Names::joliet && id.size() > longest_joliet))
        throw Error(ErrorCode::usage, fmt::format("the name {} is too long for a disc", name)).in("part");
    r[record::length] = static_cast<std::byte>(r.size());
    r[record::name_length] = static_cast<std::byte>(id.size());
    const auto both = [&](std::size_t at, std::uint64_t value, unsigned width) {
        for (unsigned i = 0; i < width; ++i)
            r[at + i] = r[at + std::size_t{2} * width - 1 - i] = static_cast<std::byte>(value >> (8 * i));
    };
    both(record::extent, extent, 4), both(record::size, size, 4), both(28, 1, 2);
    // The date is the folder's, so that the same call makes the same bytes.
    std::copy_n(records.front().begin() + record::date, 7, r.begin() + record::date);
    return r;
}

/// The folder with these records, which fit into its sectors.
void set_records(Steps& steps, const Record& folder, const std::vector<Bytes>& records) {
    Bytes content = laid_out(records);
    content.resize(static_cast<std::size_t>(sectors_for(folder.size) * user_size));
    ChangeList list(steps.user()->size());
    put_sectors(list, *steps.user(), folder.extent, owned(std::move(content)));
    steps.then(list);
}

/// Further sectors for a folder, at once: where files get theirs.
void grow_folder(Steps& steps, const Record& folder, std::uint64_t sectors, Room room) {
    if (room == Room::place)
        throw Error(ErrorCode::usage, "the folder has no room for a further name")
            .in("room")
            .as(ErrorId::needs_room)
            .hint("let it go behind the last file (room: append), or move what follows it (room: rebuild)");
    const Volume volume = steps.volume();
    const std::uint64_t have = sectors_for(folder.size), size = (have + sectors) * user_size;
    const std::uint64_t to = room == Room::rebuild ? folder.extent : free_place(*steps.user(), volume);
    if (room == Room::rebuild) {
        steps.then(move_sectors(steps.user(), volume, folder.extent + have, static_cast<std::int64_t>(sectors)));
    } else {
        ChangeList copy(steps.user()->size());
        SectorEdits edits(*steps.user());
        reach(edits, *steps.user(), volume, to + have + sectors);
        edits.tell(copy);
        const SharedSource old =
            std::make_shared<SliceSource>(steps.user(), folder.extent * user_size, have * user_size);
        const SharedSource more = std::make_shared<FilledSource>(std::byte{0}, sectors * user_size);
        put_sectors(copy, *steps.user(), to, std::make_shared<JoinedSource>(std::vector<SharedSource>{old, more}));
        steps.then(copy);
    }
    // Its own "." says its place as well, where it stands now.
    SectorEdits edits(*steps.user());
    const auto follow = [&](const Reference& reference) {
        if (!reference.folder || reference.sector != folder.extent) return;
        const bool inside =
            reference.place / user_size >= folder.extent && reference.place / user_size < folder.extent + have;
        const std::uint64_t moved = inside ? (to - folder.extent) * user_size : 0;
        Reference there = reference;
        there.place += moved;
        set_reference(edits, there, to);
        if (there.size_place != 0) edits.set_both(there.size_place + moved, size);
    };
    each_reference(*steps.user(), steps.volume(), follow);
    ChangeList references(steps.user()->size());
    edits.tell(references);
    steps.then(references);
}

/// Where a new record goes among those of a folder.
void insert_record(std::vector<Bytes>& records, const Bytes& added) {
    const auto place = std::find_if(records.begin() + 2, records.end(),
                                    [&](const Bytes& r) { return stands_before(own_name(added), own_name(r)); });
    records.insert(place, added);
}

/// A new name in a folder, and where what it names will be.
struct NewName {
    std::string name;
    std::uint64_t extent = 0, size = 0;
};

/// A folder of one tree with new names in it: the folder's record, and what its records become.
struct Insertion {
    Record folder;
    std::vector<Bytes> records;
    /// Sectors that it needs beyond those it has.
    std::uint64_t missing() const {
        const std::uint64_t need = sectors_for(laid_out(records).size()), have = sectors_for(folder.size);
        return need - std::min(need, have);
    }
};
Insertion insertion(const Steps& steps, std::size_t tree_index, const std::string& folder,
                    const std::vector<NewName>& names) {
    const Volume volume = steps.volume();
    const Tree& tree = volume.trees[tree_index];
    Insertion in{.folder = tree.entries[twin_folder(volume, tree, folder)].records.front(), .records = {}};
    in.records = records_in(*steps.user(), in.folder);
    if (in.records.size() < 2) throw Error(ErrorCode::damaged, fmt::format("the folder /{} is damaged", folder));
    for (const NewName& one : names)
        insert_record(in.records, new_record(*steps.user(), tree, in.records, one.name, one.extent, one.size));
    return in;
}

void check_new(const Volume& volume, const NewFile& file) {
    const std::string name = name_in(file.path), folder = folder_of(file.path);
    if (name.empty() || name == "." || name == ".." || name.find('\0') != std::string::npos)
        throw Error(ErrorCode::usage, fmt::format("\"{}\" is no name for a file", file.path)).in("part");
    if (find_folder(volume.tree(), folder) == volume.tree().entries.size())
        throw Error(ErrorCode::usage, fmt::format("there is no folder {} on the disc", folder))
            .in("part")
            .hint("files can be added to folders that are there");
    if (file.content->size() > 0xFFFFFFFF)
        throw Error(ErrorCode::unsupported, "a file of 4 GiB and more cannot be added").in("part");
}

}  // namespace

std::vector<PutResult> add_files(const SharedSource& user, const Volume& volume, const std::vector<NewFile>& files,
                                 Room room, ChangeList& change) {
    if (volume.has_udf)
        throw Error(ErrorCode::unsupported, "no file can be added to a disc that is described as UDF too").in("UDF");
    if (volume.block != user_size)
        throw Error(ErrorCode::unsupported, "the disc has logical blocks that are no sectors: it is only read");
    std::map<std::string, std::vector<NewName>> by_folder;
    std::vector<std::pair<const std::string*, std::size_t>> places;  // of each file, in by_folder
    for (const NewFile& file : files) {
        check_new(volume, file);
        const auto at = by_folder.try_emplace(folder_of(file.path)).first;
        places.emplace_back(&at->first, at->second.size());
        at->second.push_back({name_in(file.path), 0, file.content->size()});
    }
    Steps steps(user);
    for (const auto& [folder, names] : by_folder)
        for (std::size_t t = 0; t < volume.trees.size(); ++t) {
            const Insertion in = insertion(steps, t, folder, names);
            if (const std::uint64_t missing = in.missing(); missing != 0) grow_folder(steps, in.folder, missing, room);
        }
    // The contents follow each other, in one piece of whole sectors.
    std::vector<SharedSource> pieces;
    std::uint64_t first = 0, next = 0;
    std::vector<PutResult> results;
    for (std::size_t i = 0; i < files.size(); ++i) {
        const SharedSource& content = files[i].content;
        NewName& name = by_folder.at(*places[i].first)[places[i].second];
        if (content->size() != 0) {
            if (pieces.empty()) first = next = free_place(*steps.user(), steps.volume());
            const std::uint64_t sectors = sectors_for(content->size());
            pieces.push_back(content);
            pieces.push_back(std::make_shared<FilledSource>(std::byte{0}, sectors * user_size - content->size()));
            name.extent = next;
            next += sectors;
        }
        PutResult result{ChangeList(0)};
        result.how = "added";
        result.to = name.extent * user_size;
        results.push_back(std::move(result));
    }
    if (!pieces.empty()) {
        ChangeList list(steps.user()->size());
        SectorEdits edits(*steps.user());
        reach(edits, *steps.user(), steps.volume(), next);
        edits.tell(list);
        put_sectors(list, *steps.user(), first, std::make_shared<JoinedSource>(std::move(pieces)));
        steps.then(list);
    }
    for (const auto& [folder, names] : by_folder)
        for (std::size_t t = 0; t < volume.trees.size(); ++t) {
            const Insertion in = insertion(steps, t, folder, names);
            set_records(steps, in.folder, in.records);
        }
    change = steps.change();
    return results;
}

PutResult remove_file(const SharedSource& user, const Volume& volume, const Entry& entry, Room room) {
    if (volume.has_udf)
        throw Error(ErrorCode::unsupported, "no file can be removed from a disc that is described as UDF too")
            .in("UDF");
    if (volume.block != user_size) check_changeable(volume, entry);  // says why not
    Steps steps(user);
    const std::vector<const Entry*> twins = twins_of(volume, entry);
    std::size_t twin = 0;
    for (std::size_t t = 0; t < volume.trees.size(); ++t) {
        const Entry& one = t == volume.shown ? entry : *twins[twin++];
        const Record& folder = volume.trees[t].entries[one.parent].records.front();
        std::vector<Bytes> left;
        each_record(*user, folder.extent, folder.size, [&](ByteView bytes, std::uint64_t place) {
            const bool goes =
                std::any_of(one.records.begin(), one.records.end(), [&](const Record& r) { return r.place == place; });
            if (!goes) left.emplace_back(bytes.begin(), bytes.end());
        });
        set_records(steps, folder, left);
    }
    PutResult result{steps.change()};
    const bool shared = std::count_if(volume.tree().entries.begin(), volume.tree().entries.end(), [&](const Entry& e) {
                            return !e.directory && e.size != 0 && !e.records.empty() &&
                                   e.records.front().extent == entry.records.front().extent;
                        }) > 1;
    if (room == Room::rebuild && entry.size != 0 && entry.in_one_piece() && !shared && !entry.cut) {
        std::uint64_t count = 0;
        for (const Record& r : entry.records) count += sectors_for(r.size);
        steps.then(move_sectors(steps.user(), steps.volume(), entry.records.front().extent + count,
                                -static_cast<std::int64_t>(count)));
        result.change = steps.change();
        result.moved_sectors = count;
    }
    result.how = "removed";
    result.from = entry.records.front().extent * user_size;
    return result;
}

}  // namespace hotstitch::disc
