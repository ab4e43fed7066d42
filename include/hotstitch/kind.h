// SPDX-License-Identifier: MIT
// The kinds of file and of part that there are, as values: whoever asks for one asks for it by these.
#pragma once

#include <cstdint>
#include <string_view>

#include "hotstitch/export.h"

namespace hotstitch {

/// What a file is, or what opens into parts.
enum class KindId : std::uint8_t {
    data,  ///< of no known kind
    empty,
    text,
    pointer,  ///< to a file that a version-control store keeps elsewhere
    web_page,
    picture,
    document,
    patch,
    other_patch,  ///< in a format that is not read here
    archive,
    payload,  ///< one packed file
    cartridge,
    disc,
    disc_copy,  ///< a disc in blocks
    chunk_file,
    executable,
    folder,     ///< of the system
    described,  ///< opens by a map alone
};
/// "data", "web-page", "disc-copy", …: stable, for programs.
HOTSTITCH_EXPORT std::string_view name_of(KindId kind) noexcept;

/// What a part is of its container.
enum class PartKind : std::uint8_t {
    file,
    content,  ///< all of a packed file
    link,
    track,
    front_header,
    header,
    bank,
    section,
    overlay,  ///< behind what the headers know
    segment,
    signature,
    boot_area,
    main_program,
    ticket,  ///< of a partition, as those that follow
    metadata,
    certificates,
    hashes,
    partition_data,
    table,  ///< of a map
    gap,    ///< what has no name
};
/// "file", "front-header", "boot-area", …: stable, for programs.
HOTSTITCH_EXPORT std::string_view name_of(PartKind kind) noexcept;

/// Where a part's bytes are.
enum class PartStorage : std::uint8_t {
    plain,     ///< in the container, in one piece, as they are
    packed,    ///< the container has them packed
    computed,  ///< out of sectors, or in another order
    encrypted,
    form_2,  ///< of a disc: sound or film
    in_pieces,
    past_the_end,  ///< the container is cut
    in_another_file,
    in_a_folder,
    nowhere,  ///< it has none
    link,
};
/// "packed", "form 2", "past the end", …: stable, for programs and people; empty: plain.
HOTSTITCH_EXPORT std::string_view name_of(PartStorage storage) noexcept;

}  // namespace hotstitch
