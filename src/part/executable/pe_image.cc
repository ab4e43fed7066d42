// SPDX-License-Identifier: MIT
// Reads the headers of a PE image; everything that they say of places is checked against the file. Tested by
// tests/part/executable_test.cc.
#include "part/executable/pe_image.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

#include "digest/sums.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch::executable {
namespace {

constexpr std::size_t coff_size = 24, section_size = 40, most_directories = 16;

void read_optional_header(const ByteSource& file, std::size_t size, PeImage& image) {
    const std::uint64_t at = image.header + coff_size;
    if (size < 96)
        damaged("the PE optional header is too short", image.header + 20, "size of the optional header",
                "at least 96 bytes", counted(size, "byte", "bytes"));
    const Header optional(file, at, size, std::endian::little, "PE optional header");
    const unsigned magic = optional.u16(0);
    if (magic != 0x10B && magic != 0x20B)
        damaged("the PE optional header is of no known kind", at, "magic of the optional header", "10b or 20b",
                fmt::format("{:x}", magic));
    image.is_64_bit = magic == 0x20B;
    const std::size_t fixed = image.is_64_bit ? 112 : 96;
    if (size < fixed)
        damaged("the PE optional header is too short", image.header + 20, "size of the optional header",
                counted(fixed, "byte", "bytes"), counted(size, "byte", "bytes"));
    image.entry = optional.u32(16);
    image.image_base = image.is_64_bit ? optional.u64(24) : optional.u32(28);
    image.headers_size = std::min<std::uint64_t>(optional.u32(60), file.size());
    image.checksum = optional.u32(64);
    image.subsystem = optional.u16(68);
    image.dll_characteristics = optional.u16(70);
    const std::uint64_t count = optional.u32(fixed - 4);
    if (count > (size - fixed) / 8)
        damaged("the PE header claims more directories than it has room for", at + fixed - 4, "number of directories",
                fmt::format("at most {}", (size - fixed) / 8), grouped(count));
    for (std::size_t i = 0; i < std::min<std::uint64_t>(count, most_directories); ++i)
        image.directories.push_back({optional.u32(fixed + 8 * i), optional.u32(fixed + 8 * i + 4)});
    if (const PeDirectory certificates = image.certificates(); certificates.size != 0)
        check_inside(file, certificates.address, certificates.size, image.directory_at(4), "certificate table");
}

/// A name of more than eight letters stands in the table behind the symbols: "/19" is where. As it is where there is
/// none.
std::string section_name(const ByteSource& file, std::string_view name, std::uint64_t strings) {
    constexpr std::size_t longest = 64;
    name = name.substr(0, name.find('\0'));
    std::uint64_t at = 0;
    const char* const end = name.data() + name.size();
    if (strings == 0 || name.size() < 2 || name.front() != '/' ||
        std::from_chars(name.data() + 1, end, at).ptr != end || strings + at >= file.size())
        return std::string(name);
    const Bytes text = head_of(SliceSource(borrowed(file), strings + at, file.size() - strings - at), longest);
    return std::string(text_of(text).substr(0, text_of(text).find('\0')));
}

void read_sections(const ByteSource& file, std::uint64_t at, std::size_t count, std::uint64_t strings, PeImage& image) {
    const Header table(file, at, count * section_size, std::endian::little, "section table");
    for (std::size_t i = 0; i < count; ++i) {
        const std::size_t row = i * section_size;
        const std::uint32_t flags = table.u32(row + 36);
        PeSection section{.name = section_name(file, text_of(table.bytes().subspan(row, 8)), strings),
                          .offset = table.u32(row + 20),
                          .size = table.u32(row + 16),
                          .address = table.u32(row + 12),
                          .memory = table.u32(row + 8),
                          .readable = (flags & 0x40000000) != 0,
                          .writable = (flags & 0x80000000) != 0,
                          .executable = (flags & 0x20000000) != 0};
        if (section.name.empty()) section.name = fmt::format("section {}", i);
        if (section.offset == 0) section.size = 0;
        if (section.size == 0) section.offset = 0;
        if (section.memory == 0) section.memory = static_cast<std::uint32_t>(section.size);
        check_inside(file, section.offset, section.size, at + row + 16, fmt::format("section {}", section.name));
        if (section.memory > UINT32_MAX - section.address)
            damaged(fmt::format("section {} goes round the end of memory", section.name), at + row + 8, "virtual size",
                    "an end below 4 GiB", grouped(section.memory));
        image.sections.push_back(std::move(section));
    }
    std::vector<ToldStretch> stretches;
    for (std::size_t i = 0; i < count; ++i) {
        const PeSection& section = image.sections[i];
        stretches.push_back({section.name, section.offset, section.size, at + i * section_size + 20});
    }
    check_apart(std::move(stretches));
}

/// Shannon's entropy of at most 4 MiB, in bits a byte.
double sampled_entropy(const ByteSource& file, const PeSection& section) {
    constexpr std::uint64_t most = std::uint64_t{4} << 20;
    const Bytes bytes = head_of(SliceSource(borrowed(file), section.offset, section.size), most);
    std::array<double, 256> counts{};
    for (const std::byte b : bytes) ++counts[std::to_integer<std::size_t>(b)];
    double bits = 0;
    for (const double count : counts)
        if (count != 0)
            bits -= count / static_cast<double>(bytes.size()) * std::log2(count / static_cast<double>(bytes.size()));
    return bits;
}

/// How many functions the import table names, up to `most`; nothing where it cannot be read.
std::optional<std::size_t> imported_names(const ByteSource& file, const PeImage& image, std::size_t most) {
    const PeDirectory imports = image.directory(1);
    if (imports.size == 0) return std::nullopt;
    const std::size_t width = image.is_64_bit ? 8 : 4;
    std::size_t names = 0;
    constexpr std::uint64_t row_size = 20, most_rows = 4096;
    const auto at = image.offset_of(imports.address);
    if (!at) return std::nullopt;
    try {
        for (std::uint64_t row = *at; names <= most && row < *at + row_size * most_rows; row += row_size) {
            const Header descriptor(file, row, row_size, std::endian::little, "import table");
            const std::uint32_t list = descriptor.u32(0) != 0 ? descriptor.u32(0) : descriptor.u32(16);
            if (list == 0) return names;
            auto entry = image.offset_of(list);
            if (!entry) return std::nullopt;
            while (names <= most &&
                   Header(file, *entry, width, std::endian::little, "import list").number(0, width) != 0)
                *entry += width, ++names;
        }
    } catch (const Error& error) {
        if (error.code() == ErrorCode::io) throw;
        return std::nullopt;
    }
    return names;
}

}  // namespace

