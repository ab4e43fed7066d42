// SPDX-License-Identifier: MIT
// Reads the headers of an ELF file; everything that they say of places is checked against the file. Tested by
// tests/part/executable_test.cc.
#include "part/executable/elf_image.h"

#include <fmt/format.h>

#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch::executable {
namespace {

constexpr std::uint32_t no_bits = 8;            ///< a section type: nothing of it stands in the file
constexpr unsigned extended_segments = 0xFFFF;  ///< the count stands in the first section header
constexpr std::uint64_t most_names = std::uint64_t{16} << 20, most_headers = 100'000;

struct Tables {
    std::uint64_t sections = 0;
    std::size_t segment_count = 0, section_count = 0, names = 0;
};

Tables read_header(const ByteSource& file, ElfImage& image) {
    const Header start(file, 0, 16, std::endian::little, "ELF header");
    const unsigned elf_class = static_cast<unsigned>(start.number(4, 1)),
                   data = static_cast<unsigned>(start.number(5, 1));
    if (elf_class != 1 && elf_class != 2)
        damaged("the ELF class is none that there is", 4, "class", "1 or 2", grouped(elf_class));
    if (data != 1 && data != 2)
        damaged("the ELF byte order is none that there is", 5, "byte order", "1 or 2", grouped(data));
    image.is_64_bit = elf_class == 2;
    image.order = data == 1 ? std::endian::little : std::endian::big;
    const Header header(file, 0, image.header_size(), image.order, "ELF header");
    image.type = header.u16(16);
    image.machine = header.u16(18);
    const std::size_t w = image.word();
    image.entry = header.number(24, w);
    image.program_headers = header.number(24 + w, w);
    const std::size_t rest = 24 + 3 * w;
    image.flags = header.u32(rest);
    Tables tables{.sections = header.number(24 + 2 * w, w),
                  .segment_count = header.u16(rest + 8),
                  .section_count = header.u16(rest + 12),
                  .names = header.u16(rest + 14)};
    const std::size_t section_size = image.is_64_bit ? 64 : 40;
    const auto check_entry_size = [&](std::size_t count, std::size_t at, std::size_t wanted, std::string_view field) {
        if (count != 0 && header.u16(at) != wanted)
            damaged(fmt::format("the ELF {} is not what its class has", field), at, field,
                    counted(wanted, "byte", "bytes"), counted(header.u16(at), "byte", "bytes"));
    };
    check_entry_size(tables.segment_count, rest + 6, image.segment_size(), "size of a program header");
    check_entry_size(tables.section_count, rest + 10, section_size, "size of a section header");
    if (tables.sections != 0 && (tables.section_count == 0 || tables.segment_count == extended_segments)) {
        const Header first(file, tables.sections, section_size, image.order, "first section header");
        if (tables.section_count == 0) tables.section_count = static_cast<std::size_t>(first.number(16 + 2 * w, w));
        if (tables.segment_count == extended_segments) tables.segment_count = first.u32(image.is_64_bit ? 44 : 28);
    }
    if (tables.sections == 0) tables.section_count = 0;
    if (tables.segment_count > most_headers || tables.section_count > most_headers)
        throw Error(ErrorCode::limit, "the ELF file has more headers than are looked at")
            .in("number of headers")
            .wanted(fmt::format("at most {} of each kind", grouped(most_headers)))
            .found(fmt::format("{} and {}", grouped(tables.segment_count), grouped(tables.section_count)));
    check_inside(file, image.program_headers, std::uint64_t{tables.segment_count} * image.segment_size(),
                 image.program_headers_at(), "program headers");
    check_inside(file, tables.sections, std::uint64_t{tables.section_count} * section_size, 24 + 2 * w,
                 "section headers");
    return tables;
}

void read_segments(const ByteSource& file, std::size_t count, ElfImage& image) {
    const std::size_t size = image.segment_size();
    const Header table(file, image.program_headers, count * size, image.order, "program headers");
    for (std::size_t i = 0; i < count; ++i) {
        const std::size_t at = i * size;
        ElfSegment s;
        s.type = table.u32(at);
        if (image.is_64_bit)
            s = {s.type,
                 table.u32(at + 4),
                 table.u64(at + 8),
                 table.u64(at + 16),
                 table.u64(at + 24),
                 table.u64(at + 32),
                 table.u64(at + 40),
                 table.u64(at + 48)};
        else
            s = {s.type,
                 table.u32(at + 24),
                 table.u32(at + 4),
                 table.u32(at + 8),
                 table.u32(at + 12),
                 table.u32(at + 16),
                 table.u32(at + 20),
                 table.u32(at + 28)};
        if (s.type != elf_null)
            check_inside(file, s.offset, s.file_size, image.program_headers + at, fmt::format("segment {}", i));
        if (s.type == elf_load && s.memory_size < s.file_size)
            damaged(fmt::format("segment {} is smaller in memory than in the file", i), image.program_headers + at,
                    "size in memory", fmt::format("at least {}", grouped(s.file_size)), grouped(s.memory_size));
        const std::uint64_t end_of_memory = image.is_64_bit ? UINT64_MAX : UINT32_MAX;
        if (s.type == elf_load && s.memory_size > end_of_memory - s.address)
            damaged(fmt::format("segment {} goes round the end of memory", i), image.program_headers + at,
                    "size in memory", fmt::format("at most {}", grouped(end_of_memory - s.address)),
                    grouped(s.memory_size));
        image.segments.push_back(s);
    }
}

void read_sections(const ByteSource& file, const Tables& tables, ElfImage& image) {
    if (tables.section_count == 0) return;
    const std::size_t size = image.is_64_bit ? 64 : 40, w = image.word();
    const Header table(file, tables.sections, tables.section_count * size, image.order, "section headers");
    std::vector<std::uint32_t> names;
    for (std::size_t i = 0; i < tables.section_count; ++i) {
        const std::size_t at = i * size;
        ElfSection s{.name = {},
                     .type = table.u32(at + 4),
                     .flags = table.number(at + 8, w),
                     .address = table.number(at + 8 + w, w),
                     .offset = table.number(at + 8 + 2 * w, w),
                     .size = table.number(at + 8 + 3 * w, w)};
        if (s.type == 0 || s.type == no_bits) s.offset = 0, s.size = 0;
        check_inside(file, s.offset, s.size, tables.sections + at, fmt::format("section {}", i));
        names.push_back(table.u32(at));
        image.sections.push_back(std::move(s));
    }
    if (tables.names >= image.sections.size()) return;
    const ElfSection& strings = image.sections[tables.names];
    if (strings.size > most_names) return;
    const Bytes bytes = head_of(SliceSource(borrowed(file), strings.offset, strings.size), most_names);
    for (std::size_t i = 0; i < names.size(); ++i)
        if (names[i] < bytes.size()) {
            const std::string_view rest = text_of(bytes).substr(names[i], 256);
            image.sections[i].name = rest.substr(0, rest.find('\0'));
        }
}

}  // namespace

