// SPDX-License-Identifier: MIT
// A file that fits between its place and what follows stays there. One that does not goes behind everything else, or
// into the first gap that takes it; asked to, what follows moves. Tested by tests/table_disc_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <bit>

#include "field/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/words.h"
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

/// Behind everything or, where the disc ends before, in the first gap.
std::optional<std::uint64_t> TableVolume::free_place(std::uint64_t size, std::uint64_t alignment,
                                                     const std::optional<Used>& taken) const {
    std::vector<Used> used = used_;
    if (taken) used.push_back(*taken);
    std::sort(used.begin(), used.end(), [](const Used& a, const Used& b) { return a.begin < b.begin; });
    const std::uint64_t behind = up_to(std::max(used_end(), taken ? taken->end : 0), alignment);
    if (behind <= most_ && size <= most_ - behind) return behind;
    std::uint64_t end = header::end;
    for (const Used& u : used) {
        const std::uint64_t begin = up_to(end, alignment);
        if (begin < u.begin && size <= u.begin - begin) return begin;
        end = std::max(end, u.end);
    }
    return std::nullopt;
}

void TableVolume::refuse_broken() const {
    if (!table_.warnings.empty())
        throw Error(ErrorCode::damaged, "the table of files contradicts itself, so it is not laid out anew")
            .in("file table")
            .found(table_.warnings.front())
            .hint("files that are there can be replaced");
}

/// What a change is made of: content in its place, then the table and the header where they differ.
class TableVolume::Changing {
public:
    explicit Changing(const TableVolume& volume)
        : volume_(volume),
          header_(volume.header_),
          table_(volume.table_bytes_),
          list_(volume.data_->size()),
          end_(volume.data_->size()) {}

    void set_entry(std::size_t index, std::uint64_t offset, std::uint64_t size) {
        set_big(table_, entry_size * index + 4, offset >> volume_.shift_);
        set_big(table_, entry_size * index + 8, size);
    }
    void set_header(std::uint64_t field, std::uint64_t offset) { set_big(header_, field, offset >> volume_.shift_); }
    ChangeList& list() { return list_; }

    /// What the owner's content is said to be, and where.
    void set_place(std::size_t owner, std::uint64_t offset, std::uint64_t size) {
        if (owner == program_owner) return set_header(header::program, offset);
        if (owner == table_owner) {
            set_header(header::table, offset);
            set_header(header::table_size, up_to(size, std::uint64_t{1} << volume_.shift_));
            const std::uint64_t stored = up_to(size, std::uint64_t{1} << volume_.shift_) >> volume_.shift_;
            if (stored > u32be(header_, header::table_most)) set_big(header_, header::table_most, stored);
            return;
        }
        if (owner < header_owner) set_entry(owner, offset, size);
    }

    /// `behind`: bytes that are no longer used behind it, which become zeros.
    void write(std::uint64_t at, const SharedSource& content, std::uint64_t behind) {
        SharedSource all = content;
        if (behind != 0)
            all = std::make_shared<JoinedSource>(
                std::vector<SharedSource>{content, std::make_shared<FilledSource>(std::byte{0}, behind)});
        // What is written behind the data's end follows what was written there before.
        if (at > end_) list_.fill(volume_.data_->size(), 0, std::byte{0}, at - end_);
        if (all->size() != 0) put_differing(list_, *volume_.data_, at, all);
        end_ = std::max(end_, at + all->size());
    }

    /// Another table, instead of changes of the present one.
    void write_table(std::uint64_t at, const SharedSource& table, std::uint64_t behind) {
        write(at, table, behind);
        table_.clear();
    }

    PutResult finish() {
        std::uint64_t mended = put_small(list_, *volume_.data_, 0, header_);
        if (!table_.empty()) mended += put_small(list_, *volume_.data_, volume_.table_at_, table_);
        PutResult result(std::move(list_));
        result.mended = mended;
        return result;
    }

private:
    const TableVolume& volume_;
    Bytes header_, table_;
    ChangeList list_;
    std::uint64_t end_;  ///< of the data as they are by now
};

/// A header from elsewhere does not say where things are on this disc.
PutResult TableVolume::put_header(const SharedSource& content) const {
    if (content->size() != header::end)
        throw Error(ErrorCode::usage, "sys/header has a fixed size")
            .in("part")
            .wanted(counted(header::end, "byte", "bytes"))
            .found(counted(content->size(), "byte", "bytes"));
    Bytes now = stretch_of(*content, 0, header::end);
    PutResult result{ChangeList(data_->size())};
    for (const std::uint64_t field : {header::program, header::table, header::table_size, header::table_most}) {
        if (u32be(now, field) == u32be(header_, field)) continue;
        set_big(now, field, u32be(header_, field));
        if (result.warnings.empty())
            result.warnings.emplace_back("it says other places of program and table, which stay as they are here");
    }
    put_small(result.change, *data_, 0, now);
    result.how = "in-place";
    result.mended = 0;
    return result;
}

