// SPDX-License-Identifier: MIT
// The header that discs with a table of files begin with, and what follows from it. docs/formats/discs.md, "Discs with
// a table of files".
#pragma once

#include <optional>

#include "hotstitch/identity.h"

namespace hotstitch::table_disc {

/// Which console, by the magic number of the header.
enum class Generation { earlier, later };

namespace header {  // places of fields, in bytes
inline constexpr std::uint64_t disc_number = 6, revision = 7, later_magic = 0x18, earlier_magic = 0x1C, title = 0x20,
                               title_size = 0x60, program = 0x420, table = 0x424, table_size = 0x428,
                               table_most = 0x42C, region = 0x458, end = 0x2440;
}

/// Nothing: no such disc begins so.
std::optional<Generation> generation_of(ByteView head) noexcept;

/// "GKHP99": game id and maker; empty where they are no letters and digits.
std::string game_id(ByteView head);

/// Size of a full disc of the earlier console, or of the kind of the later one that holds so much, in bytes.
std::uint64_t full_size(Generation generation, std::uint64_t used) noexcept;

/// Title, id, region, revision, disc number. REQUIRES 0x100 bytes.
void tell_game(ByteView head, Identity& identity);

}  // namespace hotstitch::table_disc
