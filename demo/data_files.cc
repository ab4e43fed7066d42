// SPDX-License-Identifier: MIT
// Written by hand from the layout that the maps tell, and by none of the library's code: what the library reads by the
// maps is held against this.
#include "data_files.h"

#include <array>
#include <bit>
#include <string_view>

namespace demo {
namespace {

constexpr std::size_t berths = 24, keepers = 6, sounds = 5, months = 12;

struct Layout {
    std::size_t berth_at, stride, keeper_at, tide_at, sound_at, size;
};
constexpr Layout europe{0x200, 32, 0x600, 0x500, 0x800, 0x1000},
    americas_layout{0x280, 36, 0x680, 0x1C0, 0x840, 0x1000};

constexpr std::array<std::string_view, berths> berth_names{
    "North Quay",  "Old Pier",    "Lamp Steps", "Herring Row", "Ferry Stage",  "Bell Mooring",
    "Kelp Basin",  "Gull Rest",   "Tar Yard",   "Rope Walk",   "Salt Slip",    "Oyster Bank",
    "Net Loft",    "Pilot House", "Mast Pond",  "Chandlery",   "Cork Landing", "Anchor Green",
    "Winter Dock", "Tide Mill",   "Coal Wharf", "Fog Signal",  "Outer Mole",   "Last Light"};
constexpr std::array<std::string_view, keepers> keeper_names{"Ada Brine",  "Jon Wick",  "Mo Tarr",
                                                             "Ines Shoal", "Rafe Buoy", "Tilda Fathom"};
constexpr std::array<std::string_view, sounds> sound_names{"HORN", "BELL", "GULLS", "RAIN", "FERRY"};

void put(Rom& file, std::size_t at, std::uint64_t value, std::size_t bytes) {
    for (std::size_t i = 0; i < bytes; ++i, value >>= 8) file[at + i] = static_cast<std::byte>(value & 0xFF);
}

void put_text(Rom& file, std::size_t at, std::string_view text) {
    for (const char c : text) file[at++] = static_cast<std::byte>(c);
}

/// In the game's own letters: some pairs have a code of their own, the way a small cartridge saves room.
void put_letters(Rom& file, std::size_t at, std::string_view text, std::size_t length) {
    const std::size_t end = at + length;
    while (!text.empty()) {
        std::size_t taken = 2;
        unsigned code = text.starts_with("er")   ? 0xD0
                        : text.starts_with("in") ? 0xD1
                        : text.starts_with("or") ? 0xD2
                                                 : 0;
        if (code == 0) {
            const char c = text.front();
            taken = 1;
            code = c == ' '   ? 0xC0u
                   : c >= 'a' ? 0xA0u + static_cast<unsigned>(c - 'a')
                              : 0x80u + static_cast<unsigned>(c - 'A');
        }
        put(file, at++, code, 1);
        text.remove_prefix(taken);
    }
    while (at < end) put(file, at++, 0xFF, 1);
}

void put_berths(Rom& file, const Layout& layout, bool americas) {
    std::size_t keeper = layout.keeper_at;
    std::array<std::size_t, keepers> keeper_offsets{};
    for (std::size_t i = 0; i < keepers; ++i) {
        keeper_offsets[i] = keeper;
        put_text(file, keeper, keeper_names[i]);
        keeper += keeper_names[i].size() + 1;
    }
    for (std::size_t i = 0; i < berths; ++i) {
        const std::size_t at = layout.berth_at + i * layout.stride;
        put_letters(file, at, berth_names[i], 16);
        put(file, at + 16, 3 + i * 7 % 11, 1);                                        // depth
        put(file, at + 17, i * 5 % 3 | (i % 4 == 0 ? 0x08u : 0u) | (i % 5 << 4), 1);  // weather, lamp, crane
        put(file, at + 18, 90 + 15 * (i % 9) + (americas ? 10u : 0u), 2);             // price
        put(file, at + 20, std::bit_cast<std::uint32_t>(2.5F * static_cast<float>(1 + i % 6)), 4);
        put(file, at + 24, keeper_offsets[i % keepers] - 0x100, 2);
        put(file, at + 26, 0x20 + 9 * i, 1), put(file, at + 27, 0x40 + 5 * i, 1), put(file, at + 28, 0x80 - 3 * i, 1);
        if (americas) put(file, at + 32, 2 + i % 3, 1);  // moorings
    }
}

void put_sounds(Rom& file, const Layout& layout) {
    std::size_t at = layout.sound_at;
    put(file, 0x20, sounds, 4);
    for (std::size_t i = 0; i < sounds; ++i) {
        const std::size_t entry = 0x40 + 16 * i, size = 100 + 60 * i;
        put(file, entry, at / 64, 4), put(file, entry + 4, size, 4);
        put_text(file, entry + 8, sound_names[i]);
        for (std::size_t s = 0; s < size; ++s) put(file, at + s, (s * (3 + i) ^ s >> 3) & 0xFF, 1);
        at += (size + 63) / 64 * 64;
    }
}

}  // namespace

Rom harbour_data(bool americas) {
    const Layout& layout = americas ? americas_layout : europe;
    Rom file(layout.size);
    put_text(file, 0, "KELPDATA");
    put(file, 8, 1, 1), put(file, 9, americas ? 2 : 1, 1), put(file, 10, berths, 2);
    put_berths(file, layout, americas);
    for (std::size_t i = 0; i < months; ++i) {
        put(file, layout.tide_at + 4 * i, 12 + i * i % 7, 1);
        put(file, layout.tide_at + 4 * i + 1, 0x100 - (3 + i % 4), 1);  // below zero
        put(file, layout.tide_at + 4 * i + 2, 360 + 11 * i, 2);
    }
    put_sounds(file, layout);
    unsigned sum = 0;
    for (std::size_t i = 0x20; i < file.size(); ++i) sum += std::to_integer<unsigned>(file[i]);
    put(file, 0x10, sum & 0xFFFF, 2);
    return file;
}

std::string letters() {
    std::string text =
        "# The letters of Kelp Harbour. Pairs come first because they are longest in the "
        "text.\nD0=er\nD1=in\nD2=or\nC0= \n";
    const auto line = [&](unsigned code, char letter) {
        constexpr std::string_view digits = "0123456789ABCDEF";
        text += {digits[code >> 4], digits[code & 15], '=', letter, '\n'};
    };
    for (unsigned i = 0; i < 26; ++i) line(0x80 + i, static_cast<char>('A' + i));
    for (unsigned i = 0; i < 26; ++i) line(0xA0 + i, static_cast<char>('a' + i));
    return text;
}

std::string map_of(bool americas) {
    const std::string head = americas ? R"(hotstitch-map = 1
title = "Kelp Harbour, Americas: tables"

[file]
begins = "4B 45 4C 50 44 41 54 41 01 02"      # KELPDATA, version 1, edition 2
)"
                                      : R"(hotstitch-map = 1
title = "Kelp Harbour, Europe: tables"

[file]
begins = "4B 45 4C 50 44 41 54 41 01 01"      # KELPDATA, version 1, edition 1
)";
    std::string text = head + R"(
