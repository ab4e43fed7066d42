// SPDX-License-Identifier: MIT
// What can be mended in an ELF file. A segment that is added needs a program header: an unused one is taken, or the
// room behind the table, or the table moves to the end of the file, where it becomes a segment itself, since programs
// read it in memory. Headers of loaded segments stay in the order of their addresses, as systems demand. Tested by
// tests/part/executable_test.cc, which runs the result.
#include <fmt/format.h>

#include <algorithm>
#include <charconv>

#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/executable/elf_image.h"

namespace hotstitch::executable {
namespace {

constexpr std::uint64_t page = 0x1000;

void check_width(const ElfImage& image, std::uint64_t address) {
    if (!image.is_64_bit && address > UINT32_MAX)
        throw Error(ErrorCode::usage, "a 32-bit executable has no such address").found(hex_text(address, 1));
}

ChangeList entry(FileMending& mending, std::string_view value) {
    const ElfImage image = read_elf(mending.file);
    const std::uint64_t address = address_from(value);
    check_width(image, address);
    check_entry(segments_of(image), address);
    ChangeList list(mending.file.size());
    mending.fields.push_back({"entry", hex_text(image.entry, 1), hex_text(address, 1)});
    set_number(mending.file, list, image.entry_at(), address, image.word(), image.order);
    return list;
}

ChangeList segment_flags(FileMending& mending, std::string_view value) {
    const ElfImage image = read_elf(mending.file);
    const std::size_t colon = value.find(':');
    std::size_t number = 0;
    const std::string_view digits = value.substr(0, colon);
    const auto [end, failure] = std::from_chars(digits.data(), digits.data() + digits.size(), number);
    if (colon == value.npos || failure != std::errc{} || end != digits.data() + digits.size())
        throw Error(ErrorCode::usage, fmt::format("\"{}\" does not say which segment gets which rights", value))
            .wanted("NUMBER:RIGHTS, for example 2:rwx");
    if (number >= image.segments.size())
        throw Error(ErrorCode::usage, fmt::format("there is no segment {}", number))
            .wanted(image.segments.empty() ? "none: it has no segments"
                                           : fmt::format("0 to {}", image.segments.size() - 1));
    const unsigned rights = rights_from(value.substr(colon + 1));
    MemorySegment before = segments_of(image)[number], after = before;
    after.readable = (rights & 4) != 0, after.writable = (rights & 2) != 0, after.executable = (rights & 1) != 0;
    ChangeList list(mending.file.size());
    mending.fields.push_back({fmt::format("segment {}", number), rights_text(before), rights_text(after)});
    const std::uint32_t other_bits = image.segments[number].flags & ~std::uint32_t{7};
    set_number(mending.file, list, image.flags_at(number), other_bits | rights, 4, image.order);
    return list;
}

/// Whether `size` bytes from `at` on are 00 and belong to no section and to no other table.
bool is_unused(const ByteSource& file, const ElfImage& image, std::uint64_t at, std::uint64_t size) {
    if (at > file.size() || size > file.size() - at || !is_filled(file, at, size, std::byte{0})) return false;
    const auto touches = [&](std::uint64_t offset, std::uint64_t length) {
        return length != 0 && offset < at + size && at < offset + length;
    };
    for (const ElfSection& section : image.sections)
        if (touches(section.offset, section.size)) return false;
    // A segment that begins at the headers covers the room behind them; one that begins in that room uses it.
    for (const ElfSegment& segment : image.segments)
        if (segment.type != elf_null && segment.offset > image.program_headers &&
            touches(segment.offset, segment.file_size))
            return false;
    return true;
}

std::uint64_t aligned(std::uint64_t n, std::uint64_t to) {
    return (n + to - 1) / to * to;
}

/// The first offset from `from` on that is congruent to the address.
std::uint64_t congruent(std::uint64_t from, std::uint64_t address, std::uint64_t align) {
    return from + (address % align + align - from % align) % align;
}

/// Into its place by address among the loaded ones.
void insert_load(std::vector<ElfSegment>& segments, const ElfSegment& added) {
    auto place = segments.end();
    for (auto s = segments.begin(); s != segments.end(); ++s) {
        if (s->type != elf_load) continue;
        if (s->address > added.address) {
            place = s;
            break;
        }
        place = s + 1;
    }
    segments.insert(place, added);
}

Bytes written_table(const ElfImage& image, const std::vector<ElfSegment>& segments) {
    Bytes table;
    for (const ElfSegment& segment : segments) {
        const Bytes row = image.written(segment);
        table.insert(table.end(), row.begin(), row.end());
    }
    return table;
}

/// The change while it is put together: what is written over the old bytes, and what comes behind them.
struct Growth {
    const ByteSource& file;
    const ElfImage& image;
    ChangeList list;
    Bytes tail{};

