// SPDX-License-Identifier: MIT
// The kinds of file, one row each in kinds.cc: how one is known and how it opens. A new kind is one file and one row.
#pragma once

#include "hotstitch/part.h"

namespace hotstitch {

/// How surely a file is of a kind. Who bids most takes it; of those who bid the same, the first in the table.
enum class Bid : std::uint8_t {
    nothing,
    perhaps,      ///< what stands there fits, and might by chance
    unpacks,      ///< packed without a word at its begin: all of it unpacks
    rules,        ///< headers without a word at their begin agree with each other
    first_bytes,  ///< they name it
    proven,       ///< its own checksums are right
    structure,    ///< it stands at a fixed place, or holds from the begin to the end
    unlike,       ///< its first bytes are those of nothing else
};

struct Recognised {
    Bid bid = Bid::nothing;
    Identity identity{};
};

struct Kind {
    KindId id{};
    Bid most{};  ///< that it ever bids
    /// `by_head`: what its first bytes say, and its size. Nothing: it is none. Throws Error(io).
    std::optional<Recognised> (*recognise)(const ByteSource& file, const Identity& by_head) = nullptr;
    /// Null: it has no parts.
    std::unique_ptr<Container> (*open)(const ByteSource& file, Identity identity, const Limits& limits,
                                       const Progress& progress) = nullptr;
};

/// While it lives, one row more: of a kind that a test makes up. Not while other threads look at files.
class FurtherKind {
public:
    explicit FurtherKind(const Kind& kind);
    ~FurtherKind();
    FurtherKind(const FurtherKind&) = delete;
    FurtherKind& operator=(const FurtherKind&) = delete;
};

/// A disc image with a file system or in whole sectors: a few sectors are read.
std::optional<Recognised> recognise_disc(const ByteSource& file, const Identity& by_head);
/// A disc with a table of its files, or with encrypted partitions.
std::optional<Recognised> recognise_table_disc(const ByteSource& file, const Identity& by_head);
/// A disc in blocks; some begin like the disc.
std::optional<Recognised> recognise_copy(const ByteSource& file, const Identity& by_head);
/// Tagged chunks to the end of the file.
std::optional<Recognised> recognise_chunks(const ByteSource& file, const Identity& by_head);
/// What begins like an executable; what is broken in it becomes a warning.
std::optional<Recognised> recognise_executable(const ByteSource& file, const Identity& by_head);
/// One without a word at its begin.
std::optional<Recognised> recognise_plain_executable(const ByteSource& file, const Identity& by_head);
/// A packed file without a word at its begin: all of it is read.
std::optional<Recognised> recognise_payload(const ByteSource& file, const Identity& by_head);

/// REQUIRES that the kind recognised the file. Throw what opening it throws.
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
std::unique_ptr<Container> open_table_disc(const ByteSource& file, Identity identity, const Limits& limits,
                                           const Progress& progress);

/// A file packed by this codec, whatever it begins with. REQUIRES is_codec(codec).
std::unique_ptr<Container> open_payload_as(const ByteSource& file, std::string_view codec, const Limits& limits);

/// A compressed file with other content. Throws Error(unsupported, limit).
ChangeList put_content(const ByteSource& packed, const ByteSource& content, const Limits& limits);

/// The change that puts `content` where the part stands, byte for byte what differs; behind shorter content goes
/// `fill`, where there is one. Throws Error(usage) when it does not fit.
ChangeList put_in_place(const ByteSource& file, const Part& part, const ByteSource& content,
                        std::optional<std::byte> fill, const std::string& hint);

}  // namespace hotstitch
