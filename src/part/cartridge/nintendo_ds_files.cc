// SPDX-License-Identifier: MIT
// Tested by tests/part/ds_files_test.cc.
#include "part/cartridge/nintendo_ds_files.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <map>

#include "base/numbers.h"
#include "digest/sums.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "source/stretch.h"
#include "source/whole.h"

namespace hotstitch::cartridge {
namespace {

constexpr std::size_t unit_at = 0x12, capacity_at = 0x14, main_at = 0x20, second_at = 0x30, names_at = 0x40,
                      allocation_at = 0x48, overlays_at = 0x50, banner_at = 0x68, used_at = 0x80,
                      header_check_at = 0x15E, long_used_at = 0x210, most_files = 0xF000, most_depth = 32,
                      overlay_row = 32, header_end = 0x200;
constexpr std::uint64_t most_path_bytes = 16 << 20;  ///< of all files' paths; a folder's name stands in many
constexpr std::uint64_t smallest = 128 << 10, largest = 512 << 20, alignment = 0x200, footer_size = 12;
constexpr std::byte padding{0xFF};

void set_le(Bytes& rom, std::uint64_t at, std::uint64_t value, unsigned bytes = 4) {
    for (unsigned i = 0; i < bytes; ++i)
        rom[static_cast<std::size_t>(at) + i] = static_cast<std::byte>(value >> (8 * i));
}

bool inside(ByteView rom, std::uint64_t at, std::uint64_t size) {
    return at <= rom.size() && size <= rom.size() - at;
}

/// A table that the header names: offset and size.
ByteRange range_at(ByteView rom, std::size_t at) {
    return {u32le(rom, at), u32le(rom, at + 4)};
}

/// Both programs: offset, entry, address, size.
ByteRange program_at(ByteView rom, std::size_t at) {
    return {u32le(rom, at), u32le(rom, at + 12)};
}

std::uint64_t banner_size(ByteView rom) {
    const std::uint64_t at = u32le(rom, banner_at);
    if (at == 0 || !inside(rom, at, 0x840)) return 0;
    switch (u16le(rom, static_cast<std::size_t>(at))) {
        case 2: return 0x940;
        case 3: return 0xA40;
        case 0x103: return 0x23C0;
        default: return 0x840;
    }
}

/// Behind the main program may stand three words that the loader reads.
std::uint64_t footer_of(ByteView rom) {
    const ByteRange program = program_at(rom, main_at);
    const std::uint64_t end = program.offset + program.length;
    return inside(rom, end, footer_size) && u32le(rom, static_cast<std::size_t>(end)) == 0xDEC00621 ? footer_size : 0;
}

class Reader {
public:
    Reader(ByteView rom, std::vector<std::string>& warnings) : rom_(rom), warnings_(warnings) {}

    std::vector<RomFile> run() {
        if (rom_.size() < header_end) return {};
        const ByteRange allocation = range_at(rom_, allocation_at);
        if (!inside(rom_, allocation.offset, allocation.length))
            return warn("the allocation table lies outside the ROM"), std::vector<RomFile>();
        allocation_ =
            rom_.subspan(static_cast<std::size_t>(allocation.offset), static_cast<std::size_t>(allocation.length));
        add("arm9", program_at(rom_, main_at));
        add("arm7", program_at(rom_, second_at));
        if (const std::uint64_t size = banner_size(rom_); size != 0) add("banner", {u32le(rom_, banner_at), size});
        for (const unsigned console : {9U, 7U}) add_overlays(console);
        add_folders();
        return std::move(files_);
    }

    /// Place of the entry of a file number in the ROM.
    static std::uint64_t entry_at(ByteView rom, std::uint64_t number) { return u32le(rom, allocation_at) + 8 * number; }
    const std::map<std::string, std::uint64_t>& numbers() const { return numbers_; }

private:
    void warn(std::string_view what) {
        constexpr std::size_t most = 8;
        if (warnings_.size() < most) warnings_.emplace_back(what);
    }

    void add(std::string name, const ByteRange& range) {
        if (range.length == 0 && range.offset == 0) return;
        if (!inside(rom_, range.offset, range.length)) return warn(fmt::format("{} lies outside the ROM", name));
        files_.push_back({std::move(name), range.offset, range.length});
    }

