// SPDX-License-Identifier: MIT
// Folders are read one after the other from a list, none twice, so that a loop ends. All numbers stand in both byte
// orders; where they differ, the one that lies in the image counts. Tested by tests/part/disc_test.cc.
#include "part/disc/tree.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>
#include <unordered_map>

#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch::disc {
namespace {

constexpr std::size_t most_entries = 1'000'000, most_continuations = 16, most_depth = 200;
constexpr std::uint64_t most_directory_bytes = std::uint64_t{64} << 20;
/// Of paths, in bytes: each folder's name stands in the paths of all that is below it, so a small disc could have
/// gigabytes of them. A real one has a few times what its folders take.
constexpr std::uint64_t most_path_bytes = std::uint64_t{64} << 20, free_path_bytes = std::uint64_t{4} << 20,
                        most_paths_each = 8;

/// Without a version (";1") and the dot of an empty extension.
std::string without_version(std::string name) {
    const std::size_t version = name.rfind(';');
    if (version != std::string::npos && name.find_first_not_of("0123456789", version + 1) == std::string::npos)
        name.resize(version);
    if (name.size() > 1 && name.back() == '.') name.pop_back();
    return name;
}

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
                .found(
                    fmt::format("{} at sector {}", counted(entry.size, "byte", "bytes"), entry.records.front().extent))
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
        path_bytes_ += entry.path.size() + entry.link.size();
        if (const std::uint64_t most = std::min(most_path_bytes, free_path_bytes + most_paths_each * directory_bytes_);
            path_bytes_ > most)
            throw Error(ErrorCode::limit, "the paths of the disc's files are longer than is read")
                .in("directory")
                .wanted(fmt::format("at most {}", size_text(most)));
        std::uint64_t end = 0;
        for (const Record& r : entry.records) end = std::max(end, r.size == 0 ? 0 : r.end());
        if (entry.interleaved && entry.unit != 0) end += entry.size / user_size / entry.unit * entry.gap;
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
    std::uint64_t directory_bytes_ = 0, path_bytes_ = 0;
    bool rock_ridge_ = false, any_name_ = false;
    std::size_t skip_ = 0;
};

}  // namespace

Tree read_tree(const ByteSource& user, Volume& volume, Told& told, std::uint64_t descriptor, bool joliet) {
    return TreeReader(user, volume, told).read(descriptor, joliet);
}

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
            if (use.is("CE") && length >= 28) next = {u32le(use.bytes, 4), u32le(use.bytes, 12), u32le(use.bytes, 20)};
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

}  // namespace hotstitch::disc
