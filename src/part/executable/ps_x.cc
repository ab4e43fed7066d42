// SPDX-License-Identifier: MIT
// Executables of the 32-bit console whose header takes 2048 bytes (docs/formats/executables.md): one piece, loaded to
// one address. Tested by tests/part/executable_test.cc.
#include <fmt/format.h>

#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/executable/executable.h"

namespace hotstitch::executable {
namespace {

constexpr std::uint64_t header_size = 2048, entry_at = 0x10;

struct PsX {
    std::uint32_t entry = 0, global_pointer = 0, address = 0, size = 0, stack = 0;
    std::string_view region;
};

PsX read_ps_x(const ByteSource& file) {
    const Header header(file, 0, header_size, std::endian::little, "header");
    PsX image{.entry = header.u32(entry_at),
              .global_pointer = header.u32(0x14),
              .address = header.u32(0x18),
              .size = header.u32(0x1C),
              .stack = header.u32(0x30),
              .region = {}};
    check_inside(file, header_size, image.size, 0x1C, "program");
    if (image.size > UINT32_MAX - image.address)
        damaged("the program goes round the end of memory", 0x1C, "size", {}, grouped(image.size));
    // A sentence says for which area it is.
    const std::string_view text = text_of(header.bytes()).substr(0x4C, 64);
    for (const std::string_view area : {"Europe", "North America", "Japan"})
        if (text.find(area) != text.npos) image.region = area;
    return image;
}

std::vector<MemorySegment> segments_of(const PsX& image) {
    return {{.name = "program",
             .offset = header_size,
             .size = image.size,
             .address = image.address,
             .memory = image.size,
             .loaded = true,
             .readable = true,
             .writable = true,
             .executable = true,
             .entropy = {}}};
}

void identify_ps_x(const ByteSource& file, Identity& identity) {
    const PsX image = read_ps_x(file);
    identity.segments = segments_of(image);
    identity.entry = image.entry;
    identity.region = image.region;
    identity.facts.push_back({"machine", "machine", "32-bit MIPS"});
    identity.facts.push_back({"stack", "stack", hex_text(image.stack, 8)});
    if (image.size % header_size != 0)
        identity.warnings.emplace_back("its size is no multiple of 2,048 bytes, which a disc needs");
}

std::vector<Part> parts_of_ps_x(const ByteSource& file) {
    const PsX image = read_ps_x(file);
    PartList parts;
    parts.add("header", PartKind::header, 0, header_size);
    parts.add("program", PartKind::section, header_size, image.size);
    parts.add("overlay", PartKind::overlay, header_size + image.size, file.size() - header_size - image.size);
    return parts.take();
}

ChangeList entry(FileMending& mending, std::string_view value) {
    const PsX image = read_ps_x(mending.file);
    const std::uint64_t address = address_from(value);
    check_entry(segments_of(image), address);
    ChangeList list(mending.file.size());
    mending.fields.push_back({"entry", hex_text(image.entry, 8), hex_text(address, 8)});
    set_number(mending.file, list, entry_at, address, 4, std::endian::little);
    return list;
}

constexpr MendRow mends[] = {{.name = "entry",
                              .takes = MendRow::Value::needed,
                              .value = "an address in memory: 0x80010000",
                              .what = "where the program begins to run",
                              .change = entry}};

}  // namespace

constinit const Format ps_x{.platform = "ps-x",
                            .title = "PS-X executable",
                            .begins = [](ByteView head) { return text_of(head).starts_with("PS-X EXE"); },
                            .identify = identify_ps_x,
                            .parts = parts_of_ps_x,
                            .mends = mends};

}  // namespace hotstitch::executable
