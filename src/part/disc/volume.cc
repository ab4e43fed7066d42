// SPDX-License-Identifier: MIT
// The descriptors from sector 16 on, and what they lead to: trees, the boot catalogue, tables. Tested by
// tests/part/disc_test.cc.
#include "part/disc/volume.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/disc/tree.h"

namespace hotstitch::disc {
namespace {

constexpr std::size_t most_descriptors = 64;

/// El Torito 2.0: a validation entry, the default entry, then sections.
void read_boot_catalogue(const ByteSource& user, Volume& volume) {
    if (volume.boot_catalogue == 0 || volume.boot_catalogue >= volume.image_sectors) return;
    const Bytes bytes = sector_at(user, volume.boot_catalogue);
    if (u8(bytes, 0) != 1 || u16be(bytes, 30) != 0x55AA) {
        volume.warnings.emplace_back("the boot catalogue is none");
        return;
    }
    unsigned platform = u8(bytes, 1);
    const auto entry = [&](std::size_t at) {
        const unsigned indicator = u8(bytes, at);
        if (indicator != 0x88 && indicator != 0) return;
        if (const std::uint64_t extent = u32le(bytes, at + 8); extent != 0)
            volume.boots.push_back({volume.boot_catalogue * user_size + at + 8, extent, platform, indicator == 0x88});
    };
    entry(32);
    for (std::size_t at = 64; at + 32 <= bytes.size();) {
        const unsigned header = u8(bytes, at);
        if (header != 0x90 && header != 0x91) break;
        platform = u8(bytes, at + 1);
        const unsigned count = u16le(bytes, at + 2);
        at += 32;
        for (unsigned i = 0; i < count && at + 32 <= bytes.size(); ++i, at += 32) entry(at);
    }
}

bool is_joliet(ByteView descriptor) {
    const std::string_view escape = text_at(descriptor, 88, 3);
    return escape == "%/@" || escape == "%/C" || escape == "%/E";
}

/// The sequence of UDF's recognition, after ISO 9660's descriptors.
bool names_udf(const ByteSource& user, std::uint64_t from) {
    for (std::uint64_t sector = from; sector < from + 16 && (sector + 1) * user_size <= user.size(); ++sector) {
        const Bytes bytes = sector_at(user, sector);
        const std::string_view id = text_at(bytes, 1, 5);
        if (id == "NSR02" || id == "NSR03") return true;
        if (id != "BEA01" && id != "TEA01" && id != "CD001" && id != "BOOT2" && id != "CDW02") return false;
    }
    return false;
}

void note_used(Volume& volume, std::uint64_t end) {
    volume.used = std::max(volume.used, std::min(end, volume.image_sectors));
}

}  // namespace

bool Entry::in_one_piece() const noexcept {
    if (interleaved) return false;
    for (std::size_t i = 1; i < records.size(); ++i)
        if (records[i - 1].size % user_size != 0 || records[i].extent != records[i - 1].end()) return false;
    return true;
}

Bytes sector_at(const ByteSource& user, std::uint64_t sector, std::uint64_t count) {
    const std::uint64_t all = user.size() / user_size;
    if (sector > all || count > all - sector)
        throw Error(ErrorCode::truncated, "the image ends before what it names")
            .at(user.size())
            .wanted(fmt::format("sector {}", sector + count - 1))
            .found(counted(all, "sector", "sectors"))
            .hint("the image was cut short; get it again");
    Bytes bytes(static_cast<std::size_t>(count * user_size));
    const ByteView read = user.read(sector * user_size, bytes.size(), bytes);
    if (read.data() != bytes.data()) std::copy(read.begin(), read.end(), bytes.begin());
    return bytes;
}

std::string descriptor_text(ByteView field, bool wide) {
    std::string text = wide ? utf8_of_wide(field) : std::string(text_of(field));
    text.resize(std::min(text.find('\0'), text.size()));
    text.resize(text.find_last_not_of(' ') + 1);
    return text;
}

bool has_volume(const ByteSource& user) {
    if (user.size() < (system_area + 1) * user_size) return false;
    const Bytes bytes = sector_at(user, system_area);
    return text_at(bytes, 1, 5) == "CD001" && u8(bytes, 0) <= 3;
}

bool is_udf_only(const ByteSource& user) {
    if (user.size() < (system_area + 3) * user_size) return false;
    return text_at(sector_at(user, system_area), 1, 5) == "BEA01" && names_udf(user, system_area);
}

Volume read_volume(const ByteSource& user) {
    Volume volume;
    volume.image_sectors = user.size() / user_size;
    Told told{volume.warnings};
    std::optional<std::uint64_t> primary, joliet;
    std::uint64_t sector = system_area;
    for (std::size_t count = 0; count < most_descriptors && (sector + 1) * user_size <= user.size(); ++count) {
        const Bytes bytes = sector_at(user, sector);
        if (text_at(bytes, 1, 5) != "CD001") break;
        const unsigned type = u8(bytes, 0);
        if (type == 1 && !primary) primary = sector;
        if (type == 2 && !joliet && is_joliet(bytes)) joliet = sector;
        if (type == 0 && text_at(bytes, 7, 23) == "EL TORITO SPECIFICATION") {
            volume.boot_record = sector;
            volume.boot_catalogue = u32le(bytes, 0x47);
        }
        ++sector;
        if (type == 255) break;
    }
    if (!primary)
        throw Error(ErrorCode::damaged, "the disc has no primary volume descriptor")
            .at(system_area * user_size)
            .hint("the image was cut short or changed; get it again");
    const Bytes descriptor = sector_at(user, *primary);
    volume.block = u16le(descriptor, 128);
    if (volume.block != 512 && volume.block != 1024) volume.block = user_size;
    volume.volume_size = u32le(descriptor, 80);
    if (volume.volume_size != u32be(descriptor, 84))
        volume.warnings.push_back(fmt::format("the volume's size says {} in one byte order and {} in the other",
                                              volume.volume_size, u32be(descriptor, 84)));
    volume.volume_size = volume.volume_size / (user_size / volume.block);
    volume.has_udf = names_udf(user, sector);
    volume.used = sector;
    volume.trees.push_back(read_tree(user, volume, told, *primary, false));
    if (joliet) try {
            const std::uint64_t cut = volume.cut_files;
            volume.trees.push_back(read_tree(user, volume, told, *joliet, true));
            volume.cut_files = std::max(cut, volume.cut_files - cut);
            if (volume.trees.front().names == Names::plain) volume.shown = 1;
        } catch (const Error& error) {
            if (error.code() == ErrorCode::io || error.code() == ErrorCode::limit) throw;
            volume.warnings.push_back(fmt::format("its Joliet names cannot be read: {}", error.what()));
        }
    read_boot_catalogue(user, volume);
    if (volume.boot_catalogue != 0) note_used(volume, volume.boot_catalogue + 1);
    for (const Tree& tree : volume.trees) {
        const Bytes bytes = sector_at(user, tree.descriptor);
        const std::uint64_t table = sectors_for(u32le(bytes, 132));
        for (const std::uint64_t at : {u32le(bytes, 140), u32le(bytes, 144), u32be(bytes, 148), u32be(bytes, 152)})
            if (at != 0) note_used(volume, at + table);
    }
    return volume;
}

SharedSource source_of(const SharedSource& user, const Entry& entry) {
    const auto slice = [&](std::uint64_t sector, std::uint64_t length) {
        return std::make_shared<SliceSource>(user, sector * user_size, length);
    };
    if (entry.size == 0) return slice(0, 0);
    if (entry.in_one_piece()) return slice(entry.records.front().extent, entry.size);
    std::vector<SharedSource> pieces;
    for (const Record& r : entry.records) {
        if (!entry.interleaved || entry.unit == 0) {
            if (r.size != 0) pieces.push_back(slice(r.extent, r.size));
            continue;
        }
        std::uint64_t at = r.extent;
        for (std::uint64_t left = r.size; left != 0;) {
            const std::uint64_t part = std::min<std::uint64_t>(left, std::uint64_t{entry.unit} * user_size);
            pieces.push_back(slice(at, part));
            left -= part, at += entry.unit + entry.gap;
        }
    }
    return std::make_shared<JoinedSource>(std::move(pieces));
}

}  // namespace hotstitch::disc
