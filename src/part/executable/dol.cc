// SPDX-License-Identifier: MIT
// `.dol` executables (docs/formats/executables.md): a table of 7 sections of code and 11 of data, and no word to know
// them by: all that the header says has to fit. Tested by tests/part/executable_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/executable/executable.h"

namespace hotstitch::executable {
namespace {

constexpr std::uint64_t header_size = 0x100, addresses_at = 0x48, sizes_at = 0x90, bss_at = 0xD8, entry_at = 0xE0;
constexpr std::uint64_t granule = 32;  ///< what the console loads at once
constexpr std::size_t code_sections = 7, all_sections = 18;
constexpr std::uint32_t memory_begin = 0x80000000, memory_end = 0x94000000;

struct Dol {
    std::array<MemorySegment, all_sections> sections;
    std::uint32_t bss = 0, bss_size = 0, entry = 0;
    std::vector<MemorySegment> loaded() const {
        std::vector<MemorySegment> list;
        for (const MemorySegment& s : sections)
            if (s.size != 0) list.push_back(s);
        return list;
    }
};

void check_section(const ByteSource& file, const Dol& image, std::size_t number) {
    const MemorySegment& s = image.sections[number];
    if (s.size == 0) return;
    check_inside(file, s.offset, s.size, 4 * number, s.name);
    if (s.offset < header_size)
        damaged(s.name + " lies in the header", 4 * number, "offset", {}, offset_text(s.offset));
    if (s.address < memory_begin || s.address >= memory_end || s.size > memory_end - s.address)
        damaged(s.name + " lies outside the console's memory", addresses_at + 4 * number, "address", {},
                hex_text(s.address, 8));
    for (std::size_t other = 0; other < number; ++other) {
        const MemorySegment& o = image.sections[other];
        if (o.size == 0) continue;
        if (s.address < o.address + o.size && o.address < s.address + s.size)
            damaged(fmt::format("{} and {} overlap in memory", o.name, s.name), addresses_at + 4 * number, "address",
                    {}, hex_text(s.address, 8));
    }
}

Dol read_dol(const ByteSource& file) {
    const Header header(file, 0, header_size, std::endian::big, "header");
    Dol image;
    for (std::size_t i = 0; i < all_sections; ++i) {
        const bool code = i < code_sections;
        const std::uint64_t size = header.u32(sizes_at + 4 * i);
        image.sections[i] = {.name = code ? fmt::format("text {}", i) : fmt::format("data {}", i - code_sections),
                             .offset = size == 0 ? 0 : header.u32(4 * i),
                             .size = size,
                             .address = header.u32(addresses_at + 4 * i),
                             .memory = size,
                             .loaded = size != 0,
                             .readable = true,
                             .writable = !code,
                             .executable = code,
                             .entropy = {}};
        check_section(file, image, i);
    }
    std::vector<ToldStretch> stretches;
    for (std::size_t i = 0; i < all_sections; ++i)
        stretches.push_back({image.sections[i].name, image.sections[i].offset, image.sections[i].size, 4 * i});
    check_apart(std::move(stretches));
    image.bss = header.u32(bss_at), image.bss_size = header.u32(bss_at + 4), image.entry = header.u32(entry_at);
    const std::vector<MemorySegment> loaded = image.loaded();
    const MemorySegment* const begin = segment_at(loaded, image.entry);
    if (begin == nullptr || !begin->executable)
        damaged("the entry point lies in no section of code", entry_at, "entry", {}, hex_text(image.entry, 8));
    return image;
}

void identify_dol(const ByteSource& file, Identity& identity) {
    const Dol image = read_dol(file);
    identity.segments = image.loaded();
    identity.entry = image.entry;
    identity.facts.push_back({"machine", "machine", "PowerPC"});
    identity.facts.push_back(
        {"bss", "zeroed", fmt::format("{} at {}", counted(image.bss_size, "byte", "bytes"), hex_text(image.bss, 8))});
}

std::vector<Part> parts_of_dol(const ByteSource& file) {
    const Dol image = read_dol(file);
    PartList parts;
    parts.add("header", PartKind::header, 0, header_size);
    std::uint64_t end = header_size;
    for (const MemorySegment& s : image.loaded()) {
        parts.add(s.name, PartKind::section, s.offset, s.size);
        end = std::max(end, s.offset + s.size);
    }
    parts.add("overlay", PartKind::overlay, end, file.size() - end);
    return parts.take();
}

ChangeList entry(FileMending& mending, std::string_view value) {
    const Dol image = read_dol(mending.file);
    const std::uint64_t address = address_from(value);
    check_entry(image.loaded(), address);
    ChangeList list(mending.file.size());
    mending.fields.push_back({"entry", hex_text(image.entry, 8), hex_text(address, 8)});
    set_number(mending.file, list, entry_at, address, 4, std::endian::big);
    return list;
}

/// Into the first unused section: one of code, or of data where `:rw` or the like says that it is none.
ChangeList add_section(FileMending& mending, std::string_view value) {
    const Dol image = read_dol(mending.file);
    Addition addition = addition_from(value, mending.options);
    if (addition.address % granule != 0)
        throw Error(ErrorCode::usage, "the console loads sections to multiples of 32 bytes")
            .in("address")
            .wanted("a multiple of 0x20")
            .found(hex_text(addition.address, 8));
    const bool code = addition.rights.empty() || (rights_from(addition.rights) & 1) != 0;
    const std::size_t first = code ? 0 : code_sections, last = code ? code_sections : all_sections;
    const auto begin = image.sections.begin();
    const auto free =
        std::find_if(begin + static_cast<std::ptrdiff_t>(first), begin + static_cast<std::ptrdiff_t>(last),
                     [](const MemorySegment& s) { return s.size == 0; });
    const auto number = static_cast<std::size_t>(free - begin);
    if (number == last)
        throw Error(ErrorCode::unsupported,
                    code ? "all 7 sections of code are used" : "all 11 sections of data are used")
            .hint(code ? "add it as data: FILE@ADDRESS:rw" : "");
    const std::uint64_t size = mending.file.size(), at = (size + granule - 1) / granule * granule;
    const std::uint64_t content = addition.content.size(), whole = (content + granule - 1) / granule * granule;
    if (addition.address < memory_begin || addition.address >= memory_end || whole > memory_end - addition.address)
        throw Error(ErrorCode::usage, "the console has no memory there")
            .in("address")
            .wanted(fmt::format("{} to {}", hex_text(memory_begin, 8), hex_text(memory_end - 1, 8)))
            .found(hex_text(addition.address, 8));
    check_room(image.loaded(), addition.address, whole, 1);
    if (addition.address < std::uint64_t{image.bss} + image.bss_size && image.bss < addition.address + whole)
        mending.warnings.emplace_back("it lies in memory that the header names as zeroed, perhaps after it is loaded");
    ChangeList list(size);
    set_number(mending.file, list, 4 * number, at, 4, std::endian::big);
    set_number(mending.file, list, addresses_at + 4 * number, addition.address, 4, std::endian::big);
    set_number(mending.file, list, sizes_at + 4 * number, whole, 4, std::endian::big);
    addition.content.insert(addition.content.begin(), static_cast<std::size_t>(at - size), std::byte{0});
    addition.content.resize(static_cast<std::size_t>(at - size + whole));
    list.put(size, 0, std::move(addition.content));
    mending.fields.push_back({image.sections[number].name, "-",
                              fmt::format("{} at {}, from {} in the file", counted(whole, "byte", "bytes"),
                                          hex_text(addition.address, 8), offset_text(at))});
    return list;
}

using Value = MendRow::Value;
constexpr MendRow mends[] = {{.name = "add-section",
                              .turn = Turn::size,
                              .takes = Value::needed,
                              .value = "FILE@ADDRESS, for data with :rw behind it: code.bin@0x80400000",
                              .what = "code or data put in at an address",
                              .change = add_section,
                              .repeats = true},
                             {.name = "entry",
                              .takes = Value::needed,
                              .value = "an address in memory: 0x80003100",
                              .what = "where the program begins to run",
                              .change = entry}};

/// The first section of code stands behind the header.
bool begins_dol(ByteView head) {
    return head.size() >= header_size && u32be(head, 0) == header_size && u32be(head, addresses_at) >= memory_begin &&
           u32be(head, addresses_at) < memory_end;
}

}  // namespace

constinit const Format dol{.platform = "dol",
                           .title = "DOL executable",
                           .begins = begins_dol,
                           .by_rules = true,
                           .identify = identify_dol,
                           .parts = parts_of_dol,
                           .mends = mends};

}  // namespace hotstitch::executable
