// SPDX-License-Identifier: MIT
// Addresses of executables; those of cartridges come from the maps of their platforms. Tested by
// tests/part/cartridge_test.cc and tests/part/executable_test.cc.
#include "hotstitch/place.h"

#include <fmt/format.h>

#include "base/numbers.h"
#include "hotstitch/error.h"
#include "part/cartridge/platform.h"
#include "part/executable/executable.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

std::string address_in(const Identity& executable, std::uint64_t offset) {
    for (const MemorySegment& segment : executable.segments)
        if (segment.loaded && offset >= segment.offset && offset - segment.offset < segment.size)
            return hex_text(segment.address + (offset - segment.offset), 1);
    return {};
}

Place place_in(const Identity& executable, const ByteSource& file, std::string_view text) {
    std::uint64_t offset = 0;
    if (text.starts_with('+')) {
        offset = executable::address_from(text.substr(1));
        if (offset >= file.size())
            throw Error(ErrorCode::usage, fmt::format("{} lies past the end of the file", text))
                .wanted(fmt::format("below {:#x}", file.size()));
    } else {
        const std::uint64_t address = executable::address_from(text.substr(text.starts_with('$') ? 1 : 0));
        const MemorySegment* const segment = executable::segment_at(executable.segments, address);
        if (segment == nullptr)
            throw Error(ErrorCode::usage, fmt::format("nothing of the executable stands at {}", text))
                .wanted("an address in one of its segments, or +0x1234 for an offset in the file");
        if (address - segment->address >= segment->size)
            throw Error(ErrorCode::usage, fmt::format("{} is memory of {} that is filled with 00, not from the file",
                                                      text, segment->name));
        offset = segment->offset + (address - segment->address);
    }
    return {offset, offset, address_in(executable, offset)};
}

}  // namespace

bool has_addresses(const Identity& identity) {
    return identity.is(KindId::executable) ? !identity.segments.empty() : cartridge::has_map(identity);
}

Place place_at(const Identity& identity, const ByteSource& file, std::string_view text) {
    return identity.is(KindId::executable) ? place_in(identity, file, text)
                                           : cartridge::place_at(identity, WholeView(file), text);
}

Place place_at(const Identity& identity, ByteView file, std::string_view text) {
    return place_at(identity, MemorySource(file), text);
}

std::string address_of(const Identity& identity, const ByteSource& file, std::uint64_t rom_offset) {
    return identity.is(KindId::executable) ? address_in(identity, rom_offset)
                                           : cartridge::address_in(identity, WholeView(file), rom_offset);
}

}  // namespace hotstitch
