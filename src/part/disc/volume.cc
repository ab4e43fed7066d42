// SPDX-License-Identifier: MIT
// Folders are read one after the other from a list, none twice, so that a loop ends. All numbers stand in both byte
// orders; where they differ, the one that lies in the image counts. Tested by tests/disc_test.cc.
#include "part/disc/volume.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>
#include <unordered_map>

#include "field/numbers.h"
#include "field/text.h"
#include "hotstitch/error.h"
#include "hotstitch/words.h"

namespace hotstitch::disc {
namespace {

constexpr std::size_t most_entries = 1'000'000, most_descriptors = 64, most_continuations = 64, most_depth = 200;
constexpr std::uint64_t most_directory_bytes = std::uint64_t{256} << 20;
constexpr std::size_t most_told = 8;  ///< warnings of one sort

std::string utf8_of_wide(ByteView text) {
    std::string out;
    const auto add = [&](std::uint32_t c) {
        if (c < 0x80) {
            out += static_cast<char>(c);
        } else if (c < 0x800) {
            out += {static_cast<char>(0xC0 | c >> 6), static_cast<char>(0x80 | (c & 63))};
        } else if (c < 0x10000) {
            out += {static_cast<char>(0xE0 | c >> 12), static_cast<char>(0x80 | (c >> 6 & 63)),
                    static_cast<char>(0x80 | (c & 63))};
        } else {
            out += {static_cast<char>(0xF0 | c >> 18), static_cast<char>(0x80 | (c >> 12 & 63)),
                    static_cast<char>(0x80 | (c >> 6 & 63)), static_cast<char>(0x80 | (c & 63))};
        }
    };
    for (std::size_t i = 0; i + 2 <= text.size(); i += 2) {
        std::uint32_t c = u16be(text, i);
        if (c >= 0xD800 && c < 0xDC00 && i + 4 <= text.size() && u16be(text, i + 2) >> 10 == 0x37) {
            c = 0x10000 + ((c & 0x3FF) << 10) + (u16be(text, i + 2) & 0x3FF);
            i += 2;
        }
        add(c >= 0xD800 && c < 0xE000 ? 0xFFFD : c);
    }
    return out;
}

/// Without a version (";1") and the dot of an empty extension.
std::string without_version(std::string name) {
    const std::size_t version = name.rfind(';');
    if (version != std::string::npos && name.find_first_not_of("0123456789", version + 1) == std::string::npos)
        name.resize(version);
    if (name.size() > 1 && name.back() == '.') name.pop_back();
    return name;
}

struct Told {
    std::vector<std::string>& warnings;
    std::unordered_map<std::string_view, std::size_t> times{};

    /// Of each sort only the first few, and how many there are.
    void warn(std::string_view sort, std::string text) {
        if (++times[sort] <= most_told) warnings.push_back(std::move(text));
        if (times[sort] == most_told + 1)
            warnings.push_back(fmt::format("{}: there are more of these than are listed", sort));
    }
};

class TreeReader {
public:
    TreeReader(const ByteSource& user, Volume& volume, Told& told) : user_(user), volume_(volume), told_(told) {}

    Tree read(std::uint64_t descriptor, bool joliet) {
        tree_.descriptor = descriptor;
        tree_.names = joliet ? Names::joliet : Names::plain;
        const Bytes bytes = sector_at(user_, descriptor);
        const ByteView root = ByteView(bytes).subspan(156, 34);
        Entry entry{.directory = true, .records = {record_of(root, descriptor * user_size + 156, "the root folder")}};
        entry.size = entry.records.front().size;
        if (entry.records.front().end() > volume_.image_sectors || entry.size == 0)
            throw Error(ErrorCode::damaged, "the disc's root folder lies outside the image")
                .at(descriptor * user_size + 156)
                .in("root folder")
                .wanted(fmt::format("inside {}", counted(volume_.image_sectors, "sector", "sectors")))
                .found(fmt::format("{} at sector {}", counted(entry.size, "byte", "bytes"),
                                   entry.records.front().extent))
                .hint("the image was cut short or changed; get it again");
        if (!joliet) look_for_rock_ridge(entry.records.front());
        seen_.insert(entry.records.front().extent);
        tree_.entries.push_back(std::move(entry));
        depth_.push_back(0);
        for (std::size_t i = 0; i < tree_.entries.size(); ++i)
            if (tree_.entries[i].directory) read_folder(i);
        tell_versions_apart();
        if (rock_ridge_ && any_name_) tree_.names = Names::rock_ridge;
        tree_.skip = skip_;
        return std::move(tree_);
    }

private:
    std::uint64_t both(ByteView bytes, std::size_t at, std::uint64_t most, const std::string& of) {
        const std::uint64_t little = u32le(bytes, at), big = u32be(bytes, at + 4);
        if (little == big) return little;
        told_.warn("numbers in two byte orders that differ",
                   fmt::format("{} says {} in one byte order and {} in the other", of, little, big));
        return little <= most || big > most ? little : big;
    }

