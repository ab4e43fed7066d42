// SPDX-License-Identifier: MIT
// What is inside a file: an archive has members, a cartridge ROM its front header, header and banks, an executable its
// sections, a packed file its content. A part is a file of its own, and may have parts again:
// "shelf.zip:games/kelp.sfc:bank 3".
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/address.h"
#include "hotstitch/bytes.h"
#include "hotstitch/change_list.h"
#include "hotstitch/edit.h"
#include "hotstitch/error.h"
#include "hotstitch/export.h"
#include "hotstitch/identity.h"
#include "hotstitch/kind.h"
#include "hotstitch/limits.h"
#include "hotstitch/source.h"

namespace hotstitch {

struct Part {
    std::string name;  ///< as the container spells it, unchecked, folders with '/'
    PartKind kind{};
    std::optional<std::uint64_t> size;    ///< bytes; of a member of an archive as it is stated there, unchecked
    std::optional<std::uint64_t> offset;  ///< in the container, where the part stands there in one piece as it is
    /// Reads its first bytes, at most 512, while it is visited; empty: they are not at hand, or the visit is over.
    std::function<Bytes()> head{};
    bool encrypted = false;
    bool follows = false;   ///< the container makes it of its other parts: a table of its files
    PartStorage storage{};  ///< why it has no offset
};

/// Hands out the content of the part that is visited; at most once. Throws Error(unsupported) when it is encrypted,
/// Error(damaged, limit, io, cancelled).
using ExtractPart = std::function<void(ByteSink&)>;
/// Stop ends the visit.
using VisitPart = std::function<Flow(const Part&, const ExtractPart&)>;

/// Where a part goes that may not fit where it was. A put never moves what it was not asked to move.
enum class Room {
    any,      ///< in its place, else behind everything else
    place,    ///< in its place or not at all
    append,   ///< as `any`, and new parts of a disc too
    rebuild,  ///< in its place, and what follows it moves
};

struct PutOptions {
    bool mend = true;  ///< what depends on the part is put right as well, where it was right before
    Allowed allow{};
    Room room = Room::any;
    bool add = false;  ///< what is not there is added
};

/// What putting a part in comes to.
struct PutResult {
    PutResult(ChangeList list) : change(std::move(list)) {}
    ChangeList change;  ///< of the container
    /// "in-place", "moved", "rebuilt", "added", "removed": stable, for programs; empty: as the part's place says.
    std::string_view how{};
    std::optional<std::uint64_t> from{}, to{};  ///< offsets in the container's data
    std::uint64_t moved_sectors = 0;            ///< by how much what follows it has moved
    std::optional<std::uint64_t> mended{};      ///< bytes outside the part that depend on it, where they are known
    std::vector<std::string> warnings{};
    Part part{};  ///< of the container, that it is about
};

/// One of several changes that are made together: other content, one part more, or (no content) one less.
struct PartChange {
    std::string name;  ///< as the container spells it; of what is new, as it shall be
    SharedSource content{};
    bool add = false;
};
struct PartChanges {
    ChangeList change;             ///< of the container
    std::vector<PutResult> parts;  ///< how each went, in the order given; their lists are empty
};

/// A file that has parts, and which has to outlive the container.
class HOTSTITCH_EXPORT Container {
public:
    virtual ~Container();
    virtual KindId kind() const noexcept = 0;
    virtual std::string title() const = 0;  ///< for people: "a zip archive"

    /// Where the container contradicts itself, for people; what is right in it is among its parts all the same.
    virtual std::vector<std::string> warnings() const { return {}; }

    /// One pass over all parts in the order in which they stand, whatever is extracted on the way.
    /// Throws Error(damaged, limit, io, cancelled).
    virtual void visit(const VisitPart& visitor) const = 0;

