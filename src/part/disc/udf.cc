// SPDX-License-Identifier: MIT
// From the anchor at sector 256 over the volume descriptors, the file set and the folders to the file entries. No
// folder is read twice. Tested by tests/part/disc_test.cc.
#include "part/disc/udf.h"

#include <algorithm>
#include <set>

#include "base/numbers.h"
#include "hotstitch/error.h"

namespace hotstitch::disc {
namespace {

constexpr std::uint64_t anchor = 256;
constexpr std::size_t most_files = 1'000'000;
constexpr std::uint64_t longest_extent = (std::uint64_t{1} << 30) - user_size;  ///< 4/14.14.1: 30 bits
constexpr std::uint64_t most_folder_bytes = std::uint64_t{64} << 20;

enum Tag : unsigned {
    anchor_tag = 2,
    partition_tag = 5,
    logical_volume_tag = 6,
    terminator_tag = 8,
    file_set_tag = 256,
    identifier_tag = 257,
    file_tag = 261,
    extended_file_tag = 266
};

std::uint64_t u64le(ByteView b, std::size_t at) {
    return u32le(b, at) | std::uint64_t{u32le(b, at + 4)} << 32;
}

void put_number(MutableByteView b, std::size_t at, std::uint64_t value, std::size_t width) {
    for (std::size_t i = 0; i < width; ++i) b[at + i] = static_cast<std::byte>(value >> (8 * i));
}

unsigned crc_itu(ByteView bytes) {
    unsigned crc = 0;
    for (const std::byte b : bytes) {
        crc ^= std::to_integer<unsigned>(b) << 8;
        for (int bit = 0; bit < 8; ++bit) crc = (crc << 1 ^ (crc & 0x8000 ? 0x1021U : 0)) & 0xFFFF;
    }
    return crc;
}

unsigned tag_of(ByteView b) {
    unsigned sum = 0;
    for (std::size_t i = 0; i < 16; ++i)
        if (i != 4) sum += u8(b, i);
    return (sum & 0xFF) == u8(b, 4) ? u16le(b, 0) : 0;
}

/// The CRC of a descriptor and the sum of its tag, 3/7.2. The CRC goes on covering what it covered, and `at_least`.
void seal(Bytes& b, std::size_t at_least = 0) {
    const std::size_t covered = std::min<std::size_t>(std::max<std::size_t>(u16le(b, 10), at_least), b.size() - 16);
    put_number(b, 10, covered, 2);
    put_number(b, 8, crc_itu(ByteView(b).subspan(16, covered)), 2);
    unsigned sum = 0;
    for (std::size_t i = 0; i < 16; ++i)
        if (i != 4) sum += u8(b, i);
    b[4] = static_cast<std::byte>(sum);
}

/// What a file entry says of its data.
struct FileEntry {
    std::size_t descriptors = 0, length = 0;  ///< allocation descriptors: where, and how many bytes
    unsigned kind = 0;                        ///< 0: short ones, 1: long ones, 3: the data itself
    std::uint64_t size = 0;
    bool folder = false;
};

std::optional<FileEntry> entry_of(ByteView b) {
    const unsigned tag = tag_of(b);
    if (tag != file_tag && tag != extended_file_tag) return std::nullopt;
    const std::size_t lengths = tag == file_tag ? 168 : 208;
    FileEntry entry;
    entry.kind = u16le(b, 34) & 7;
    entry.folder = u8(b, 27) == 4;
    entry.size = u64le(b, 56);
    const std::uint64_t attributes = u32le(b, lengths);
    entry.length = u32le(b, lengths + 4);
    if (attributes > user_size || entry.length > user_size) return std::nullopt;
    entry.descriptors = lengths + 8 + static_cast<std::size_t>(attributes);
    if (entry.descriptors + entry.length > b.size()) return std::nullopt;
    return entry;
}

struct Stretch {
    std::uint64_t sector, length;
};

std::vector<Stretch> stretches_of(ByteView b, const FileEntry& entry, std::uint64_t partition) {
    std::vector<Stretch> all;
    const std::size_t width = entry.kind == 0 ? 8 : 16;
    for (std::size_t at = entry.descriptors; at + width <= entry.descriptors + entry.length; at += width) {
        const std::uint32_t length = u32le(b, at);
        if ((length & 0x3FFFFFFF) == 0) break;
        all.push_back({partition + u32le(b, at + 4), length & 0x3FFFFFFF});
    }
    return all;
}

class Walk {
public:
    Walk(const ByteSource& user, UdfFiles& udf) : user_(user), udf_(udf) {}

    void run(std::uint64_t root) {
        folders_.push_back(root);
        while (!folders_.empty() && seen_.size() < most_files) {
            const std::uint64_t sector = folders_.back();
            folders_.pop_back();
            look_at(sector);
        }
    }

private:
    bool inside(std::uint64_t sector) const { return (sector + 1) * user_size <= user_.size(); }

    void look_at(std::uint64_t sector) {
        if (!inside(sector) || !seen_.insert(sector).second) return;
        udf_.end = std::max(udf_.end, sector + 1);
        const Bytes b = sector_at(user_, sector);
        const auto entry = entry_of(b);
        if (!entry) return;
        if (!entry->folder) {
            if (entry->kind > 1) return;
            const auto stretches = stretches_of(b, *entry, udf_.partition);
            if (!stretches.empty()) udf_.by_extent.emplace(stretches.front().sector, sector);
            return;
        }
        if (entry->kind == 3) return names_in(ByteView(b).subspan(entry->descriptors, entry->length));
        Bytes all;
        for (const Stretch& s : stretches_of(b, *entry, udf_.partition)) {
            const std::uint64_t count = sectors_for(s.length);
            if (!inside(s.sector + count - 1) || all.size() + s.length > most_folder_bytes) return;
            const Bytes piece = sector_at(user_, s.sector, count);
            all.insert(all.end(), piece.begin(), piece.begin() + static_cast<std::ptrdiff_t>(s.length));
            udf_.end = std::max(udf_.end, s.sector + count);
        }
        names_in(all);
    }

