// SPDX-License-Identifier: MIT
// What IPS and IPS32 are made of, for reader and writer. Frozen: docs/formats/ips.md.
#pragma once

#include <cstdint>
#include <optional>
#include <string_view>

#include "edit/patch_formats.h"
#include "hotstitch/bytes.h"
#include "hotstitch/patch.h"

namespace hotstitch::ips {

/// The two variants differ in these only.
struct Layout {
    PatchFormat format;
    std::string_view magic;
    std::string_view end_marker;
    std::size_t offset_width;     ///< bytes of an offset, and of the length after the end marker
    std::uint64_t end_as_offset;  ///< the end marker read as an offset: no record may start there
    std::uint64_t last_offset;    ///< the largest offset a record can start at
};

inline constexpr Layout ips{PatchFormat::ips, row_of(PatchFormat::ips).magic, "EOF", 3, 0x454F46, 0xFFFFFF};
inline constexpr Layout ips32{PatchFormat::ips32, row_of(PatchFormat::ips32).magic, "EEOF", 4, 0x45454F46, 0xFFFFFFFF};

inline constexpr std::uint64_t most_in_record = 0xFFFF;
inline constexpr std::size_t size_width = 2;  ///< of a record's size and of a run's length

constexpr const Layout& layout_of(PatchFormat format) {
    return format == PatchFormat::ips32 ? ips32 : ips;
}

struct Record {
    std::uint64_t offset = 0;
    std::uint64_t length = 0;
    std::uint64_t data_at = 0;  ///< where in the patch its data stands; of a run: its one value
    bool is_run = false;
    std::uint64_t end() const noexcept { return offset + length; }
};

/// What follows the end marker.
struct Tail {
    std::optional<std::uint64_t> cut;
    ByteView metadata;  ///< a JSON object
};

/// The tail these bytes are, or nothing when they are none, which makes an "end marker" before them an
/// offset. `json_budget`: bytes of JSON that may still be looked at, reduced by what is; hostile patches
/// could otherwise ask for the same bytes again and again. Throws Error(limit) when it is used up.
std::optional<Tail> parse_tail(const Layout& layout, ByteView tail, std::uint64_t& json_budget);

}  // namespace hotstitch::ips