[words.weather]
0 = "calm"
1 = "fog"
2 = "gale"

[table.berth]
at = BERTH_AT
count = {at = 10, type = "u16"}
stride = STRIDE
key = "name"
[[table.berth.field]]
name = "name"
at = 0
type = "text"
text = "kelp.tbl"
length = 16
pad = 0xFF
[[table.berth.field]]
name = "depth"
at = 16
type = "u8"
range = [1, 50]
[[table.berth.field]]
name = "weather"
at = 17
type = "bits"
of = "u8"
bit = 0
width = 3
words = "weather"
[[table.berth.field]]
name = "lamp"
at = 17
type = "bits"
of = "u8"
bit = 3
[[table.berth.field]]
name = "crane"
at = 17
type = "bits"
of = "u8"
bit = 4
width = 4
[[table.berth.field]]
name = "price"
at = 18
type = "u16"
range = [0, 999]
[[table.berth.field]]
name = "ferry"
at = 20
type = "f32"
[[table.berth.field]]
name = "keeper"
at = 24
type = "pointer"
size = 2
plus = 0x100
to = "text"
end = "00"
[[table.berth.field]]
name = "colour"
at = 26
type = "bytes"
length = 3
MOORINGS
[table.tide]
at = TIDE_AT
names = ["January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November", "December"]
stride = 4
[[table.tide.field]]
name = "high"
at = 0
type = "u8"
[[table.tide.field]]
name = "low"
at = 1
type = "s8"
[[table.tide.field]]
name = "turn"
at = 2
type = "u16"

[[check]]
at = 0x10
type = "u16"
sum = "bytes"
over = [[0x20, 0x1000]]

[members.sounds]
at = 0x40
count = {at = 0x20, type = "u32"}
stride = 16
offset = {at = 0, type = "u32", unit = 64}
size = {at = 4, type = "u32"}
name = {at = 8, type = "text", length = 8}
align = 64
)";
    const auto replace = [&](std::string_view word, std::string_view by) {
        text.replace(text.find(word), word.size(), by);
    };
    replace("BERTH_AT", americas ? "0x280" : "0x200");
    replace("STRIDE", americas ? "36" : "32");
    replace("TIDE_AT", americas ? "0x1C0" : "0x500");
    replace("MOORINGS", americas ? "[[table.berth.field]]\nname = \"moorings\"\nat = 32\ntype = \"u8\"\n" : "");
    return text;
}

std::string longer_berths_edits() {
    return R"(hotstitch-edits = 1
title = "Longer Berths"

[[edit]]
map = "kelp-europe.map.toml"
field = "berth[Old Pier].depth"
old = 10
new = 14
note = "the great ferry fits in"

[[edit]]
field = "berth[Ferry Stage].depth"
old = 9
new = 16

[[edit]]
field = "berth[Ferry Stage].weather"
old = "gale"
new = "calm"

[[edit]]
field = "tide[March].low"
old = -5
new = -2
)";
}

}  // namespace demo
