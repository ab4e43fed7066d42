// SPDX-License-Identifier: MIT
// A file that fits between its place and what follows stays there. One that does not goes behind everything else, or
// into the first gap that takes it; asked to, what follows moves. All that is changed in one call is one new layout of
// table, names and files, and is read again by the reader before it is made. Tested by tests/part/table_disc_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <unordered_set>

#include "base/letters.h"
#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/table_disc/game_header.h"
#include "part/table_disc/numbers.h"
#include "part/table_disc/table_volume.h"
#include "source/stretch.h"
#include "source/whole.h"

namespace hotstitch::table_disc {
namespace {

constexpr std::uint64_t streamed = 0x8000;  ///< what files that are streamed are aligned to

/// The old place's power of two, between what offsets can say and what is streamed.
std::uint64_t alignment_of(std::uint64_t offset) {
    constexpr std::uint64_t least = 4;
    return offset == 0 ? least : std::clamp(std::uint64_t{1} << std::countr_zero(offset), least, streamed);
}

/// The blocks of `content` that differ from what stands at `at`, and all behind the data's end.
void put_differing(ChangeList& list, const ByteSource& data, std::uint64_t at, const SharedSource& content) {
    constexpr std::uint64_t step = 64 << 10;
    Bytes one(step), two(step);
    const std::uint64_t common = at < data.size() ? std::min(content->size(), data.size() - at) : 0;
    for (std::uint64_t done = 0; done < common;) {
        std::uint64_t length = 0, begin = done;
        const auto differs = [&](std::uint64_t from, std::size_t size) {
            const ByteView a = data.read(at + from, size, one), b = content->read(from, size, two);
            return !std::equal(a.begin(), a.end(), b.begin());
        };
        while (done < common) {
            const auto size = static_cast<std::size_t>(std::min(step, common - done));
            const bool other = differs(done, size);
            done += size;
            if (!other) break;
            length = done - begin;
        }
        if (length != 0) list.put_from(at + begin, length, content, begin, length);
    }
    if (common < content->size())
        list.put_from(std::min(at + common, data.size()), 0, content, common, content->size() - common);
}

/// What differs of a few bytes.
std::uint64_t put_small(ChangeList& list, const ByteSource& data, std::uint64_t at, ByteView now) {
    const Bytes before = stretch_of(data, at, now.size());
    std::uint64_t count = 0;
    for (std::size_t i = 0; i < now.size();) {
        std::size_t end = i;
        while (end < now.size() && before[end] != now[end]) ++end;
        if (end != i)
            list.put(
                at + i, end - i,
                Bytes(now.begin() + static_cast<std::ptrdiff_t>(i), now.begin() + static_cast<std::ptrdiff_t>(end)));
        count += end - i;
        i = std::max(end, i + 1);
    }
    return count;
}

}  // namespace

void TableVolume::refuse_broken() const {
    if (!table_.warnings.empty())
        throw Error(ErrorCode::damaged, "the table of files contradicts itself, so it is not laid out anew")
            .in("file table")
            .found(table_.warnings.front())
            .hint("files that are there can be replaced");
}

/// A volume as it will be: entries and header are changed, contents are noted with their places, and all is written
/// down at once. A place that becomes free is not used again by the same change, so no two contents overlap.
class TableVolume::Layout {
public:
    explicit Layout(const TableVolume& volume)
        : volume_(volume), header_(volume.header_), entries_(volume.table_.entries), used_(volume.used_) {}

    PutResult put(std::string_view name, const SharedSource& content, Room room);
    PutResult add(std::string_view name, const SharedSource& content);
    PutResult remove(std::string_view name);

    /// Everything written down; `told` gets the bytes of header and table that follow.
    ChangeList finish(PutResult& told);

    void set_place(std::size_t owner, std::uint64_t offset, std::uint64_t size);
    void note(std::uint64_t at, const SharedSource& content, std::uint64_t behind);
    bool is_free(std::uint64_t begin, std::uint64_t end, std::size_t but) const {
        return std::none_of(used_.begin(), used_.end(),
                            [&](const Used& u) { return u.owner != but && u.begin < end && begin < u.end; });
    }

private:
    struct Noted {
        std::uint64_t at;
        SharedSource content;
    };