    /// 4/14.4: file identifiers, each on a multiple of four.
    void names_in(ByteView b) {
        for (std::size_t at = 0; at + 38 <= b.size();) {
            if (u16le(b, at) != identifier_tag) return;
            const unsigned what = u8(b, at + 18);
            const std::size_t length = (std::size_t{38} + u8(b, at + 19) + u16le(b, at + 36) + 3) / 4 * 4;
            if ((what & 0x0C) == 0) folders_.push_back(udf_.partition + u32le(b, at + 24));  // not gone, no parent
            at += length;
        }
    }

    const ByteSource& user_;
    UdfFiles& udf_;
    std::vector<std::uint64_t> folders_;  ///< and files: sectors of entries still to be looked at
    std::set<std::uint64_t> seen_;
};

/// The descriptors of one sequence: the partition, and where the file set is.
bool read_sequence(const ByteSource& user, std::uint64_t sector, std::uint64_t length, UdfFiles& udf,
                   std::optional<std::uint64_t>& file_set) {
    for (std::uint64_t end = sector + std::min<std::uint64_t>(sectors_for(length), 64);
         sector < end && (sector + 1) * user_size <= user.size(); ++sector) {
        const Bytes b = sector_at(user, sector);
        switch (tag_of(b)) {
            case partition_tag:
                if (udf.partition != 0 && udf.partition != u32le(b, 188)) return false;
                udf.partition = u32le(b, 188), udf.partition_length = u32le(b, 192);
                udf.partition_descriptors.push_back(sector);
                break;
            case logical_volume_tag:
                if (u32le(b, 212) != user_size || u32le(b, 268) != 1 || u8(b, 440) != 1) return false;
                file_set = u32le(b, 252);
                break;
            case terminator_tag: return true;
            default: break;
        }
    }
    return true;
}

}  // namespace

std::optional<UdfFiles> read_udf(const ByteSource& user) {
    if ((anchor + 1) * user_size > user.size()) return std::nullopt;
    const Bytes at = sector_at(user, anchor);
    if (tag_of(at) != anchor_tag) return std::nullopt;
    UdfFiles udf;
    std::optional<std::uint64_t> file_set, again;
    if (!read_sequence(user, u32le(at, 20), u32le(at, 16), udf, file_set) || !file_set || udf.partition == 0)
        return std::nullopt;
    read_sequence(user, u32le(at, 28), u32le(at, 24), udf, again);
    const std::uint64_t set = udf.partition + *file_set;
    if ((set + 1) * user_size > user.size()) return std::nullopt;
    const Bytes b = sector_at(user, set);
    if (tag_of(b) != file_set_tag) return std::nullopt;
    Walk(user, udf).run(udf.partition + u32le(b, 404));
    return udf;
}

std::optional<Bytes> udf_entry_with(const ByteSource& user, const UdfFiles& udf, std::uint64_t sector,
                                    std::uint64_t extent, std::uint64_t size) {
    Bytes b = sector_at(user, sector);
    const auto entry = entry_of(b);
    if (!entry || entry->kind > 1 || extent < udf.partition) return std::nullopt;
    const std::size_t width = entry->kind == 0 ? 8 : 16;
    const std::uint64_t count = std::max<std::uint64_t>(1, (size + longest_extent - 1) / longest_extent);
    const std::size_t length = std::max<std::size_t>(entry->length, static_cast<std::size_t>(count) * width);
    if (entry->descriptors + length > b.size()) return std::nullopt;
    const Bytes before(b.begin() + static_cast<std::ptrdiff_t>(entry->descriptors),
                       b.begin() + static_cast<std::ptrdiff_t>(entry->descriptors + width));
    std::uint64_t left = size, position = extent - udf.partition;
    for (std::size_t at = entry->descriptors; at < entry->descriptors + length; at += width) {
        const std::uint64_t part = std::min(left, longest_extent);
        std::copy(before.begin(), before.end(), b.begin() + static_cast<std::ptrdiff_t>(at));
        put_number(b, at, part, 4);
        put_number(b, at + 4, part == 0 ? 0 : position, 4);
        left -= part, position += sectors_for(part);
    }
    const bool extended = u16le(b, 0) == extended_file_tag;
    put_number(b, 56, size, 8);
    if (extended) put_number(b, 64, size, 8);
    put_number(b, extended ? 72 : 64, sectors_for(size), 8);
    put_number(b, extended ? 212 : 172, length, 4);
    seal(b, entry->descriptors + length - 16);
    return b;
}

bool ends_with_anchor(const ByteSource& user) {
    const std::uint64_t sectors = user.size() / user_size;
    return sectors > anchor + 1 && tag_of(sector_at(user, sectors - 1)) == anchor_tag;
}

Bytes udf_anchor_for(const ByteSource& user, std::uint64_t sector) {
    Bytes b = sector_at(user, anchor);
    put_number(b, 12, sector, 4);
    seal(b);
    return b;
}

Bytes udf_partition_with(const ByteSource& user, std::uint64_t sector, std::uint64_t length) {
    Bytes b = sector_at(user, sector);
    put_number(b, 192, length, 4);
    seal(b);
    return b;
}

}  // namespace hotstitch::disc
