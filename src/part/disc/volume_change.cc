// SPDX-License-Identifier: MIT
// A file that fits stays in its sectors. One that does not goes behind everything else, or everything behind it moves;
// the latter is a move of sectors, after which it fits. Numbers of sectors are found by one walk over all that holds
// any. Tested by tests/disc_test.cc.
#include "part/disc/volume_change.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "base/letters.h"
#include "field/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/words.h"
#include "part/disc/udf.h"

namespace hotstitch::disc {
namespace {

constexpr std::uint64_t largest_extent = 0xFFFFF800;  ///< in whole sectors
constexpr std::uint64_t most_padding = 8192;          ///< sectors that are looked at for zeros

bool share(const Entry& a, const Entry& b) {
    return a.size != 0 && b.size != 0 && !a.directory && !b.directory && !a.records.empty() && !b.records.empty() &&
           a.records.front().extent == b.records.front().extent;
}

std::vector<const Entry*> sharing(const Tree& tree, const Entry& entry) {
    std::vector<const Entry*> all;
    for (const Entry& other : tree.entries)
        if (share(entry, other)) all.push_back(&other);
    return all;
}

std::uint64_t capacity_of(const Entry& entry) {
    std::uint64_t sectors = 0;
    for (const Record& r : entry.records) sectors += sectors_for(r.size);
    return sectors;
}

/// The records of a file say another place and size. In its place, each record keeps its extent.
void set_records(SectorEdits& edits, const Entry& entry, std::optional<std::uint64_t> moved_to, std::uint64_t size,
                 std::vector<std::uint64_t>& old_extents) {
    std::uint64_t left = size, at = moved_to.value_or(0);
    for (std::size_t i = 0; i < entry.records.size(); ++i) {
        const Record& r = entry.records[i];
        const bool last = i + 1 == entry.records.size();
        const std::uint64_t room = moved_to || last ? largest_extent : sectors_for(r.size) * user_size;
        const std::uint64_t part = std::min(left, room);
        if (last && part < left)
            throw Error(ErrorCode::unsupported, "a file of 4 GiB and more needs a directory record that is not there")
                .in("part")
                .hint("files of this size can be put where one of their size was");
        if (moved_to) {
            edits.set(r.place + record::attributes, std::byte{0});
            edits.set_both(r.place + record::extent, at);
            at += sectors_for(part);
            old_extents.push_back(r.extent);
        }
        edits.set_both(r.place + record::size, part);
        left -= part;
    }
}

/// The boot catalogue names images by their place.
void follow_boot(SectorEdits& edits, const Volume& volume, std::uint64_t from, std::uint64_t to) {
    for (const BootEntry& boot : volume.boots)
        if (boot.extent == from) edits.set_little(boot.place, to);
    if (volume.boot_record != 0 && volume.boot_catalogue == from)
        edits.set_little(volume.boot_record * user_size + 0x47, to);
}

/// The UDF description of the file follows, or the change is refused.
void follow_udf(SectorEdits& edits, const SharedSource& user, const Volume& volume, const Entry& entry,
                std::uint64_t extent, std::uint64_t size, bool shared) {
    if (!volume.has_udf || (extent == entry.records.front().extent && size == entry.size)) return;
    const auto refuse = [&](const char* why) {
        throw Error(ErrorCode::unsupported, "the file is described as UDF too, and that description cannot follow")
            .in("UDF")
            .found(why)
            .hint("content that has the old size can be put in");
    };
    const auto udf = read_udf(*user);
    if (!udf) refuse("its UDF descriptors are not of a kind that is changed here");
    const auto found = udf->by_extent.equal_range(entry.records.front().extent);
    const auto count = std::distance(found.first, found.second);
    if (count == 0 || entry.size == 0) refuse("no UDF file entry names its place");
    if (shared && count != 1) refuse("several UDF file entries name its place");
    for (auto it = found.first; it != found.second; ++it) {
        const auto changed = udf_entry_with(*user, *udf, it->second, extent, size);
        if (!changed) refuse("the UDF file entry has no room");
        edits.set_bytes(it->second * user_size, *changed);
    }
}

struct Putting {
    const SharedSource& user;
    const Volume& volume;
    const Entry& entry;
    const SharedSource& content;

