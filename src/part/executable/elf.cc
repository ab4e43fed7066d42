// SPDX-License-Identifier: MIT
// What an ELF file says of itself, its parts. Tested by tests/part/executable_test.cc.
#include <fmt/format.h>

#include "base/numbers.h"
#include "digest/sums.h"
#include "part/executable/elf_image.h"

namespace hotstitch::executable {
namespace {

constexpr unsigned mips = 8;

std::string_view machine_words(unsigned machine) {
    switch (machine) {
        case 2: return "SPARC";
        case 3: return "32-bit x86";
        case 4: return "68000";
        case mips: return "MIPS";
        case 20: return "PowerPC";
        case 21: return "64-bit PowerPC";
        case 40: return "ARM";
        case 42: return "SuperH";
        case 62: return "64-bit x86";
        case 183: return "64-bit ARM";
        case 243: return "RISC-V";
        default: return "another machine";
    }
}

std::string_view type_words(unsigned type) {
    switch (type) {
        case 1: return "an object file, not linked";
        case 2: return "an executable at fixed addresses";
        case 3: return "a position-independent executable or library";
        case 4: return "a memory dump";
        default: return "of a type of its own";
    }
}

std::string_view segment_words(std::uint32_t type) {
    switch (type) {
        case elf_null: return "unused";
        case elf_load: return "load";
        case 2: return "dynamic linking";
        case 3: return "interpreter";
        case 4: return "note";
        case elf_program_headers: return "program headers";
        case 7: return "thread-local";
        default: return "other";
    }
}

/// The exclusive or of all 32-bit words of the file.
std::uint32_t xor_of(const ByteSource& file) {
    std::uint32_t value = 0;
    for_each_piece(file, [&](ByteView piece) { value ^= xor_of_words(piece); });
    return value;
}

void identify_elf(const ByteSource& file, Identity& identity) {
    const ElfImage image = read_elf(file);
    const auto fact = [&](std::string_view key, std::string_view label, std::string text) {
        identity.facts.push_back({key, label, std::move(text)});
    };
    const bool little = image.order == std::endian::little;
    fact("machine", "machine", std::string(machine_words(image.machine)));
    fact("class", "class",
         fmt::format("{}-bit, {}", image.is_64_bit ? 64 : 32, little ? "little-endian" : "big-endian"));
    fact("type", "type", std::string(type_words(image.type)));
    identity.segments = segments_of(image);
    for (std::size_t i = 0; i < image.segments.size(); ++i)
        if (image.segments[i].type != elf_load)
            identity.segments[i].name += fmt::format(" ({})", segment_words(image.segments[i].type));
    if (image.entry != 0) identity.entry = image.entry;
    // Loaders of the sixth generation key their lists of edits by this.
    if (image.machine == mips && little && !image.is_64_bit) fact("xor", "xor of words", hex_text(xor_of(file), 8));
}

std::vector<Part> parts_of_elf(const ByteSource& file) {
    const ElfImage image = read_elf(file);
    PartList parts;
    parts.add("header", PartKind::header, 0, image.header_size());
    parts.add("program headers", PartKind::header, image.program_headers, image.segments.size() * image.segment_size());
    for (std::size_t i = 0; i < image.segments.size(); ++i)
        if (image.segments[i].type != elf_null)
            parts.add(fmt::format("segment {}", i), PartKind::segment, image.segments[i].offset,
                      image.segments[i].file_size);
    for (std::size_t i = 0; i < image.sections.size(); ++i)
        parts.add(image.sections[i].name.empty() ? fmt::format("section {}", i) : image.sections[i].name,
                  PartKind::section, image.sections[i].offset, image.sections[i].size);
    return parts.take();
}

}  // namespace

constinit const Format elf{.platform = "elf",
                           .title = "ELF executable",
                           .begins =
                               [](ByteView head) {
                                   return text_of(head).starts_with(
                                       "\x7F"
                                       "ELF");
                               },
                           .identify = identify_elf,
                           .parts = parts_of_elf,
                           .mends = elf_mends};

}  // namespace hotstitch::executable