    void add_number(const std::string& name, std::uint64_t number) {
        if (8 * number + 8 > allocation_.size())
            return warn(fmt::format("{} has no place in the allocation table", name));
        const std::uint64_t begin = u32le(allocation_, static_cast<std::size_t>(8 * number)),
                            end = u32le(allocation_, static_cast<std::size_t>(8 * number) + 4);
        if (end < begin || !inside(rom_, begin, end - begin)) return warn(fmt::format("{} lies outside the ROM", name));
        numbers_[name] = number;
        files_.push_back({name, begin, end - begin});
    }

    void add_overlays(unsigned console) {
        const ByteRange table = range_at(rom_, console == 9 ? overlays_at : overlays_at + 8);
        if (table.length == 0) return;
        if (!inside(rom_, table.offset, table.length))
            return warn(fmt::format("the table of overlays {} lies outside the ROM", console));
        for (std::uint64_t at = 0; at + overlay_row <= table.length && at / overlay_row < most_files; at += overlay_row)
            add_number(fmt::format("overlay{}/{:04}", console, at / overlay_row),
                       u32le(rom_, static_cast<std::size_t>(table.offset + at) + 24));
    }

    void add_folders() {
        const ByteRange names = range_at(rom_, names_at);
        if (names.length == 0) return;
        if (!inside(rom_, names.offset, names.length)) return warn("the table of names lies outside the ROM");
        names_ = rom_.subspan(static_cast<std::size_t>(names.offset), static_cast<std::size_t>(names.length));
        seen_.assign(0x1000, false);
        read_folder(0, "", 0);
    }

    void read_folder(unsigned number, const std::string& path, std::size_t depth) {
        const std::size_t row = std::size_t{8} * number;
        if (row + 8 > names_.size()) return warn(fmt::format("folder {} is not in the table of names", number));
        if (seen_[number] || depth > most_depth) return warn(fmt::format("folder {} lies in itself", number));
        seen_[number] = true;
        std::uint64_t file = u16le(names_, row + 4);
        for (std::size_t at = u32le(names_, row);;) {
            if (at >= names_.size()) return warn(fmt::format("folder {} has no end", number));
            const unsigned length = u8(names_, at) & 0x7F;
            const bool folder = (u8(names_, at) & 0x80) != 0;
            if (length == 0 || path_bytes_ > most_path_bytes) return;
            if (at + 1 + length + (folder ? 2 : 0) > names_.size())
                return warn(fmt::format("folder {} has a name without an end", number));
            std::string name(text_at(names_, at + 1, length));
            std::replace(name.begin(), name.end(), '/', '_');
            at += 1 + length;
            if (folder) {
                read_folder(u16le(names_, at) & 0xFFF, path + name + "/", depth + 1);
                at += 2;
            } else if ((path_bytes_ += path.size() + name.size()) > most_path_bytes) {
                return warn("its files' paths are longer than is read, so the last ones are left out");
            } else if (files_.size() < most_files + 16) {
                add_number(path + name, file++);
            }
        }
    }

    const ByteView rom_;
    std::vector<std::string>& warnings_;
    ByteView allocation_, names_;
    std::vector<bool> seen_;
    std::uint64_t path_bytes_ = 0;
    std::vector<RomFile> files_;
    std::map<std::string, std::uint64_t> numbers_;
};

/// What a put changes, in a copy of the ROM's tables: the file itself comes in by a splice.
class Putting {
public:
    Putting(ByteView rom, const RomFile& file, SharedSource content, const PutOptions& options)
        : rom_(rom), file_(file), content_(std::move(content)), options_(options), made_(rom.begin(), rom.end()) {
        std::vector<std::string> ignored;
        Reader reader(rom, ignored);
        files_ = reader.run();
        if (const auto number = reader.numbers().find(file.name); number != reader.numbers().end())
            number_ = number->second;
    }