    Record record_of(ByteView bytes, std::uint64_t place, const std::string& of) {
        const std::uint64_t factor = user_size / volume_.block;
        Record r{.place = place};
        r.extent = both(bytes, record::extent, volume_.image_sectors * factor, of);
        r.extent = (r.extent + std::to_integer<unsigned>(bytes[record::attributes])) / factor;
        r.size = both(bytes, record::size, user_.size(), of);
        return r;
    }

    void look_for_rock_ridge(const Record& root) {
        bool first = true;
        each_record(user_, root.extent, user_size, [&](ByteView bytes, std::uint64_t place) {
            if (!std::exchange(first, false)) return;
            for (const SystemUse& use : system_use_of(user_, bytes, place, 0))
                if (use.is("SP") && use.bytes.size() >= 7 && u16be(use.bytes, 4) == 0xBEEF) {
                    rock_ridge_ = true;
                    skip_ = u8(use.bytes, 6);
                }
        });
    }

    void read_folder(std::size_t index) {
        const Record folder = tree_.entries[index].records.front();
        const std::string path = tree_.entries[index].path;
        directory_bytes_ += folder.size;
        if (directory_bytes_ > most_directory_bytes)
            throw Error(ErrorCode::limit, "the disc's folders are larger than is read")
                .in("directory")
                .wanted(fmt::format("at most {}", size_text(most_directory_bytes)));
        std::optional<Entry> open;  // a file whose extents go on
        std::size_t number = 0;
        const bool whole = each_record(user_, folder.extent, folder.size, [&](ByteView bytes, std::uint64_t place) {
            if (number++ < 2 && u8(bytes, record::name_length) == 1 && u8(bytes, record::name) < 2) return;
            take(bytes, place, index, path, open);
        });
        if (!whole)
            told_.warn("folders with records that do not hold together",
                       fmt::format("the folder /{} has records that do not hold together", path));
    }

    void take(ByteView bytes, std::uint64_t place, std::size_t parent, const std::string& folder,
              std::optional<Entry>& open) {
        const unsigned flags = u8(bytes, record::flags);
        if ((flags & record::associated) != 0) return;  // a second fork, by the same name
        Entry entry;
        entry.own_name = std::string(text_at(bytes, record::name, u8(bytes, record::name_length)));
        entry.parent = parent;
        entry.directory = (flags & record::directory) != 0;
        entry.unit = u8(bytes, record::unit), entry.gap = u8(bytes, record::gap);
        entry.interleaved = entry.unit != 0 || entry.gap != 0;
        bool relocated = false;
        std::optional<std::uint64_t> child;
        std::string name = name_of(bytes, place, entry, relocated, child);
        if (relocated) return;  // it is shown where the link to it stands
        for (char& c : name)
            if (c == '/' || c == '\0') {
                c = '_';
                told_.warn("names with a separator", fmt::format("a name in /{} has a separator in it", folder));
            }
        entry.path = folder.empty() ? name : folder + "/" + name;
        Record r = record_of(bytes, place, entry.path);
        if (child) entry.directory = true, r = folder_at(*child, place);
        if (name == "." || name == ".." || name.empty()) {
            told_.warn("names that lead elsewhere", fmt::format("\"{}\" is no name of a file", entry.path));
            if (entry.directory) return;
        }
        entry.records.push_back(r), entry.size = r.size;
        if (open && open->own_name == entry.own_name) {
            open->records.push_back(r), open->size += r.size;
            entry = *std::exchange(open, std::nullopt);
        }
        if ((flags & record::more_extents) != 0) {
            open = std::move(entry);
            return;
        }
        add(std::move(entry));
    }

    void add(Entry entry) {
        if (tree_.entries.size() >= most_entries)
            throw Error(ErrorCode::limit, "the disc has more files than are read")
                .wanted(fmt::format("at most {}", grouped(most_entries)));
        std::uint64_t end = 0;
        for (const Record& r : entry.records) end = std::max(end, r.size == 0 ? 0 : r.end());
        if (entry.interleaved && entry.unit != 0)
            end += entry.size / user_size / entry.unit * entry.gap;
        entry.cut = end > volume_.image_sectors;
        if (entry.cut) ++volume_.cut_files;
        volume_.used = std::max(volume_.used, std::min(end, volume_.image_sectors));
        if (entry.directory) {
            if (entry.cut || entry.size == 0)
                return told_.warn("folders outside the image",
                                  fmt::format("the folder /{} lies outside the image", entry.path));
            if (!seen_.insert(entry.records.front().extent).second)
                return told_.warn("folders that are in a loop",
                                  fmt::format("the folder /{} is one that was read already: a loop", entry.path));
            if (depth_[entry.parent] >= most_depth)
                return told_.warn("folders that go too deep", fmt::format("/{} goes too deep", entry.path));
        }
        depth_.push_back(depth_[entry.parent] + 1);
        tree_.entries.push_back(std::move(entry));
    }

    /// A folder that stands elsewhere because it would have been too deep: it tells its own size.
    Record folder_at(std::uint64_t extent, std::uint64_t place) {
        Record r{.place = place, .extent = extent};
        bool first = true;
        if (extent >= volume_.image_sectors) return r;
        each_record(user_, extent, user_size, [&](ByteView bytes, std::uint64_t) {
            if (std::exchange(first, false)) r.size = u32le(bytes, record::size);
        });
        return r;
    }

