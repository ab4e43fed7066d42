// SPDX-License-Identifier: MIT
// The kinds of file that have parts, one row each in table.cc, and what they share.
#pragma once

#include "hotstitch/map.h"
#include "hotstitch/part.h"

namespace hotstitch {

/// REQUIRES that identify() found the file to be of this kind. Throw what opening it throws.
std::unique_ptr<Container> open_archive(const ByteSource& file, Identity identity, const Limits& limits,
                                        const Progress& progress);
std::unique_ptr<Container> open_cartridge(const ByteSource& file, Identity identity, const Limits& limits,
                                          const Progress& progress);
std::unique_ptr<Container> open_chunks(const ByteSource& file, Identity identity, const Limits& limits,
                                       const Progress& progress);
std::unique_ptr<Container> open_copy(const ByteSource& file, Identity identity, const Limits& limits,
                                     const Progress& progress);
std::unique_ptr<Container> open_disc(const ByteSource& file, Identity identity, const Limits& limits,
                                     const Progress& progress);
std::unique_ptr<Container> open_executable(const ByteSource& file, Identity identity, const Limits& limits,
                                           const Progress& progress);
std::unique_ptr<Container> open_payload(const ByteSource& file, Identity identity, const Limits& limits,
                                        const Progress& progress);

/// A file packed by this codec, whatever it begins with. REQUIRES is_codec(codec).
std::unique_ptr<Container> open_payload_as(const ByteSource& file, std::string_view codec, const Limits& limits);

/// The container, which may be null, with the members and packed stretches that maps describe in the file; as it is
/// where they describe none. Throws Error(damaged) naming map and line.
std::unique_ptr<Container> with_described(const ByteSource& file, const Identity& identity,
                                          std::unique_ptr<Container> container, const std::vector<SharedMap>& maps,
                                          const Limits& limits);

/// What kinds without a word at their begin are known by: the whole file. Nothing: it is none. Throw Error(io).
std::optional<FileKind> recognise_payload(const ByteSource& file);

/// A compressed copy of a disc, by its first bytes. Nothing: it is none. Throws Error(io).
std::optional<FileKind> recognise_copy(const ByteSource& file);

/// Whether the file is a disc with a table of its files, or with encrypted partitions: then its kind is set, and what
/// it says. Throws Error(io).
bool identify_table_disc(const ByteSource& file, Identity& identity);
std::unique_ptr<Container> open_table_disc(const ByteSource& file, Identity identity, const Limits& limits,
                                           const Progress& progress);

/// Whether the file is one of tagged chunks to its end. Nothing: it is not. Throws Error(io).
std::optional<FileKind> recognise_chunks(const ByteSource& file);

/// Whether the file is a disc image: then its kind is set, and what it says. A few sectors are read. Throws Error(io).
bool identify_disc(const ByteSource& file, Identity& identity);

/// Fills in what an executable says of itself. What is broken in it becomes a warning. Throws Error(io).
void identify_executable(const ByteSource& file, Identity& identity);
/// Whether a file without a word at its begin is an executable: then its kind is set, and what it says. Throws
/// Error(io).
bool identify_plain_executable(const ByteSource& file, Identity& identity);

/// A compressed file with other content. Throws Error(unsupported, limit).
ChangeList put_content(const ByteSource& packed, const ByteSource& content, const Limits& limits);

/// The change that puts `content` where the part stands, byte for byte what differs; behind shorter content goes
/// `fill`, where there is one. Throws Error(usage) when it does not fit.
ChangeList put_in_place(const ByteSource& file, const Part& part, const ByteSource& content,
                        std::optional<std::byte> fill, const std::string& hint);

}  // namespace hotstitch