    PutResult run() {
        const std::uint64_t size = content_->size();
        if (file_.name == "banner" && size != file_.size)
            throw Error(ErrorCode::usage, "a banner has a fixed size")
                .in("part")
                .wanted(counted(file_.size, "byte", "bytes"))
                .found(counted(size, "byte", "bytes"));
        const std::uint64_t next = next_used();
        PutResult result{ChangeList(rom_.size())};
        const bool fits = !shared() && size <= next - file_.offset;
        std::uint64_t at = file_.offset;
        if (!fits) at = place_behind(next, result);
        write(at, fits, result);
        result.how = fits ? "in-place" : "moved";
        if (!fits) result.from = file_.offset, result.to = at;
        return result;
    }

private:
    /// With another file, or with what tells where the files are: then its place is none of its own.
    bool shared() const {
        const auto overlaps = [&](std::uint64_t begin, std::uint64_t length) {
            return length != 0 && begin < file_.offset + file_.size && file_.offset < begin + length;
        };
        for (const std::size_t table : {names_at, allocation_at, overlays_at, overlays_at + 8})
            if (overlaps(range_at(rom_, table).offset, range_at(rom_, table).length)) return true;
        if (overlaps(0, header_end)) return true;
        return std::any_of(files_.begin(), files_.end(), [&](const RomFile& other) {
            return other.name != file_.name && overlaps(other.offset, other.size);
        });
    }

    /// Where what follows the file begins: another file, a table, the end of the ROM.
    std::uint64_t next_used() const {
        std::uint64_t next = rom_.size();
        const auto at = [&](std::uint64_t begin) {
            if (begin > file_.offset) next = std::min(next, begin);
        };
        for (const RomFile& other : files_)
            if (other.name != file_.name) at(other.offset);
        for (const std::size_t table : {names_at, allocation_at, overlays_at, overlays_at + 8})
            if (range_at(rom_, table).length != 0) at(range_at(rom_, table).offset);
        if (footer_of(rom_) != 0) at(program_at(rom_, main_at).offset + program_at(rom_, main_at).length);
        // Behind the used size, a signature may stand: whatever is no padding stays.
        if (const std::uint64_t end = used_end(); file_.offset + file_.size <= end && end < rom_.size() &&
                                                  rom_[static_cast<std::size_t>(end)] != padding &&
                                                  rom_[static_cast<std::size_t>(end)] != std::byte{0})
            at(end);
        return next;
    }

    std::uint64_t used_end() const {
        std::uint64_t end = std::min<std::uint64_t>(u32le(rom_, used_at), rom_.size());
        for (const RomFile& other : files_) end = std::max(end, other.offset + other.size);
        return end;
    }

    /// Behind all that is no padding, aligned as the old place, 512 bytes at most.
    std::uint64_t place_behind(std::uint64_t next, PutResult& result) const {
        if (file_.name == "arm9" || file_.name == "arm7" || file_.name == "banner")
            throw Error(ErrorCode::unsupported,
                        fmt::format("{} does not fit in its place, and has to stay there", file_.name))
                .in("part")
                .wanted(fmt::format("at most {}", counted(next - file_.offset, "byte", "bytes")))
                .found(counted(content_->size(), "byte", "bytes"))
                .hint("new code can go into an overlay or a file, which may grow");
        if (options_.room == Room::place)
            throw Error(ErrorCode::usage, fmt::format("{} does not fit in its place", file_.name))
                .in("part")
                .wanted(fmt::format("at most {}", counted(next - file_.offset, "byte", "bytes")))
                .found(counted(content_->size(), "byte", "bytes"))
                .hint("let it go behind all others (room append)");
        if (options_.room == Room::rebuild)
            throw Error(ErrorCode::unsupported,
                        "a cartridge is not laid out anew: a file that has grown goes behind all")
                .in("room");
        std::uint64_t end = rom_.size();
        while (end > used_end() && (rom_[static_cast<std::size_t>(end) - 1] == padding ||
                                    rom_[static_cast<std::size_t>(end) - 1] == std::byte{0}))
            --end;
        if (end > used_end())
            result.warnings.push_back(fmt::format("{} behind the used size are no padding, and stay",
                                                  counted(end - used_end(), "byte", "bytes")));
        const std::uint64_t unit =
            file_.offset == 0 ? alignment : std::clamp<std::uint64_t>(file_.offset & (~file_.offset + 1), 4, alignment);
        return (end + unit - 1) / unit * unit;
    }