    /// The change of the container that puts `content` in the place of the part. Throws Error(unsupported) for
    /// containers that are only read, Error(usage) when it does not fit, Error(refused) for what is not allowed.
    virtual PutResult put(const Part& part, const SharedSource& content, const PutOptions& options) const;
    /// One part more, by this name, or one less. Throw Error(unsupported) where a container has a fixed set of parts,
    /// and what put() throws.
    virtual PutResult add(const std::string& name, const SharedSource& content, const PutOptions& options) const;
    virtual PutResult remove(const Part& part, const PutOptions& options) const;

    /// Several at once, as one new layout: each name once. Nothing: they have to be made one after the other, each on
    /// what the one before has made. Throws what the three above throw.
    virtual std::optional<PartChanges> change_all(const std::vector<PartChange>& changes,
                                                  const PutOptions& options) const;

    /// The part as a source that reads the container's file, where its bytes can be had in any order without being
    /// written somewhere first; null otherwise. `part` is one of parts(). Lives no longer than the container's file.
    virtual SharedSource open(const Part& part) const;

    /// The part as the file stores it, where that is another form than its content: whole sectors, packed bytes. Null
    /// otherwise. As for open().
    virtual SharedSource stored(const Part& part) const;

    /// All parts. Throws as visit() does.
    std::vector<Part> parts() const;
};

/// What somebody knows of files beyond their bytes (Limits::maps): members and packed stretches that are parts, too.
class HOTSTITCH_EXPORT KnownParts {
public:
    virtual ~KnownParts();
    /// How the file is packed, where it is a part that this says so of; empty: nothing says.
    virtual const std::string& codec() const noexcept = 0;
    /// For what lies inside a part of the file. Throws Error(io, damaged, usage).
    virtual std::shared_ptr<const KnownParts> inside(const Identity& identity, const ByteSource& file,
                                                     std::string_view part) const = 0;
    /// The container, which may be null, with what is known of the file besides; as it is where nothing is. `file` has
    /// to outlive it. Throws Error(damaged), Error(io).
    virtual std::unique_ptr<Container> described(const ByteSource& file, const Identity& identity,
                                                 const std::function<std::unique_ptr<Container>()>& open,
                                                 const Limits& limits) const = 0;
};

/// Null when the file has no parts that are known. Throws Error(damaged) when it begins like a container and is broken.
HOTSTITCH_EXPORT std::unique_ptr<Container> open_container(const ByteSource& file, const Limits& limits = {},
                                                           const Progress& progress = {});

/// Whether the file is packed by a codec that is known, and unpacks wholly. Throws Error(io).
HOTSTITCH_EXPORT bool is_packed(const ByteSource& file);

/// The codecs of packed files by name (docs/formats/payloads.md): "lz10, lz11, …".
HOTSTITCH_EXPORT std::string codec_names();
HOTSTITCH_EXPORT bool is_codec(std::string_view name) noexcept;

/// Content packed by a codec of that name, in as few bytes as it can. Throws Error(usage) for a name that is none,
/// Error(unsupported) where it needs an older file to go by, or is not in this build.
HOTSTITCH_EXPORT Bytes pack_content(std::string_view codec, ByteView content);

/// The plain image that a compressed copy of a disc holds, computed while it is read (docs/formats/discs.md,
/// "Compressed copies"); null where the file is none that is read. Throws Error(damaged, truncated, unsupported, io).
HOTSTITCH_EXPORT SharedSource plain_copy(const SharedSource& file);

/// Such a plain image with its parts: the whole of it as `content`, then those of `disc`, which may be null.
HOTSTITCH_EXPORT std::unique_ptr<Container> with_content(const ByteSource& plain, std::unique_ptr<Container> disc);

/// The part of this name; where there is none, the only one whose name differs in case or in a version (";1") alone;
/// else nothing. No part is opened or read for that. Throws Error(usage) when several differ so, Error(unsupported)
/// where it would lie in an encrypted one.
HOTSTITCH_EXPORT std::optional<Part> part_by_name(const Container& container, std::string_view name);
/// The same, where there has to be one.
HOTSTITCH_EXPORT Part find_part(const Container& container, std::string_view name);
/// Error(usage) that names the nearest parts.
HOTSTITCH_EXPORT Error no_such_part(const Container& container, std::string_view name);

/// Extracts a part by its name, found as by find_part, and returns it; in one pass when it is spelt as it stands.
HOTSTITCH_EXPORT Part extract_part(const Container& container, std::string_view name, ByteSink& out);

/// The part as a source: as Container::open() gives it or, where it has to be unpacked, out of temporary storage.
/// `part` is one of its parts(). Lives no longer than the container's file. Throws as extract_part() does.
HOTSTITCH_EXPORT SharedSource content_of(const Container& container, const Part& part, const Limits& limits = {});

/// The limits for what is opened inside a part of this file: with those of the maps (Limits::maps) that are for it.
/// Throws what reading a map's places throws.
HOTSTITCH_EXPORT Limits limits_inside(const Limits& limits, const ByteSource& file, std::string_view part);

/// How the outermost file is opened into its parts; empty: by open_container(). Whoever knows more of it than its bytes
/// (a cue sheet that names it) says so here.
using OpenOutermost = std::function<std::unique_ptr<Container>(const ByteSource& file, const Limits& limits)>;

/// A file opened into its parts, together with the file: what is held of either keeps both. Copies are the same one.
class HOTSTITCH_EXPORT Listing {
public:
    Listing() = default;
    /// Null where the file has no parts that are known. Throws as open_container() does.
    explicit Listing(SharedSource file, const Limits& limits = {}, const Progress& progress = {},
                     const OpenOutermost& open = {});
    explicit operator bool() const noexcept { return container_ != nullptr; }
    const Container& operator*() const noexcept { return *container_; }
    const Container* operator->() const noexcept { return container_.get(); }
    /// content_of(), which owns what it reads.
    SharedSource content(const Part& part, const Limits& limits = {}) const;

private:
    SharedSource file_;
    std::shared_ptr<const Container> container_;  ///< which reads the file
};

/// What the names lead to, from the outside in; no name: the file itself. Owns what it reads; null where there is no
/// such part. `limits` become those of what is inside. Throws what part_by_name() and content_of() throw.
HOTSTITCH_EXPORT SharedSource find_inside(SharedSource file, const std::vector<std::string>& names, Limits& limits,
                                          const OpenOutermost& open = {});
/// The same, where there has to be one: throws Error(usage) otherwise.
HOTSTITCH_EXPORT SharedSource open_inside(SharedSource file, const std::vector<std::string>& names, Limits& limits,
                                          const OpenOutermost& open = {});

/// What happens to one part of an opened container, whose bytes `file` has.
using ChangeContainer = std::function<PutResult(const Container& container, const std::string& name,
                                                const SharedSource& file, const Limits& limits)>;
/// The change of `file` that follows from one in the container to whose part the names lead, from the outside in; at
/// least one name. Each container on the way is opened once, and closes what the one inside it has become. The result
/// is that of the outermost. Throws Error(usage) where there is no such part, and what put() and `change` throw.
HOTSTITCH_EXPORT PutResult change_container(const SharedSource& file, const std::vector<std::string>& names,
                                            const ChangeContainer& change, const PutOptions& options,
                                            const Limits& limits, const OpenOutermost& open = {});

/// What changes a part, or the file itself, and with which limits it is looked into.
using ChangePart = std::function<ChangeList(const SharedSource& content, const Limits& limits)>;
/// The same of the content of the part or, without a name, of the file itself.
HOTSTITCH_EXPORT ChangeList change_inside(const SharedSource& file, const std::vector<std::string>& names,
                                          const ChangePart& change, const PutOptions& options, const Limits& limits,
                                          const OpenOutermost& open = {});

}  // namespace hotstitch