std::uint64_t PeImage::sections_end() const noexcept {
    std::uint64_t end = std::min<std::uint64_t>(headers_size, UINT32_MAX);
    for (const PeSection& section : sections) end = std::max(end, section.offset + section.size);
    return end;
}

std::optional<std::uint64_t> PeImage::offset_of(std::uint32_t address) const noexcept {
    for (const PeSection& section : sections)
        if (address >= section.address && address - section.address < section.size)
            return section.offset + (address - section.address);
    return std::nullopt;
}

std::optional<PeImage> read_pe(const ByteSource& file) {
    constexpr std::size_t dos_header = 64;
    if (file.size() < dos_header) return std::nullopt;
    const Header dos(file, 0, dos_header, std::endian::little, "DOS header");
    PeImage image;
    image.header = dos.u32(0x3C);
    const bool declares_newer = dos.u16(0x18) >= dos_header;
    if (image.header > file.size() || file.size() - image.header < coff_size) {
        if (!declares_newer || image.header == 0) return std::nullopt;
        damaged("the header of the Windows executable lies outside the file", 0x3C, "place of the PE header",
                fmt::format("inside the file of {}", counted(file.size(), "byte", "bytes")), offset_text(image.header));
    }
    const Header coff(file, image.header, coff_size, std::endian::little, "PE header");
    if (!text_of(coff.bytes()).starts_with(std::string_view("PE\0\0", 4))) return std::nullopt;
    image.machine = coff.u16(4);
    image.characteristics = coff.u16(22);
    const std::size_t optional_size = coff.u16(20);
    read_optional_header(file, optional_size, image);
    constexpr std::uint64_t symbol_size = 18;
    const std::uint64_t strings = coff.u32(12) == 0 ? 0 : coff.u32(12) + symbol_size * coff.u32(16);
    read_sections(file, image.header + coff_size + optional_size, coff.u16(6), strings, image);
    return image;
}

PeImage need_pe(const ByteSource& file) {
    auto image = read_pe(file);
    if (!image)
        throw Error(ErrorCode::unsupported, "this is an executable for DOS or for 16-bit systems, without a PE header");
    return *std::move(image);
}

std::uint32_t pe_checksum(const ByteSource& file, const PeImage& image) {
    std::uint64_t sum = 0;
    for_each_piece(file, [&](ByteView piece) { sum += sum_of_little_words(piece); });
    // The field itself counts as 0.
    const Header field(file, image.checksum_at(), 4, std::endian::little, "CheckSum");
    for (std::size_t i = 0; i < 4; ++i) sum -= field.number(i, 1) << ((image.checksum_at() + i) % 2 == 0 ? 0 : 8);
    while (sum > 0xFFFF) sum = (sum & 0xFFFF) + (sum >> 16);
    return static_cast<std::uint32_t>(sum + file.size());
}

std::vector<std::string> packing_signs(const ByteSource& file, const PeImage& image) {
    constexpr double near_eight = 7.2;
    constexpr std::uint64_t least_telling = 8 << 10, inflated = 64 << 10;
    constexpr std::size_t handful = 12;
    std::vector<std::string> signs;
    const auto holds_entry = [&](const PeSection& s) {
        return image.entry >= s.address && image.entry - s.address < std::max<std::uint64_t>(s.memory, s.size);
    };
    const auto entry = std::find_if(image.sections.begin(), image.sections.end(), holds_entry);
    if (image.entry != 0 && (entry == image.sections.end() || !entry->executable))
        signs.emplace_back("its entry point lies outside its code");
    else if (image.entry != 0 && image.sections.size() > 1 && entry + 1 == image.sections.end())
        signs.push_back(fmt::format("its entry point lies in its last section, {}", entry->name));
    for (const PeSection& section : image.sections) {
        if (!section.executable) continue;
        if (section.size >= least_telling)
            if (const double entropy = sampled_entropy(file, section); entropy >= near_eight)
                signs.push_back(fmt::format("its code in {} looks random: {:.2f} bits a byte", section.name, entropy));
        if (section.memory > inflated && section.memory / 4 > section.size)
            signs.push_back(fmt::format("{} is {} in memory and only {} in the file", section.name,
                                        size_text(section.memory), size_text(section.size)));
    }
    if (!image.is_managed() && !image.is_dll())
        if (const auto names = imported_names(file, image, handful); names && *names <= handful)
            signs.push_back(fmt::format("it names only {} that it imports", counted(*names, "function", "functions")));
    return signs;
}

}  // namespace hotstitch::executable
