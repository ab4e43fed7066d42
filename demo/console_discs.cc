// SPDX-License-Identifier: MIT
#include "console_discs.h"

#include <algorithm>
#include <cstring>

#include "executables.h"
#include "random.h"

namespace demo {
namespace {

using hotstitch::text_of;

void set_big(Bytes& bytes, std::size_t at, std::size_t value, unsigned count = 4) {
    for (unsigned i = 0; i < count; ++i) bytes[at + i] = static_cast<std::byte>(value >> (8 * (count - 1 - i)));
}
void set_little(Bytes& bytes, std::size_t at, std::size_t value, unsigned count = 4) {
    for (unsigned i = 0; i < count; ++i) bytes[at + i] = static_cast<std::byte>(value >> (8 * i));
}
void set_text(Bytes& bytes, std::size_t at, std::string_view text) {
    for (const char c : text) bytes[at++] = static_cast<std::byte>(c);
}
void append(Bytes& bytes, ByteView more) {
    bytes.insert(bytes.end(), more.begin(), more.end());
}
std::size_t up_to(std::size_t value, std::size_t unit) {
    return (value + unit - 1) / unit * unit;
}
Bytes text_bytes(std::string_view text) {
    Bytes bytes(text.size());
    set_text(bytes, 0, text);
    return bytes;
}

}  // namespace

Bytes junk(std::size_t size, std::uint64_t seed) {
    Random random(seed);
    Bytes bytes(size);
    for (std::byte& b : bytes) b = static_cast<std::byte>(random.next());
    return bytes;
}

std::vector<DiscFile> console_files(int revision) {
    std::string messages = "Welcome to Kelp Harbour.\nThe night ferry leaves at nine.\n";
    if (revision != 0) messages += "Fog over the south quay.\n";
    Bytes berths;
    for (int i = 0; i < 400; ++i) {
        append(berths, text_bytes("berth " + std::to_string(i)));
        berths.resize(up_to(berths.size(), 16));
        berths.back() = static_cast<std::byte>(20 + i % 40 + revision);
    }
    return {{"data/berths.bin", berths},
            {"data/messages.txt", text_bytes(messages)},
            {"data/voices/foghorn.str", junk(70'000, 11)},
            {"data/voices/gull.str", junk(33'000, 12)},
            {"opening.bin", junk(90'000, 13)}};
}

// --- the disc with a table of files

Bytes table_disc(const std::vector<DiscFile>& files, const TableDiscOptions& options) {
    const unsigned shift = options.later ? 2 : 0;
    constexpr std::size_t header = 0x2440, loader = 0x800, table_place = 12;
    // Entries: folders come up where a path enters them.
    struct Row {
        std::string name;
        bool folder;
        std::size_t parent, end, file;
    };
    std::vector<Row> rows{{"", true, 0, 0, 0}};
    std::vector<std::pair<std::string, std::size_t>> open{{"", 0}};
    const auto close_to = [&](std::string_view folder) {
        while (open.size() > 1 && !(std::string(folder) + "/").starts_with(open.back().first + "/")) {
            rows[open.back().second].end = rows.size();
            open.pop_back();
        }
    };
    for (std::size_t f = 0; f < files.size(); ++f) {
        const std::string& path = files[f].path;
        const std::size_t slash = path.rfind('/');
        const std::string folder = slash == std::string::npos ? "" : path.substr(0, slash);
        close_to(folder);
        while (open.back().first != folder) {
            const std::size_t from = open.back().first.empty() ? 0 : open.back().first.size() + 1;
            const std::string next = folder.substr(0, folder.find('/', from));
            rows.push_back({next.substr(from), true, open.back().second, 0, 0});
            open.emplace_back(next, rows.size() - 1);
        }
        rows.push_back({path.substr(slash == std::string::npos ? 0 : slash + 1), false, 0, 0, f});
    }
    close_to("?");
    rows[0].end = rows.size();

    std::string names;
    for (const Row& row : rows)
        if (!row.name.empty()) names += row.name + '\0';
    const Bytes program = dol();
    const std::size_t program_at = up_to(header + loader, 0x100), table_at = up_to(program_at + program.size(), 0x100);
    const std::size_t table_size = up_to(table_place * rows.size() + names.size(), 4);
    std::size_t at = table_at + table_size + options.room;
    std::vector<std::size_t> places;
    for (const DiscFile& file : files) {
        at = up_to(at, file.path.ends_with(".str") ? 0x8000 : 32);
        places.push_back(at);
        at += file.content.size() + options.gap;
    }
    Bytes disc = junk(std::max(options.total, at - options.gap), 5);
    std::fill_n(disc.begin(), table_at + table_size, std::byte{0});
    set_text(disc, 0, options.id);
    disc[6] = static_cast<std::byte>(options.number), disc[7] = static_cast<std::byte>(options.revision);
    if (options.later)
        set_big(disc, 0x18, 0x5D1C9EA3);
    else
        set_big(disc, 0x1C, 0xC2339F3D);
    set_text(disc, 0x20, options.title);
    set_big(disc, 0x420, program_at >> shift), set_big(disc, 0x424, table_at >> shift);
    set_big(disc, 0x428, table_size >> shift), set_big(disc, 0x42C, table_size >> shift);
    set_big(disc, 0x458, 2);
    set_text(disc, header, "2026/11/28");
    set_big(disc, header + 0x14, loader - 0x20);
    std::copy(program.begin(), program.end(), disc.begin() + static_cast<std::ptrdiff_t>(program_at));
    std::size_t name_at = 0;
    for (std::size_t i = 0; i < rows.size(); ++i) {
        const Row& row = rows[i];
        const std::size_t entry = table_at + table_place * i;
        set_big(disc, entry, i == 0 ? 0x1000000 : (row.folder ? 0x1000000 : 0) | name_at);
        set_big(disc, entry + 4, row.folder ? row.parent : places[row.file] >> shift);
        set_big(disc, entry + 8, row.folder ? row.end : files[row.file].content.size());
        if (i == 0) continue;
        set_text(disc, table_at + table_place * rows.size() + name_at, row.name);
        name_at += row.name.size() + 1;
    }
    for (std::size_t f = 0; f < files.size(); ++f)
        std::copy(files[f].content.begin(), files[f].content.end(),
                  disc.begin() + static_cast<std::ptrdiff_t>(places[f]));
    return disc;
}

namespace {

std::size_t big_at(ByteView bytes, std::size_t at) {
    std::size_t value = 0;
    for (unsigned i = 0; i < 4; ++i) value = value << 8 | std::to_integer<std::size_t>(bytes[at + i]);
    return value;
}

}  // namespace

std::map<std::string, Bytes> files_of_table(ByteView volume, bool later) {
    const unsigned shift = later ? 2 : 0;
    const std::size_t table = big_at(volume, 0x424) << shift, count = big_at(volume, table + 8);
    std::map<std::string, Bytes> files;
    std::vector<std::pair<std::string, std::size_t>> open{{"", count}};
    for (std::size_t i = 1; i < count; ++i) {
        while (open.back().second <= i) open.pop_back();
        const std::size_t entry = table + 12 * i, name = table + 12 * count + (big_at(volume, entry) & 0xFFFFFF);
        std::string path = open.back().first;
        for (std::size_t c = name; volume[c] != std::byte{0}; ++c) path += static_cast<char>(volume[c]);
        const std::size_t first = big_at(volume, entry + 4), second = big_at(volume, entry + 8);
        if (volume[entry] != std::byte{0}) {
            open.emplace_back(path + "/", second);
        } else {
            const ByteView content = volume.subspan(second == 0 ? 0 : first << shift, second);
            files[path] = Bytes(content.begin(), content.end());
        }
    }
    const std::size_t program = big_at(volume, 0x420) << shift;
    const ByteView bytes = volume.subspan(program, dol().size());
    files["main.dol"] = Bytes(bytes.begin(), bytes.end());
    return files;
}

// --- compressed copies

namespace {

bool empty(ByteView block) {
    return std::all_of(block.begin(), block.end(), [](std::byte b) { return b == std::byte{0}; });
}

std::vector<ByteView> blocks_of(ByteView plain, std::size_t block) {
    std::vector<ByteView> blocks;
    for (std::size_t at = 0; at < plain.size(); at += block)
        blocks.push_back(plain.subspan(at, std::min(block, plain.size() - at)));
    return blocks;
}

}  // namespace

Bytes block_map_copy(ByteView plain, std::size_t block) {
    Bytes copy(0x8000);
    set_text(copy, 0, "CISO");
    set_little(copy, 4, block);
    std::size_t number = 0;
    for (const ByteView one : blocks_of(plain, block)) {
        if (!empty(one)) {
            copy[8 + number] = std::byte{1};
            append(copy, one);
        }
        ++number;
    }
    return copy;
}

Bytes drive_copy(ByteView plain, unsigned block_shift) {
    const std::size_t block = std::size_t{1} << block_shift;
    const std::size_t count = (std::size_t{143'432} * 2) >> (block_shift - 15);
    constexpr std::size_t sector = 512;
    Bytes copy(up_to(sector + up_to(0x100 + 2 * count, sector), block));
    set_text(copy, 0, "WBFS");
    copy[8] = std::byte{9}, copy[9] = static_cast<std::byte>(block_shift);
    copy[12] = std::byte{1};
    std::copy_n(plain.begin(), 0x100, copy.begin() + sector);
    std::size_t number = 0;
    for (const ByteView one : blocks_of(plain, block)) {
        if (!empty(one)) {
            set_big(copy, sector + 0x100 + 2 * number, copy.size() / block, 2);
            append(copy, one);
            copy.resize(up_to(copy.size(), block));
        }
        ++number;
    }
    set_big(copy, 4, copy.size() / sector);
    return copy;
}

Bytes deflate_copy(ByteView plain, std::size_t block) {
    const auto blocks = blocks_of(plain, block);
    Bytes copy(0x18 + 4 * (blocks.size() + 1));
    set_text(copy, 0, "CISO");
    set_little(copy, 4, 0x18), set_little(copy, 8, plain.size(), 8), set_little(copy, 16, block);
    copy[20] = std::byte{1};
    for (std::size_t i = 0; i < blocks.size(); ++i) {
        set_little(copy, 0x18 + 4 * i, copy.size());
        Bytes stored(5);
        stored[0] = std::byte{1};
        set_little(stored, 1, blocks[i].size(), 2), set_little(stored, 3, ~blocks[i].size(), 2);
        append(copy, stored);
        append(copy, blocks[i]);
    }
    set_little(copy, 0x18 + 4 * blocks.size(), copy.size());
    return copy;
}

// --- a cartridge with files

namespace {

unsigned crc16(ByteView bytes) {
    unsigned crc = 0xFFFF;
    for (const std::byte b : bytes) {
        crc ^= std::to_integer<unsigned>(b);
        for (int i = 0; i < 8; ++i) crc = (crc & 1) != 0 ? crc >> 1 ^ 0xA001 : crc >> 1;
    }
    return crc;
}

}  // namespace

Bytes file_cartridge(const std::vector<DiscFile>& files, bool trimmed) {
    constexpr std::size_t page = 0x200;
    Bytes rom(0x4000);
    set_text(rom, 0, "KELPHARBOUR");
    set_text(rom, 0x0C, "AKHP99");
    set_little(rom, 0x84, 0x4000);
    const auto place = [&](ByteView content) {
        rom.resize(up_to(rom.size(), page), std::byte{0xFF});
        const std::size_t at = rom.size();
        append(rom, content);
        return at;
    };
    const Bytes main = junk(3000, 21), second = junk(1200, 22), overlay = junk(500, 23);
    const std::size_t main_at = place(main);
    set_little(rom, 0x20, main_at), set_little(rom, 0x24, 0x02000000), set_little(rom, 0x28, 0x02000000);
    set_little(rom, 0x2C, main.size());
    // One overlay, whose file has the number 0; the files of the folders follow.
    Bytes overlays(32);
    set_little(overlays, 4, 0x02100000), set_little(overlays, 8, overlay.size());
    set_little(rom, 0x50, place(overlays)), set_little(rom, 0x54, overlays.size());
    const std::size_t second_at = place(second);
    set_little(rom, 0x30, second_at), set_little(rom, 0x34, 0x02380000), set_little(rom, 0x38, 0x02380000);
    set_little(rom, 0x3C, second.size());

    // Folders: the root and one below it, "data".
    std::string root, data;
    std::vector<const DiscFile*> in_order;
    for (const bool below : {false, true})
        for (const DiscFile& file : files) {
            const bool is_below = file.path.starts_with("data/");
            if (is_below != below) continue;
            const std::string name = below ? file.path.substr(5) : file.path;
            (below ? data : root) += static_cast<char>(name.size()) + name;
            in_order.push_back(&file);
        }
    const auto in_root = static_cast<std::size_t>(
        std::count_if(files.begin(), files.end(), [](const DiscFile& f) { return !f.path.starts_with("data/"); }));
    root += std::string("\x84") + "data" + "\x01\xF0" + std::string(1, '\0');
    data += '\0';
    Bytes names(16);
    set_little(names, 0, 16), set_little(names, 4, 1, 2), set_little(names, 6, 2, 2);
    set_little(names, 8, 16 + root.size()), set_little(names, 12, 1 + in_root, 2), set_little(names, 14, 0xF000, 2);
    append(names, text_bytes(root + data));
    set_little(rom, 0x40, place(names)), set_little(rom, 0x44, names.size());
    const std::size_t allocation_at = place(Bytes(8 * (in_order.size() + 1)));
    set_little(rom, 0x48, allocation_at), set_little(rom, 0x4C, 8 * (in_order.size() + 1));
    Bytes banner = junk(0x840, 24);
    set_little(banner, 0, 1, 2);
    set_little(banner, 2, crc16(ByteView(banner).subspan(0x20)), 2);
    set_little(rom, 0x68, place(banner));
    const auto put_file = [&](std::size_t number, ByteView content) {
        const std::size_t at = place(content);
        set_little(rom, allocation_at + 8 * number, at);
        set_little(rom, allocation_at + 8 * number + 4, at + content.size());
    };
    put_file(0, overlay);
    for (std::size_t i = 0; i < in_order.size(); ++i) put_file(i + 1, in_order[i]->content);
    set_little(rom, 0x80, rom.size());
    std::size_t full = 128 << 10;
    for (unsigned capacity = 0; full < rom.size(); full *= 2) rom[0x14] = static_cast<std::byte>(++capacity);
    set_little(rom, 0x15C, crc16(ByteView(rom).subspan(0xC0, 156)), 2);
    set_little(rom, 0x15E, crc16(ByteView(rom).first(0x15E)), 2);
    if (!trimmed) rom.resize(full, std::byte{0xFF});
    return rom;
}

Bytes wave(ByteView samples) {
    Bytes format(16);
    set_little(format, 0, 1, 2), set_little(format, 2, 2, 2), set_little(format, 4, 44'100),
        set_little(format, 8, 176'400);
    set_little(format, 12, 4, 2), set_little(format, 14, 16, 2);
    Bytes bytes(4);
    set_text(bytes, 0, "WAVE");
    append(bytes, chunk("fmt ", format, false));
    append(bytes, chunk("data", samples, false));
    return bytes;
}

Bytes chunk(std::string_view id, ByteView content, bool big, bool padded) {
    Bytes bytes(8);
    set_text(bytes, 0, id);
    if (big)
        set_big(bytes, 4, content.size());
    else
        set_little(bytes, 4, content.size());
    append(bytes, content);
    if (padded && bytes.size() % 2 != 0) bytes.push_back({});
    return bytes;
}

}  // namespace demo