    PutResult at(std::uint64_t extent, bool moved, bool shared) const {
        PutResult result{ChangeList(user->size())};
        SectorEdits edits(*user);
        const std::uint64_t size = content->size(), from = entry.records.front().extent;
        follow_udf(edits, user, volume, entry, extent, size, shared);
        std::vector<std::uint64_t> old;
        std::vector<const Entry*> all = twins_of(volume, entry);
        all.push_back(&entry);
        if (moved || size != entry.size)
            for (const Entry* one : all)
                set_records(edits, *one, moved ? std::optional(extent) : std::nullopt, size, old);
        if (moved && !shared && entry.size != 0) follow_boot(edits, volume, from, extent);
        // A second anchor stands in the last sector, so there has to be one behind what is added.
        const std::uint64_t end = extent + sectors_for(size);
        const bool anchored = volume.has_udf && end > volume.image_sectors && ends_with_anchor(*user);
        reach(edits, *user, volume, anchored ? end + 1 : end);
        result.mended = edits.tell(result.change);
        put_sectors(result.change, *user, extent, content);
        if (anchored) result.change.put(user->size(), 0, udf_anchor_for(*user, end));
        result.how = moved ? "moved" : "in-place";
        if (entry.size != 0) result.from = from * user_size;
        result.to = extent * user_size;
        return result;
    }
};

[[noreturn]] void does_not_fit(const Entry& entry, std::uint64_t size, bool shared) {
    throw Error(ErrorCode::usage, shared ? fmt::format("{} shares its place with another file", entry.path)
                                         : fmt::format("{} does not fit where the old one is", entry.path))
        .in("room")
        .wanted(fmt::format("at most {}", counted(capacity_of(entry) * user_size, "byte", "bytes")))
        .found(counted(size, "byte", "bytes"))
        .hint("let it go behind the last file (room: append), or move what follows it (room: rebuild)");
}

}  // namespace

// --- what changes are made of

Bytes& SectorEdits::sector(std::uint64_t number) {
    auto found = sectors_.find(number);
    if (found == sectors_.end()) found = sectors_.emplace(number, sector_at(user_, number)).first;
    return found->second;
}
std::byte SectorEdits::get(std::uint64_t place) {
    return sector(place / user_size)[static_cast<std::size_t>(place % user_size)];
}
void SectorEdits::set(std::uint64_t place, std::byte value) {
    sector(place / user_size)[static_cast<std::size_t>(place % user_size)] = value;
}
void SectorEdits::set_bytes(std::uint64_t place, ByteView bytes) {
    for (const std::byte b : bytes) set(place++, b);
}
void SectorEdits::set_little(std::uint64_t place, std::uint64_t value) {
    for (unsigned i = 0; i < 4; ++i) set(place + i, static_cast<std::byte>(value >> (8 * i)));
}
void SectorEdits::set_big(std::uint64_t place, std::uint64_t value) {
    for (unsigned i = 0; i < 4; ++i) set(place + i, static_cast<std::byte>(value >> (24 - 8 * i)));
}
void SectorEdits::set_both(std::uint64_t place, std::uint64_t value) {
    set_little(place, value), set_big(place + 4, value);
}
std::uint64_t SectorEdits::tell(ChangeList& list) const {
    std::uint64_t bytes = 0;
    for (const auto& [number, content] : sectors_) {
        const Bytes before = sector_at(user_, number);
        for (const ByteRange& range : differing_ranges(before, content)) {
            list.put(number * user_size + range.offset, range.length,
                     Bytes(content.begin() + static_cast<std::ptrdiff_t>(range.offset),
                           content.begin() + static_cast<std::ptrdiff_t>(range.offset + range.length)));
            bytes += range.length;
        }
    }
    return bytes;
}

namespace {

/// ECMA-119 9.4: length of the name, of the attribute record, sector, parent, name.
void path_table(const ByteSource& user, std::uint64_t sector, std::uint64_t size, bool big,
                const std::function<void(const Reference&)>& visit) {
    const std::uint64_t count = sectors_for(size);
    if (sector == 0 || sector + count > user.size() / user_size) return;
    const Bytes table = sector_at(user, sector, count);
    for (std::size_t at = 0; at + 8 <= size;) {
        const std::size_t length = u8(table, at);
        if (length == 0) break;
        const std::uint64_t extent = big ? u32be(table, at + 2) : u32le(table, at + 2);
        visit({.form = big ? Reference::Form::big : Reference::Form::little,
               .place = sector * user_size + at + 2,
               .sector = extent + u8(table, at + 1),
               .folder = true});
        at += 8 + length + length % 2;
    }
}

void tree_references(const ByteSource& user, const Tree& tree, const std::function<void(const Reference&)>& visit) {
    using Form = Reference::Form;
    const Bytes b = sector_at(user, tree.descriptor);
    const std::uint64_t base = tree.descriptor * user_size, size = u32le(b, 132);
    for (const std::size_t at : {140U, 144U}) {
        if (const std::uint64_t sector = u32le(b, at); sector != 0) visit({Form::little, base + at, sector});
        path_table(user, u32le(b, at), size, false, visit);
    }
    for (const std::size_t at : {148U, 152U}) {
        if (const std::uint64_t sector = u32be(b, at); sector != 0) visit({Form::big, base + at, sector});
        path_table(user, u32be(b, at), size, true, visit);
    }
    visit({Form::both, base + 156 + record::extent, u32le(b, 156 + record::extent), true, base + 156 + record::size});
    for (const Entry& entry : tree.entries) {
        if (!entry.directory) continue;
        const Record& folder = entry.records.front();
        each_record(user, folder.extent, folder.size, [&](ByteView bytes, std::uint64_t place) {
            visit({Form::both, place + record::extent, u32le(bytes, record::extent) + u8(bytes, record::attributes),
                   (u8(bytes, record::flags) & record::directory) != 0, place + record::size});
            if (tree.names != Names::rock_ridge) return;
            for (const SystemUse& use : system_use_of(user, bytes, place, tree.skip)) {
                const bool folder_link = use.is("CL") || use.is("PL");
                if ((folder_link && use.bytes.size() >= 12) || (use.is("CE") && use.bytes.size() >= 28))
                    visit({Form::both, use.place + 4, u32le(use.bytes, 4), folder_link, 0});
            }
        });
    }
}

}  // namespace

void each_reference(const ByteSource& user, const Volume& volume, const std::function<void(const Reference&)>& visit) {
    for (const Tree& tree : volume.trees) tree_references(user, tree, visit);
    if (volume.boot_record != 0)
        visit({Reference::Form::little, volume.boot_record * user_size + 0x47, volume.boot_catalogue});
    for (const BootEntry& boot : volume.boots) visit({Reference::Form::little, boot.place, boot.extent});
}

void set_reference(SectorEdits& edits, const Reference& reference, std::uint64_t sector) {
    switch (reference.form) {
        case Reference::Form::little: return edits.set_little(reference.place, sector);
        case Reference::Form::big: return edits.set_big(reference.place, sector);
        case Reference::Form::both: return edits.set_both(reference.place, sector);
    }
}

ChangeList move_sectors(const SharedSource& user, const Volume& volume, std::uint64_t at, std::int64_t count) {
    if (volume.has_udf)
        throw Error(ErrorCode::unsupported, "nothing can be moved on a disc that is described as UDF too")
            .in("UDF")
            .hint("let the file go behind the last one");
    const auto moved = [&](std::uint64_t sector) { return sector + static_cast<std::uint64_t>(count); };
    SectorEdits edits(*user);
    each_reference(*user, volume, [&](const Reference& reference) {
        if (reference.sector >= at) set_reference(edits, reference, moved(reference.sector));
    });
    for (const Tree& tree : volume.trees) edits.set_both(tree.descriptor * user_size + 80, moved(volume.volume_size));
    ChangeList list(user->size());
    edits.tell(list);
    const std::uint64_t bytes = static_cast<std::uint64_t>(count < 0 ? -count : count) * user_size;
    if (count > 0) list.fill(at * user_size, 0, std::byte{0}, bytes);
    if (count < 0) list.fill(at * user_size - bytes, bytes, std::byte{0}, 0);
    return list;
}

std::uint64_t free_place(const ByteSource& user, const Volume& volume) {
    if (volume.cut_files != 0)
        throw Error(ErrorCode::unsupported, "the image is cut short, so nothing can be added behind its end")
            .found(fmt::format("{} past its end", counted(volume.cut_files, "file reaches", "files reach")))
            .hint("get a whole copy of the disc");
    std::uint64_t known = volume.used;
    if (volume.has_udf || !volume.boots.empty()) known = volume.image_sectors;  // what else they use is not known
    const std::uint64_t padding = volume.image_sectors - known;
    const bool free = padding != 0 && padding <= most_padding &&
                      is_filled(user, known * user_size, padding * user_size, std::byte{0});
    return free ? known : std::max(volume.image_sectors, sectors_for(user.size()));
}

void reach(SectorEdits& edits, const ByteSource& user, const Volume& volume, std::uint64_t end) {
    if (end > volume.volume_size)
        for (const Tree& tree : volume.trees) edits.set_both(tree.descriptor * user_size + 80, end);
    if (!volume.has_udf) return;
    const auto udf = read_udf(user);
    if (!udf || end <= udf->partition + udf->partition_length) return;
    for (const std::uint64_t sector : udf->partition_descriptors)
        edits.set_bytes(sector * user_size, udf_partition_with(user, sector, end - udf->partition));
}

void put_sectors(ChangeList& list, const ByteSource& user, std::uint64_t at, const SharedSource& content) {
    const std::uint64_t offset = at * user_size, size = content->size(), whole = sectors_for(size) * user_size;
    const std::uint64_t there = offset >= user.size() ? 0 : std::min(whole, user.size() - offset);
    const auto padded = std::make_shared<JoinedSource>(
        std::vector<SharedSource>{content, std::make_shared<FilledSource>(std::byte{0}, whole - size)});
    // Only what differs, unless that is most of it.
    constexpr std::uint64_t piece = std::uint64_t{1} << 20;
    for (std::uint64_t done = 0; done < there; done += piece) {
        const std::uint64_t part = std::min(piece, there - done);
        const SliceSource before(borrowed(user), offset + done, part), after(padded, done, part);
        const ChangeList within = differences(before, after);
        if (within.splices().size() > 64) {
            list.put_from(offset + done, part, padded, done, part);
            continue;
        }
        for (const Splice& splice : within.splices())
            list.put_from(offset + done + splice.offset, splice.removed, padded, done + splice.offset, splice.removed);
    }
    if (there == whole) return;
    if (offset > user.size()) list.fill(user.size(), 0, std::byte{0}, offset - user.size());
    list.put_from(user.size(), 0, padded, there, whole - there);
}

std::vector<const Entry*> twins_of(const Volume& volume, const Entry& entry) {
    std::vector<const Entry*> all;
    const std::vector<const Entry*> here = sharing(volume.tree(), entry);
    for (std::size_t t = 0; t < volume.trees.size(); ++t) {
        if (t == volume.shown) continue;
        const Tree& tree = volume.trees[t];
        std::vector<const Entry*> there = sharing(tree, entry);
        const auto by_path = [&](const auto& entries, auto&& get) -> const Entry* {
            for (const auto& e : entries)
                if (lower(get(e)->path) == lower(entry.path)) return get(e);
            return nullptr;
        };
        const Entry* twin = nullptr;
        if (there.size() == 1 && here.size() == 1) twin = there.front();
        if (twin == nullptr && !there.empty()) twin = by_path(there, [](const Entry* e) { return e; });
        if (twin == nullptr && there.size() == here.size())
            for (std::size_t i = 0; i < here.size(); ++i)
                if (here[i] == &entry) twin = there[i];
        if (twin == nullptr && there.empty()) twin = by_path(tree.entries, [](const Entry& e) { return &e; });
        if (twin == nullptr)
            throw Error(ErrorCode::unsupported,
                        fmt::format("it cannot be told which {} name belongs to {}",
                                    tree.names == Names::joliet ? "Joliet" : "short", entry.path))
                .in("part");
        all.push_back(twin);
    }
    return all;
}

void check_changeable(const Volume& volume, const Entry& entry) {
    const auto refuse = [&](const char* what) {
        throw Error(ErrorCode::unsupported, fmt::format("{} {}", entry.path, what)).in("part");
    };
    if (volume.block != user_size) refuse("lies on a disc with logical blocks that are no sectors: it is only read");
    if (entry.interleaved) refuse("is interleaved with other files: it is only read");
    if (entry.cut) refuse("lies past the end of the image: the image is cut short");
    if (!entry.link.empty()) refuse("is a symbolic link: there is no content to put in");
}

PutResult put_file(const SharedSource& user, const Volume& volume, const Entry& entry, const SharedSource& content,
                   Room room) {
    check_changeable(volume, entry);
    const bool shared = sharing(volume.tree(), entry).size() > 1;
    const std::uint64_t need = sectors_for(content->size()), have = capacity_of(entry);
    const Putting putting{user, volume, entry, content};
    const bool fits = need <= have && entry.in_one_piece() && !shared;
    if (fits && (room != Room::rebuild || need == have || volume.has_udf))
        return putting.at(entry.records.front().extent, false, false);
    if (room == Room::place) does_not_fit(entry, content->size(), shared);
    if (room != Room::rebuild || shared || entry.size == 0 || !entry.in_one_piece())
        return putting.at(free_place(*user, volume), true, shared);
    // What follows moves; then it fits.
    const std::uint64_t end = entry.records.front().extent + have;
    const auto moved = static_cast<std::int64_t>(need) - static_cast<std::int64_t>(have);
    if (moved < 0) {
        PutResult first = putting.at(entry.records.front().extent, false, false);
        const auto made = std::make_shared<ChangedSource>(user, first.change);
        first.change = first.change.then(move_sectors(made, read_volume(*made), end, moved));
        first.how = "rebuilt";
        return first;
    }
    const ChangeList shift = move_sectors(user, volume, end, moved);
    const auto made = std::make_shared<ChangedSource>(user, shift);
    const Volume there = read_volume(*made);
    const auto same = std::find_if(there.tree().entries.begin(), there.tree().entries.end(),
                                   [&](const Entry& e) { return e.path == entry.path; });
    if (same == there.tree().entries.end()) throw Error(ErrorCode::unsupported, "the disc cannot be rebuilt");
    PutResult result = Putting{made, there, *same, content}.at(same->records.front().extent, false, false);
    result.change = shift.then(result.change);
    result.how = "rebuilt";
    result.moved_sectors = static_cast<std::uint64_t>(moved);
    return result;
}

}  // namespace hotstitch::disc
