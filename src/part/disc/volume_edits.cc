// SPDX-License-Identifier: MIT
// What changes of a volume are made of: single bytes of sectors, and all numbers of sectors, found by one walk over all
// that holds any. Tested by tests/part/disc_test.cc.
#include <fmt/format.h>

#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/disc/udf.h"
#include "part/disc/volume_change.h"

namespace hotstitch::disc {
namespace {

constexpr std::uint64_t most_padding = 8192;  ///< sectors that are looked at for zeros

}  // namespace

SectorEdits::Sector& SectorEdits::sector(std::uint64_t number) {
    auto found = sectors_.find(number);
    if (found == sectors_.end()) {
        Bytes bytes = sector_at(user_, number);
        found = sectors_.emplace(number, Sector{bytes, bytes}).first;
    }
    return found->second;
}
std::byte SectorEdits::get(std::uint64_t place) {
    return sector(place / user_size).now[static_cast<std::size_t>(place % user_size)];
}
void SectorEdits::set(std::uint64_t place, std::byte value) {
    Sector& in = sector(place / user_size);
    const auto at = static_cast<std::size_t>(place % user_size);
    differing_ -= in.now[at] != in.before[at] ? 1 : 0;
    in.now[at] = value;
    differing_ += in.now[at] != in.before[at] ? 1 : 0;
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
void SectorEdits::tell(ChangeList& list) const {
    for (const auto& [number, content] : sectors_)
        for (const ByteRange& range : differing_ranges(content.before, content.now))
            list.put(number * user_size + range.offset, range.length,
                     Bytes(content.now.begin() + static_cast<std::ptrdiff_t>(range.offset),
                           content.now.begin() + static_cast<std::ptrdiff_t>(range.offset + range.length)));
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
    // What was added before stands in between.
    const std::uint64_t end = list.result_size();
    if (offset > end) list.fill(user.size(), 0, std::byte{0}, offset - end);
    list.put_from(user.size(), 0, padded, there, whole - there);
}

}  // namespace hotstitch::disc