    void write(std::uint64_t at, bool fits, PutResult& result) {
        const std::uint64_t size = content_->size(), old = file_.size;
        if (number_) {
            const std::uint64_t entry = Reader::entry_at(rom_, *number_);
            set_le(made_, entry, at), set_le(made_, entry + 4, at + size);
        }
        set_sizes(size, result);
        const std::uint64_t end = at + size;
        if (end > largest) throw Error(ErrorCode::usage, "no cartridge of this console is so large").in("part");
        const std::uint64_t total = end <= rom_.size() ? rom_.size() : total_for(end);
        if (end > u32le(rom_, used_at)) set_used(end);
        set_le(made_, capacity_at, capacity_for(total), 1);
        if (file_.name == "banner") set_banner_checks();
        const bool was_right = u16le(rom_, header_check_at) == crc16(rom_.first(header_check_at));
        if (options_.mend && was_right)
            set_le(made_, header_check_at, crc16(ByteView(made_).first(header_check_at)), 2);
        // So far, only tables and checks differ.
        result.mended = 0;
        for (const ByteRange& range : differing_ranges(rom_, made_)) *result.mended += range.length;
        const std::uint64_t behind = fits && size < old ? old - size : 0;
        const Bytes bytes = stretch_of(*content_, 0, size);
        made_.resize(static_cast<std::size_t>(std::max<std::uint64_t>(total, made_.size())), padding);
        std::copy(bytes.begin(), bytes.end(), made_.begin() + static_cast<std::ptrdiff_t>(at));
        std::fill_n(made_.begin() + static_cast<std::ptrdiff_t>(at + size), behind, padding);
        result.change = differences(rom_, made_);
    }

    /// What says how large a program or an overlay is.
    void set_sizes(std::uint64_t size, PutResult& result) {
        if (file_.name == "arm9") set_le(made_, main_at + 12, size);
        if (file_.name == "arm7") set_le(made_, second_at + 12, size);
        if (!file_.name.starts_with("overlay") || size == file_.size || !number_) return;
        const ByteRange table = range_at(rom_, file_.name[7] == '9' ? overlays_at : overlays_at + 8);
        for (std::uint64_t at = table.offset; at + overlay_row <= table.offset + table.length; at += overlay_row) {
            const auto row = static_cast<std::size_t>(at);
            if (u32le(rom_, row + 24) != *number_) continue;
            const std::uint32_t packed = u32le(rom_, row + 28);
            if ((packed & 0x1000000) != 0)
                set_le(made_, row + 28, size, 3);
            else if (u32le(rom_, row + 8) == file_.size)
                set_le(made_, row + 8, size);
            else
                result.warnings.emplace_back("its size in memory is told apart from the file's, and stays");
        }
    }

    /// As large as it was cut, where it was cut; else the next power of two.
    std::uint64_t total_for(std::uint64_t end) const {
        const bool trimmed = !std::has_single_bit(rom_.size());
        return trimmed ? end : std::bit_ceil(end);
    }
    unsigned capacity_for(std::uint64_t total) const {
        unsigned capacity = u8(rom_, capacity_at);
        while (capacity < 12 && smallest << capacity < total) ++capacity;
        return capacity;
    }
    void set_used(std::uint64_t end) {
        const std::uint64_t before = u32le(rom_, used_at);
        set_le(made_, used_at, end);
        if ((u8(rom_, unit_at) & 2) != 0 && u32le(rom_, long_used_at) == before) set_le(made_, long_used_at, end);
    }

    /// One for each version of the banner: of what its size covers.
    void set_banner_checks() {
        if (!options_.mend) return;
        Bytes banner = stretch_of(*content_, 0, file_.size);
        struct Check {
            std::size_t at, begin, end;
        };
        constexpr Check checks[] = {{2, 0x20, 0x840}, {4, 0x20, 0x940}, {6, 0x20, 0xA40}, {8, 0x1240, 0x23C0}};
        for (const Check& c : checks)
            if (c.end <= banner.size())
                set_le(banner, c.at, crc16(ByteView(banner).subspan(c.begin, c.end - c.begin)), 2);
        content_ = owned(std::move(banner));
    }

    const ByteView rom_;
    const RomFile& file_;
    SharedSource content_;
    const PutOptions& options_;
    Bytes made_;
    std::vector<RomFile> files_;
    std::optional<std::uint64_t> number_;
};

}  // namespace

std::vector<RomFile> ds_files(ByteView rom, std::vector<std::string>& warnings) {
    return Reader(rom, warnings).run();
}

PutResult put_ds_file(ByteView rom, const RomFile& file, const SharedSource& content, const PutOptions& options) {
    return Putting(rom, file, content, options).run();
}

}  // namespace hotstitch::cartridge
