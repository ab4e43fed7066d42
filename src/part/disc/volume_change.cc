// SPDX-License-Identifier: MIT
// A file that fits stays in its sectors. One that does not goes behind everything else, or everything behind it moves;
// the latter is a move of sectors, after which it fits. Tested by tests/part/disc_test.cc.
#include "part/disc/volume_change.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <utility>

#include "base/letters.h"
#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/disc/udf.h"

namespace hotstitch::disc {
namespace {

constexpr std::uint64_t largest_extent = 0xFFFFF800;  ///< in whole sectors

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

/// Files of one volume that get other content, all in one change.
class Putting {
public:
    Putting(const SharedSource& user, const Volume& volume)
        : user_(user), volume_(volume), edits_(*user), list_(user->size()) {}

    PutResult in_place(const Entry& entry, const SharedSource& content) {
        return at(entry, content, entry.records.front().extent, false, false);
    }
    PutResult behind_all(const Entry& entry, const SharedSource& content, bool shared) {
        if (!free_) free_ = free_place(*user_, volume_);
        return at(entry, content, *std::exchange(free_, *free_ + sectors_for(content->size())), true, shared);
    }

    /// All of it. What the volume's own size takes is counted with the last file.
    ChangeList change(PutResult& last) {
        const std::uint64_t before = edits_.differing();
        // A second anchor stands in the last sector, so there has to be one behind what is added.
        const bool anchored = volume_.has_udf && end_ > volume_.image_sectors && ends_with_anchor(*user_);
        reach(edits_, *user_, volume_, anchored ? end_ + 1 : end_);
        *last.mended += edits_.differing() - before;
        edits_.tell(list_);
        if (anchored) list_.put(user_->size(), 0, udf_anchor_for(*user_, end_));
        return std::move(list_);
    }

private:
    PutResult at(const Entry& entry, const SharedSource& content, std::uint64_t extent, bool moved, bool shared) {
        PutResult result{ChangeList(user_->size())};
        const std::uint64_t size = content->size(), from = entry.records.front().extent, before = edits_.differing();
        follow_udf(edits_, user_, volume_, entry, extent, size, shared);
        std::vector<std::uint64_t> old;
        std::vector<const Entry*> all = twins_of(volume_, entry);
        all.push_back(&entry);
        if (moved || size != entry.size)
            for (const Entry* one : all)
                set_records(edits_, *one, moved ? std::optional(extent) : std::nullopt, size, old);
        if (moved && !shared && entry.size != 0) follow_boot(edits_, volume_, from, extent);
        end_ = std::max(end_, extent + sectors_for(size));
        put_sectors(list_, *user_, extent, content);
        result.mended = edits_.differing() - before;
        result.how = moved ? "moved" : "in-place";
        if (entry.size != 0) result.from = from * user_size;
        result.to = extent * user_size;
        return result;
    }

    const SharedSource& user_;
    const Volume& volume_;
    SectorEdits edits_;
    ChangeList list_;
    std::optional<std::uint64_t> free_{};  ///< the sector where the next file goes that is moved
    std::uint64_t end_ = 0;                ///< of all that was put so far, in sectors
};

[[noreturn]] void does_not_fit(const Entry& entry, std::uint64_t size, bool shared) {
    throw Error(ErrorCode::usage, shared ? fmt::format("{} shares its place with another file", entry.path)
                                         : fmt::format("{} does not fit where the old one is", entry.path))
        .in("room")
        .as(ErrorId::needs_room)
        .wanted(fmt::format("at most {}", counted(capacity_of(entry) * user_size, "byte", "bytes")))
        .found(counted(size, "byte", "bytes"))
        .hint("let it go behind the last file (room: append), or move what follows it (room: rebuild)");
}

}  // namespace

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

std::vector<PutResult> put_files(const SharedSource& user, const Volume& volume, const std::vector<OtherContent>& files,
                                 Room room, ChangeList& change) {
    Putting putting(user, volume);
    std::vector<PutResult> results;
    for (const auto& [entry, content] : files) {
        check_changeable(volume, *entry);
        const bool shared = sharing(volume.tree(), *entry).size() > 1;
        const bool fits = sectors_for(content->size()) <= capacity_of(*entry) && entry->in_one_piece() && !shared;
        if (!fits && room == Room::place) does_not_fit(*entry, content->size(), shared);
        results.push_back(fits ? putting.in_place(*entry, content) : putting.behind_all(*entry, content, shared));
    }
    change = putting.change(results.back());
    return results;
}

PutResult put_file(const SharedSource& user, const Volume& volume, const Entry& entry, const SharedSource& content,
                   Room room) {
    check_changeable(volume, entry);
    const bool shared = sharing(volume.tree(), entry).size() > 1;
    const std::uint64_t need = sectors_for(content->size()), have = capacity_of(entry);
    const bool stays = need == have || volume.has_udf;
    const bool fits = need <= have && entry.in_one_piece() && !shared;
    if (room != Room::rebuild || (fits && stays) || shared || entry.size == 0 || !entry.in_one_piece()) {
        ChangeList change;
        PutResult result = put_files(user, volume, {{&entry, content}}, room, change).front();
        result.change = std::move(change);
        return result;
    }
    // What follows moves; then it fits.
    const auto alone = [&](const SharedSource& in, const Volume& of, const Entry& what) {
        Putting putting(in, of);
        PutResult result = putting.in_place(what, content);
        result.change = putting.change(result);
        return result;
    };
    const std::uint64_t end = entry.records.front().extent + have;
    const auto moved = static_cast<std::int64_t>(need) - static_cast<std::int64_t>(have);
    if (moved < 0) {
        PutResult first = alone(user, volume, entry);
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
    PutResult result = alone(made, there, *same);
    result.change = shift.then(result.change);
    result.how = "rebuilt";
    result.moved_sectors = static_cast<std::uint64_t>(moved);
    return result;
}

}  // namespace hotstitch::disc