    std::uint64_t end() const noexcept { return file.size() + tail.size(); }
    void append_at(std::uint64_t offset, ByteView bytes) {
        tail.resize(static_cast<std::size_t>(offset - file.size()));
        tail.insert(tail.end(), bytes.begin(), bytes.end());
    }
    void number(std::uint64_t at, std::uint64_t value, std::size_t width) {
        set_number(file, list, at, value, width, image.order);
    }
    /// In place, over the old table and perhaps room behind it.
    void write_table(const std::vector<ElfSegment>& segments) {
        const Bytes table = written_table(image, segments);
        for (std::size_t i = 0; i < table.size(); ++i)
            number(image.program_headers + i, std::to_integer<unsigned>(table[i]), 1);
    }
};

/// The table at the end of the file, as a segment of its own, with the distance between offset and address that the
/// first segment has: systems compute the one from the other.
void move_table(Growth& growth, std::vector<ElfSegment> segments, const ElfSegment& added, std::uint64_t align) {
    constexpr std::uint64_t most_filling = std::uint64_t{64} << 20;
    const auto first = std::find_if(segments.begin(), segments.end(), [](const auto& s) { return s.type == elf_load; });
    const std::uint64_t first_address = first == segments.end() ? 0 : first->address,
                        first_offset = first == segments.end() ? 0 : first->offset, base = first_address - first_offset;
    const std::uint64_t last = growth.image.is_64_bit ? UINT64_MAX : UINT32_MAX;
    insert_load(segments, added);
    const std::uint64_t size = (segments.size() + 1) * growth.image.segment_size();
    // At the first address behind the file's end where no page is taken; segments stand in the order of theirs.
    std::uint64_t at = aligned(growth.end(), align);
    for (const ElfSegment& s : segments)
        if (s.type == elf_load && base + at < aligned(s.address + s.memory_size, align) &&
            s.address / align * align < base + at + size)
            at = aligned(s.address + s.memory_size - base, align);
    // Systems add the distance in the file to the first segment's address: that must not come round to 0.
    const std::uint64_t address = (base + at) & last;
    const std::uint64_t from = first_address, distance = at - first_offset;
    const bool comes_round = distance > last - from || size - 1 > last - from - distance;
    if (at - growth.end() > most_filling || comes_round)
        throw Error(ErrorCode::unsupported,
                    "no room for the program headers: memory is taken where they would stand, behind the file's end")
            .found(hex_text(address, 1));
    ElfSegment table{elf_load, 4, at, address, address, size, size, align};
    insert_load(segments, table);
    for (ElfSegment& s : segments)
        if (s.type == elf_program_headers)
            s.offset = at, s.address = s.physical = address, s.file_size = s.memory_size = size;
    check_room(segments_of(growth.image), table.address, size, align >= page ? page : 1);
    growth.append_at(at, written_table(growth.image, segments));
    growth.number(growth.image.program_headers_at(), at, growth.image.word());
    growth.number(growth.image.segment_count_at(), segments.size(), 2);
}

ChangeList add_segment(FileMending& mending, std::string_view value) {
    const ElfImage image = read_elf(mending.file);
    const Addition addition = addition_from(value, mending.options);
    const std::uint64_t size = addition.content.size(), address = addition.address;
    check_width(image, address);
    // What ends past the last address would begin again at 0.
    if (const std::uint64_t last = image.is_64_bit ? UINT64_MAX : UINT32_MAX; size != 0 && size - 1 > last - address)
        throw Error(ErrorCode::usage, "the segment would reach past the end of memory")
            .in("address")
            .wanted(fmt::format("at most {}", hex_text(last - (size - 1), 1)))
            .found(hex_text(address, 1));
    if (image.type == 1 || image.segments.empty())
        throw Error(ErrorCode::unsupported, "the file has no segments: it is not linked to be run");
    if (image.segments.size() + 2 >= 0xFFFF) throw Error(ErrorCode::unsupported, "the file has too many segments");
    std::uint64_t align = 1;
    for (const ElfSegment& s : image.segments)
        if (s.type == elf_load && s.align > align && s.align <= (1U << 20) && std::has_single_bit(s.align))
            align = s.align;
    check_room(segments_of(image), address, size, align >= page ? page : 1);
    const unsigned rights = addition.rights.empty() ? 5 : rights_from(addition.rights);
    Growth growth{mending.file, image, ChangeList(mending.file.size())};
    const std::uint64_t at = congruent(growth.end(), address, align);
    growth.append_at(at, addition.content);
    const ElfSegment added{elf_load, rights, at, address, address, size, size, align};
    std::vector<ElfSegment> segments = image.segments;
    const auto unused =
        std::find_if(segments.begin(), segments.end(), [](const auto& s) { return s.type == elf_null; });
    const std::uint64_t row = image.segment_size();
    std::string how;
    if (unused != segments.end()) {
        how = "in an unused program header";
        segments.erase(unused);
        insert_load(segments, added);
        growth.write_table(segments);
    } else if (is_unused(mending.file, image, image.program_headers + segments.size() * row, row)) {
        how = "in a program header behind the others";
        insert_load(segments, added);
        for (ElfSegment& s : segments)
            if (s.type == elf_program_headers) s.file_size += row, s.memory_size += row;
        growth.write_table(segments);
        growth.number(image.segment_count_at(), segments.size(), 2);
    } else {
        how = "the program headers moved to the end of the file";
        move_table(growth, std::move(segments), added, align);
    }
    growth.list.put(mending.file.size(), 0, std::move(growth.tail));
    mending.fields.push_back({"segment", "-",
                              fmt::format("{} at {}, from {} in the file, {}", counted(size, "byte", "bytes"),
                                          hex_text(address, 1), offset_text(at), how)});
    return std::move(growth.list);
}

using Value = MendRow::Value;

}  // namespace

constinit const MendRow elf_mends[3] = {{.name = "add-segment",
                                         .turn = Turn::size,
                                         .takes = Value::needed,
                                         .value = "FILE@ADDRESS, perhaps with rights: code.bin@0x500000:rwx",
                                         .what = "code or data put in at an address",
                                         .change = add_segment,
                                         .repeats = true},
                                        {.name = "entry",
                                         .takes = Value::needed,
                                         .value = "an address in memory: 0x401000",
                                         .what = "where the program begins to run",
                                         .change = entry},
                                        {.name = "segment-flags",
                                         .takes = Value::needed,
                                         .value = "NUMBER:RIGHTS, for example 2:rwx",
                                         .what = "whether a segment may be read, written, executed",
                                         .change = segment_flags,
                                         .repeats = true}};

}  // namespace hotstitch::executable