    Entry& entry(std::size_t id) {
        return *std::find_if(entries_.begin(), entries_.end(), [&](const Entry& e) { return e.id == id; });
    }
    PutResult put_header(const SharedSource& content);
    PutResult move_away(const Place& place, const SharedSource& content, std::string_view name, bool shared);
    std::optional<std::uint64_t> free_place(std::uint64_t size, std::uint64_t alignment) const;
    void place_table(PutResult& told);
    /// From now on the place of `owner` is this one; what it leaves stays untouched.
    void use(std::size_t owner, std::uint64_t begin, std::uint64_t end) {
        for (Used& u : used_)
            if (u.owner == owner) u.owner = former_owner;
        if (begin != end) used_.push_back({begin, end, owner});
    }

    const TableVolume& volume_;
    Bytes header_;
    std::vector<Entry> entries_;
    std::vector<Used> used_;
    std::vector<Noted> noted_;
    bool other_names_ = false;  ///< the table has to be written anew
    std::size_t next_id_ = no_entry / 2;
};

/// Behind everything or, where the disc ends before, in the first gap.
std::optional<std::uint64_t> TableVolume::Layout::free_place(std::uint64_t size, std::uint64_t alignment) const {
    std::vector<Used> used = used_;
    std::sort(used.begin(), used.end(), [](const Used& a, const Used& b) { return a.begin < b.begin; });
    std::uint64_t last = 0;
    for (const Used& u : used) last = std::max(last, u.end);
    const std::uint64_t behind = up_to(last, alignment);
    if (behind <= volume_.most_ && size <= volume_.most_ - behind) return behind;
    std::uint64_t end = header::end;
    for (const Used& u : used) {
        const std::uint64_t begin = up_to(end, alignment);
        if (begin < u.begin && size <= u.begin - begin) return begin;
        end = std::max(end, u.end);
    }
    return std::nullopt;
}

/// What the owner's content is said to be, and where.
void TableVolume::Layout::set_place(std::size_t owner, std::uint64_t offset, std::uint64_t size) {
    const unsigned shift = volume_.shift_;
    if (owner == program_owner) return set_big(header_, header::program, offset >> shift);
    if (owner == table_owner) {
        const std::uint64_t stored = up_to(size, std::uint64_t{1} << shift) >> shift;
        set_big(header_, header::table, offset >> shift);
        set_big(header_, header::table_size, stored);
        if (stored > u32be(header_, header::table_most)) set_big(header_, header::table_most, stored);
        return;
    }
    if (owner >= first_own_owner) return;
    Entry& e = entry(owner);
    e.offset = offset, e.size = size;
}

/// `behind`: bytes that are no longer used behind it, which become zeros.
void TableVolume::Layout::note(std::uint64_t at, const SharedSource& content, std::uint64_t behind) {
    SharedSource all = content;
    if (behind != 0)
        all = std::make_shared<JoinedSource>(
            std::vector<SharedSource>{content, std::make_shared<FilledSource>(std::byte{0}, behind)});
    if (all->size() != 0) noted_.push_back({at, std::move(all)});
}

/// A header from elsewhere does not say where things are on this disc.
PutResult TableVolume::Layout::put_header(const SharedSource& content) {
    if (content->size() != header::end)
        throw Error(ErrorCode::usage, "sys/header has a fixed size")
            .in("part")
            .wanted(counted(header::end, "byte", "bytes"))
            .found(counted(content->size(), "byte", "bytes"));
    Bytes now = stretch_of(*content, 0, header::end);
    PutResult result{ChangeList(0)};
    for (const std::uint64_t field : {header::program, header::table, header::table_size, header::table_most}) {
        if (u32be(now, field) == u32be(volume_.header_, field)) {
            set_big(now, field, u32be(header_, field));
            continue;
        }
        set_big(now, field, u32be(header_, field));
        if (result.warnings.empty())
            result.warnings.emplace_back("it says other places of program and table, which stay as they are here");
    }
    header_ = std::move(now);
    result.how = "in-place";
    return result;
}

PutResult TableVolume::Layout::put(std::string_view name, const SharedSource& content, Room room) {
    const Place place = volume_.place_of(name);
    const std::uint64_t size = content->size();
    if (size > UINT32_MAX)
        throw Error(ErrorCode::unsupported, "the table of files holds no sizes of 4 GiB and more").in("part");
    if (place.owner == header_owner) return put_header(content);
    if (place.owner == program_owner && size < 0x100)
        throw Error(ErrorCode::usage, "the main program has to be a .dol, and is shorter than its header").in("part");
    if (place.owner == table_owner)
        (void)parse_table(stretch_of(*content, 0, std::min(size, largest_table)), volume_.shift_);
    const bool there = place.size != 0 && volume_.slice(place.offset, place.size) != nullptr;
    const bool shared =
        place.owner < first_own_owner && std::any_of(used_.begin(), used_.end(), [&](const Used& u) {
            return u.owner != place.owner && u.begin < place.offset + place.size && place.offset < u.end;
        });
    const std::uint64_t reach = std::max(size, place.size);
    const bool in_place = there && !shared && place.offset + size <= volume_.most_ &&
                          (size <= place.size || is_free(place.offset, place.offset + reach, place.owner));
    PutResult result{ChangeList(0)};
    if (in_place || size == 0) {
        if (there && !shared) note(place.offset, content, size < place.size ? place.size - size : 0);
        set_place(place.owner, size == 0 && !there ? 0 : place.offset, size);
        if (in_place && size > place.size) use(place.owner, place.offset, place.offset + size);
        result.how = "in-place";
        if (place.owner == loader_owner && size > place.size) result.warnings.emplace_back("the loader has grown");
        return result;
    }
    if (place.owner == loader_owner || room == Room::place)
        throw Error(ErrorCode::usage, fmt::format("{} does not fit in its place", name))
            .in("part")
            .wanted(fmt::format("at most {}", counted(volume_.next_used(place) - place.offset, "byte", "bytes")))
            .found(counted(size, "byte", "bytes"))
            .hint(room == Room::place ? "let it go behind all others (room append)" : "");
    return move_away(place, content, name, shared);
}

PutResult TableVolume::Layout::move_away(const Place& place, const SharedSource& content, std::string_view name,
                                         bool shared) {
    const std::uint64_t size = content->size();
    const auto at = free_place(size, alignment_of(place.offset));
    if (!at)
        throw Error(ErrorCode::unsupported, fmt::format("there is no place for {} on the disc", name))
            .in("part")
            .wanted(counted(size, "byte", "bytes"))
            .found(fmt::format("{} behind its last file",
                               counted(volume_.most_ - std::min(volume_.most_, volume_.used_end()), "byte", "bytes")))
            .hint("make it smaller, or remove a file that is not needed");
    note(*at, content, 0);
    set_place(place.owner, *at, size);
    use(place.owner, *at, *at + size);
    PutResult result{ChangeList(0)};
    result.how = "moved";
    result.from = place.offset, result.to = *at;
    if (shared) result.warnings.push_back(fmt::format("{} shared its place with another file, which stays", name));
    return result;
}

PutResult TableVolume::Layout::add(std::string_view name, const SharedSource& content) {
    volume_.refuse_broken();
    if (!name.starts_with(in_files))
        throw Error(ErrorCode::usage, "new files lie below files/").in("part").found(std::string(name));
    const std::uint64_t size = content->size();
    if (size > UINT32_MAX)
        throw Error(ErrorCode::unsupported, "the table of files holds no sizes of 4 GiB and more").in("part");
    const std::size_t index = insert_file(entries_, name.substr(in_files.size()));
    other_names_ = true;
    constexpr std::uint64_t alignment = 32;  // what the console reads at once
    const auto at = size == 0 ? std::optional<std::uint64_t>(0) : free_place(size, alignment);
    if (!at)
        throw Error(ErrorCode::unsupported, fmt::format("there is no place for {} on the disc", name))
            .in("part")
            .wanted(counted(size, "byte", "bytes"));
    const std::size_t id = next_id_++;
    entries_[index].offset = *at, entries_[index].size = size, entries_[index].id = id;
    note(*at, content, 0);
    if (size != 0) used_.push_back({*at, *at + size, id});
    PutResult result{ChangeList(0)};
    result.how = "added";
    result.to = *at;
    return result;
}

/// Its bytes stay on the disc until something takes their place.
PutResult TableVolume::Layout::remove(std::string_view name) {
    volume_.refuse_broken();
    const Place place = volume_.place_of(name);
    if (place.owner >= first_own_owner)
        throw Error(ErrorCode::usage, fmt::format("{} is what every disc has", name)).in("part");
    erase_file(entries_, static_cast<std::size_t>(&entry(place.owner) - entries_.data()));
    other_names_ = true;
    use(place.owner, 0, 0);
    PutResult result{ChangeList(0)};
    result.how = "removed";
    result.from = place.offset;
    return result;
}

/// The table with other names: in its place where it fits, else behind all others.
void TableVolume::Layout::place_table(PutResult& told) {
    Bytes table = build_table(entries_, volume_.shift_);
    table.resize(static_cast<std::size_t>(up_to(table.size(), std::uint64_t{1} << volume_.shift_)));
    const std::uint64_t size = table.size(), old = volume_.table_bytes_.size();
    std::uint64_t at = volume_.table_at_;
    if (size > old && !is_free(at, at + size, table_owner)) {
        const auto free = free_place(size, alignment_of(at));
        if (!free)
            throw Error(ErrorCode::unsupported, "there is no place on the disc for a larger table of files").in("part");
        at = *free;
        told.warnings.emplace_back("the table of files has moved, as it no longer fits in its place");
    }
    set_place(table_owner, at, size);
    told.mended = told.mended.value_or(0) + size;
    note(at, owned(std::move(table)), at == volume_.table_at_ && size < old ? old - size : 0);
}

ChangeList TableVolume::Layout::finish(PutResult& told) {
    ChangeList list(volume_.data_->size());
    if (other_names_) {
        place_table(told);
    } else {
        // Places and sizes where they stand; names stay as they are stored.
        Bytes table = volume_.table_bytes_;
        bool noted = false;  // as a file of its own, which says all itself
        for (const Noted& one : noted_) noted = noted || one.at == volume_.table_at_;
        for (std::size_t i = 1; i < entries_.size() && !noted; ++i) {
            const Entry &e = entries_[i], &was = volume_.table_.entries[i];
            if (e.folder || (e.offset == was.offset && e.size == was.size)) continue;
            set_big(table, entry_size * i + 4, e.offset >> volume_.shift_);
            set_big(table, entry_size * i + 8, e.size);
        }
        if (!noted) told.mended = told.mended.value_or(0) + put_small(list, *volume_.data_, volume_.table_at_, table);
    }
    told.mended = told.mended.value_or(0) + put_small(list, *volume_.data_, 0, header_);
    std::sort(noted_.begin(), noted_.end(), [](const Noted& a, const Noted& b) { return a.at < b.at; });
    std::uint64_t end = volume_.data_->size();
    for (const Noted& one : noted_) {
        if (one.at > end) list.fill(volume_.data_->size(), 0, std::byte{0}, one.at - end);
        put_differing(list, *volume_.data_, one.at, one.content);
        end = std::max(end, one.at + one.content->size());
    }
    return list;
}

PutResult TableVolume::put(std::string_view name, const SharedSource& content, Room room) const {
    const Place place = place_of(name);
    const bool there = place.size != 0 && slice(place.offset, place.size) != nullptr;
    const bool shared = std::any_of(used_.begin(), used_.end(), [&](const Used& u) {
        return u.owner != place.owner && u.begin < place.offset + place.size && place.offset < u.end;
    });
    const bool grows = !shared && content->size() > place.size && next_used(place) - place.offset < content->size();
    if (room == Room::rebuild && there && grows && place.owner < first_own_owner) return move_behind(place, content);
    PartChanges made = change({{std::string(name), content}}, room);
    PutResult result = std::move(made.parts.front());
    result.change = std::move(made.change);
    return result;
}

PartChanges TableVolume::change(const std::vector<PartChange>& changes, Room room) const {
    Layout layout(*this);
    PartChanges made;
    for (const PartChange& change : changes)
        made.parts.push_back(change.content == nullptr ? layout.remove(change.name)
                             : change.add              ? layout.add(change.name, change.content)
                                                       : layout.put(change.name, change.content, room));
    made.change = layout.finish(made.parts.front());
    for (PutResult& part : made.parts)
        if (!part.mended) part.mended = 0;
    check_result(made.change, changes);
    return made;
}

/// Read again as any disc is, before it is called made.
void TableVolume::check_result(const ChangeList& change, const std::vector<PartChange>& changes) const {
    const auto refuse = [](std::string_view name) {
        return Error(ErrorCode::wrong_target, "the disc would not read back as it should, so it is not made")
            .in("part")
            .found(std::string(name));
    };
    const auto table = std::find_if(changes.begin(), changes.end(),
                                    [](const PartChange& c) { return c.name == "sys/file-table" && c.content; });
    if (table != changes.end()) return;  // whoever brings another table says what is where
    const TableVolume after(std::make_shared<ChangedSource>(data_, change), shift_, most_);
    if (after.warnings().size() > warnings().size()) throw refuse(after.warnings().back());
    // Names are told without regard to case; of those in another character set, the number alone.
    const auto is_plain = [](std::string_view name) {
        return std::all_of(name.begin(), name.end(), [](char c) { return static_cast<unsigned char>(c) < 0x80; });
    };
    std::unordered_map<std::string, const Entry*> found;
    for (const Entry& e : after.entries())
        if (!e.folder) found.emplace(lower(e.path), &e);
    std::size_t files = by_path_.size();
    std::unordered_set<std::string> changed;
    for (const PartChange& one : changes) {
        if (!one.name.starts_with(in_files)) continue;
        const std::string path = lower(std::string_view(one.name).substr(in_files.size()));
        changed.insert(path);
        if (one.add) ++files;
        if (one.content == nullptr) --files;
        const auto now = found.find(path);
        if (one.content == nullptr ? now != found.end()
                                   : is_plain(path) && (now == found.end() || now->second->size != one.content->size()))
            throw refuse(one.name);
    }
    if (after.by_path_.size() != files) throw refuse("the names of its files");
    for (const Entry& e : table_.entries) {
        if (e.folder || changed.contains(lower(e.path))) continue;
        const auto now = found.find(lower(e.path));
        if (now == found.end() || now->second->offset != e.offset || now->second->size != e.size) throw refuse(e.path);
    }
}

/// What lies behind the file moves by so many whole streaming blocks that it fits; padding at the disc's end goes.
PutResult TableVolume::move_behind(const Place& place, const SharedSource& content) const {
    const std::uint64_t next = next_used(place), room = next - place.offset, size = content->size();
    const std::uint64_t by = up_to(size - std::min(size, room), streamed), end = used_end();
    if (next == most_ || next >= data_->size())
        throw Error(ErrorCode::unsupported, "nothing lies behind the file that could move, and the disc ends")
            .in("part");
    const std::uint64_t total = data_->size() + by, slack = data_->size() - std::min(end, data_->size()),
                        excess = slack >= by     ? by
                                 : total > most_ ? total - most_
                                                 : 0;
    if (excess > slack)
        throw Error(ErrorCode::unsupported, "the disc has no room for the file")
            .in("part")
            .wanted(counted(by, "byte", "bytes"))
            .found(fmt::format("{} behind its last file", counted(slack, "byte", "bytes")));
    Layout layout(*this);
    for (const Used& u : used_)
        if (u.begin >= next) layout.set_place(u.owner, u.begin + by, u.end - u.begin);
    layout.set_place(place.owner, place.offset, size);
    const bool table_moves = table_at_ >= next;
    if (table_moves)
        throw Error(ErrorCode::unsupported, "the table of files lies behind the file, and would move with it")
            .in("part");
    PutResult result{ChangeList(0)};
    ChangeList list = layout.finish(result);
    list.put_from(place.offset, next - place.offset, content, 0, size);
    list.fill(next, 0, std::byte{0}, room + by - size);
    if (excess != 0) list.fill(data_->size() - excess, excess, std::byte{0}, 0);
    result.change = std::move(list);
    result.how = "rebuilt";
    result.from = result.to = place.offset;
    constexpr std::uint64_t sector = 2048;
    result.moved_sectors = by / sector;
    return result;
}

}  // namespace hotstitch::table_disc