Bytes ElfImage::written(const ElfSegment& s) const {
    Bytes out;
    const auto put = [&](std::uint64_t value, std::size_t width) {
        for (std::size_t i = 0; i < width; ++i) {
            const std::size_t shift = 8 * (order == std::endian::little ? i : width - 1 - i);
            out.push_back(static_cast<std::byte>(value >> shift));
        }
    };
    const std::size_t w = word();
    put(s.type, 4);
    if (is_64_bit) put(s.flags, 4);
    for (const std::uint64_t value : {s.offset, s.address, s.physical, s.file_size, s.memory_size}) put(value, w);
    if (!is_64_bit) put(s.flags, 4);
    put(s.align, w);
    return out;
}

ElfImage read_elf(const ByteSource& file) {
    ElfImage image;
    const Tables tables = read_header(file, image);
    read_segments(file, tables.segment_count, image);
    read_sections(file, tables, image);
    return image;
}

std::vector<MemorySegment> segments_of(const ElfImage& image) {
    std::vector<MemorySegment> segments;
    for (std::size_t i = 0; i < image.segments.size(); ++i) {
        const ElfSegment& s = image.segments[i];
        segments.push_back({.name = fmt::format("segment {}", i),
                            .offset = s.type == elf_null ? 0 : s.offset,
                            .size = s.type == elf_null ? 0 : s.file_size,
                            .address = s.address,
                            .memory = s.memory_size,
                            .loaded = s.type == elf_load,
                            .readable = (s.flags & 4) != 0,
                            .writable = (s.flags & 2) != 0,
                            .executable = (s.flags & 1) != 0,
                            .entropy = {}});
    }
    return segments;
}

}  // namespace hotstitch::executable