    std::string name_of(ByteView bytes, std::uint64_t place, Entry& entry, bool& relocated,
                        std::optional<std::uint64_t>& child) {
        if (tree_.names == Names::joliet) return without_version(utf8_of_wide(bytes_of(entry.own_name)));
        if (!rock_ridge_) return plain_name(entry);
        std::string name, link;
        for (const SystemUse& use : system_use_of(user_, bytes, place, skip_)) {
            if (use.is("NM") && use.bytes.size() > 5 && (u8(use.bytes, 4) & 6) == 0)
                name += text_of(ByteView(use.bytes).subspan(5));
            if (use.is("RE")) relocated = true;
            if (use.is("CL") && use.bytes.size() >= 12) child = u32le(use.bytes, 4);
            if (use.is("SL") && use.bytes.size() > 5) add_to_link(ByteView(use.bytes).subspan(5), link);
        }
        entry.link = std::move(link);
        if (name.empty()) return plain_name(entry);
        any_name_ = true;
        return name;
    }

    /// RRIP 4.1.3: components, each with flags and a length.
    static void add_to_link(ByteView components, std::string& link) {
        for (std::size_t at = 0; at + 2 <= components.size();) {
            const unsigned flags = u8(components, at), length = u8(components, at + 1);
            const std::size_t end = std::min<std::size_t>(at + 2 + length, components.size());
            if (!link.empty() && link.back() != '/') link += '/';
            if (flags & 2) link += '.';
            if (flags & 4) link += "..";
            if (flags & 8) link.assign(1, '/');
            link += text_of(components.subspan(at + 2, end - at - 2));
            at = end;
        }
    }

    static std::string plain_name(const Entry& entry) { return without_version(entry.own_name); }

    /// Two versions of one file keep theirs.
    void tell_versions_apart() {
        if (tree_.names == Names::joliet) return;
        std::unordered_map<std::string, std::size_t> by_path;
        for (std::size_t i = 1; i < tree_.entries.size(); ++i) {
            const auto [other, is_new] = by_path.emplace(tree_.entries[i].path, i);
            if (is_new || tree_.entries[i].directory) continue;
            for (const std::size_t one : {other->second, i}) {
                Entry& entry = tree_.entries[one];
                const std::size_t version = entry.own_name.rfind(';');
                if (version != std::string::npos && !entry.path.ends_with(entry.own_name.substr(version)))
                    entry.path += entry.own_name.substr(version);
            }
        }
    }

    const ByteSource& user_;
    Volume& volume_;
    Told& told_;
    Tree tree_;
    std::vector<std::size_t> depth_;
    std::set<std::uint64_t> seen_;  ///< first sectors of folders
    std::uint64_t directory_bytes_ = 0;
    bool rock_ridge_ = false, any_name_ = false;
    std::size_t skip_ = 0;
};

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
            volume.boots.push_back(
                {volume.boot_catalogue * user_size + at + 8, extent, platform, indicator == 0x88});
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

std::size_t record::system_use(ByteView bytes) noexcept {
    const std::size_t end = name + std::to_integer<std::size_t>(bytes[name_length]);
    return end + end % 2;
}

std::vector<SystemUse> system_use_of(const ByteSource& user, ByteView bytes, std::uint64_t place, std::size_t skip) {
    std::vector<SystemUse> all;
    Bytes area(bytes.begin(), bytes.end());
    std::size_t at = record::system_use(bytes) + skip, hops = 0;
    while (true) {
        std::optional<std::array<std::uint64_t, 3>> next;
        while (at + 4 <= area.size()) {
            const std::size_t length = u8(area, at + 2);
            if (length < 4 || at + length > area.size()) break;
            SystemUse use{.signature = {static_cast<char>(area[at]), static_cast<char>(area[at + 1])},
                          .place = place + at,
                          .bytes = Bytes(area.begin() + static_cast<std::ptrdiff_t>(at),
                                         area.begin() + static_cast<std::ptrdiff_t>(at + length))};
            const bool ends = use.is("ST");
            if (use.is("CE") && length >= 28)
                next = {u32le(use.bytes, 4), u32le(use.bytes, 12), u32le(use.bytes, 20)};
            all.push_back(std::move(use));
            if (ends) break;
            at += length;
        }
        if (!next || ++hops > most_continuations) return all;
        const auto [sector, offset, length] = *next;
        if (offset > user_size || length > user_size - offset || (sector + 1) * user_size > user.size()) return all;
        const Bytes more = sector_at(user, sector);
        area.assign(more.begin() + static_cast<std::ptrdiff_t>(offset),
                    more.begin() + static_cast<std::ptrdiff_t>(offset + length));
        place = sector * user_size + offset;
        at = 0;
    }
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
    volume.trees.push_back(TreeReader(user, volume, told).read(*primary, false));
    if (joliet) try {
            const std::uint64_t cut = volume.cut_files;
            volume.trees.push_back(TreeReader(user, volume, told).read(*joliet, true));
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