PutResult TableVolume::put(std::string_view name, const SharedSource& content, Room room) const {
    const Place place = place_of(name);
    const std::uint64_t size = content->size();
    if (size > UINT32_MAX)
        throw Error(ErrorCode::unsupported, "the table of files holds no sizes of 4 GiB and more").in("part");
    if (place.owner == header_owner) return put_header(content);
    if (place.owner == program_owner && size < 0x100)
        throw Error(ErrorCode::usage, "the main program has to be a .dol, and is shorter than its header").in("part");
    if (place.owner == table_owner) (void)parse_table(stretch_of(*content, 0, std::min(size, largest_table)), shift_);
    Changing change(*this);
    const bool there = place.size != 0 && slice(place.offset, place.size) != nullptr;
    const bool shared =
        place.owner < header_owner && std::any_of(used_.begin(), used_.end(), [&](const Used& u) {
            return u.owner != place.owner && u.begin < place.offset + place.size && place.offset < u.end;
        });
    const std::uint64_t reach = std::max(size, place.size);
    const bool in_place = there && !shared && place.offset + size <= most_ &&
                          (size <= place.size || is_free(place.offset, place.offset + reach, place.owner));
    if (in_place || size == 0) {
        if (there && !shared) change.write(place.offset, content, size < place.size ? place.size - size : 0);
        change.set_place(place.owner, size == 0 && !there ? 0 : place.offset, size);
        PutResult result = change.finish();
        result.how = "in-place";
        if (place.owner == loader_owner && size > place.size) result.warnings.emplace_back("the loader has grown");
        return result;
    }
    if (place.owner == loader_owner || room == Room::place)
        throw Error(ErrorCode::usage, fmt::format("{} does not fit in its place", name))
            .in("part")
            .wanted(fmt::format("at most {}", counted(next_used(place) - place.offset, "byte", "bytes")))
            .found(counted(size, "byte", "bytes"))
            .hint(room == Room::place ? "let it go behind all others (room append)" : "");
    if (room == Room::rebuild && there && !shared && place.owner < header_owner) return move_behind(place, content);
    const auto at = free_place(size, alignment_of(place.offset), {});
    if (!at)
        throw Error(ErrorCode::unsupported, fmt::format("there is no place for {} on the disc", name))
            .in("part")
            .wanted(counted(size, "byte", "bytes"))
            .found(
                fmt::format("{} behind its last file", counted(most_ - std::min(most_, used_end()), "byte", "bytes")))
            .hint("make it smaller, or remove a file that is not needed");
    change.write(*at, content, 0);
    change.set_place(place.owner, *at, size);
    PutResult result = change.finish();
    result.how = "moved";
    result.from = place.offset, result.to = *at;
    if (shared) result.warnings.push_back(fmt::format("{} shared its place with another file, which stays", name));
    return result;
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
    Changing change(*this);
    for (const Used& u : used_)
        if (u.begin >= next) change.set_place(u.owner, u.begin + by, u.end - u.begin);
    change.set_place(place.owner, place.offset, size);
    ChangeList& list = change.list();
    list.put_from(place.offset, next - place.offset, content, 0, size);
    list.fill(next, 0, std::byte{0}, room + by - size);
    if (excess != 0) list.fill(data_->size() - excess, excess, std::byte{0}, 0);
    const bool table_moves = table_at_ >= next;
    if (table_moves)
        throw Error(ErrorCode::unsupported, "the table of files lies behind the file, and would move with it")
            .in("part");
    PutResult result = change.finish();
    result.how = "rebuilt";
    result.from = result.to = place.offset;
    constexpr std::uint64_t sector = 2048;
    result.moved_sectors = by / sector;
    return result;
}

PutResult TableVolume::with_entries(const std::vector<Entry>& entries, Changing& change,
                                    const std::optional<Used>& taken) const {
    Bytes table = build_table(entries, shift_);
    const std::uint64_t unit = std::uint64_t{1} << shift_;
    table.resize(static_cast<std::size_t>(up_to(table.size(), unit)));
    const std::uint64_t size = table.size(), old = table_bytes_.size();
    std::uint64_t at = table_at_;
    if (size > old && !is_free(at, at + size, table_owner)) {
        const auto free = free_place(size, alignment_of(at), taken);
        if (!free)
            throw Error(ErrorCode::unsupported, "there is no place on the disc for a larger table of files").in("part");
        at = *free;
    }
    change.set_place(table_owner, at, size);
    change.write_table(at, owned(std::move(table)), size < old ? old - size : 0);
    PutResult result = change.finish();
    if (at != table_at_)
        result.warnings.emplace_back("the table of files has moved, as it no longer fits in its place");
    return result;
}

PutResult TableVolume::add(std::string_view name, const SharedSource& content) const {
    refuse_broken();
    if (!name.starts_with(in_files))
        throw Error(ErrorCode::usage, "new files lie below files/").in("part").found(std::string(name));
    const std::uint64_t size = content->size();
    if (size > UINT32_MAX)
        throw Error(ErrorCode::unsupported, "the table of files holds no sizes of 4 GiB and more").in("part");
    std::vector<Entry> entries = table_.entries;
    const std::size_t index = insert_file(entries, name.substr(in_files.size()));
    constexpr std::uint64_t alignment = 32;  // what the console reads at once
    const auto at = size == 0 ? std::optional<std::uint64_t>(0) : free_place(size, alignment, {});
    if (!at)
        throw Error(ErrorCode::unsupported, fmt::format("there is no place for {} on the disc", name))
            .in("part")
            .wanted(counted(size, "byte", "bytes"));
    entries[index].offset = *at, entries[index].size = size;
    Changing change(*this);
    if (size != 0) change.write(*at, content, 0);
    PutResult result = with_entries(entries, change, Used{*at, *at + size, index});
    result.how = "added";
    result.to = *at;
    return result;
}

/// Its bytes stay on the disc until something takes their place.
PutResult TableVolume::remove(std::string_view name) const {
    refuse_broken();
    const Place place = place_of(name);
    if (place.owner >= header_owner)
        throw Error(ErrorCode::usage, fmt::format("{} is what every disc has", name)).in("part");
    std::vector<Entry> entries = table_.entries;
    erase_file(entries, place.owner);
    Changing change(*this);
    PutResult result = with_entries(entries, change, {});
    result.how = "removed";
    result.from = place.offset;
    return result;
}

}  // namespace hotstitch::table_disc
