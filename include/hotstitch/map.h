// SPDX-License-Identifier: MIT
// A map says what stands where in files of one kind: tables of named fields, checksums, members of an archive, packed
// stretches. Its language is docs/formats/map.md.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/export.h"
#include "hotstitch/identity.h"
#include "hotstitch/part.h"
#include "hotstitch/source.h"

namespace hotstitch {

/// What a map's text says; its inside is the library's own. Shared: what is bound to a file keeps its map.
struct FieldMap;
using SharedMap = std::shared_ptr<const FieldMap>;

/// The content of a file that a map names ("letters.tbl"), from the folder in which the map lies. Throws Error.
using OpenBeside = std::function<Bytes(const std::string& name)>;

/// `name`: as errors call it. All that can be known without a file is checked. Throws Error(damaged) with the line and,
/// for a key or word that is not known, those that are; Error(limit); Error(unsupported) where the build has no TOML.
HOTSTITCH_EXPORT SharedMap read_map(std::string_view text, const std::string& name, const OpenBeside& beside = {});

/// What a map says of itself.
struct MapTraits {
    std::string name;      ///< of its file
    std::string title;     ///< for people; empty: none
    std::string part;      ///< the address of the part of a file that it is for; empty: for the whole
    bool for_any = false;  ///< it names nothing of its file: it serves where it is handed in for one, and nowhere else
    std::size_t tables = 0, fields = 0, members = 0, payloads = 0, checks = 0;
};
HOTSTITCH_EXPORT MapTraits traits_of(const FieldMap& map);

/// Whether a map is for a file, by what its `[file]` names.
struct MapFit {
    bool fits = false;
    /// What differs, for people: "revision: wants 0 or 1, is 2". Empty where it fits.
    std::vector<std::string> why{};
    /// How many of the things named are right.
    unsigned right = 0;
};
/// `identity`: of the file. Reads all of it where the map names checksums. Throws Error(io).
HOTSTITCH_EXPORT MapFit fit_of(const FieldMap& map, const Identity& identity, const ByteSource& file);

/// Maps that go along wherever files and their parts are opened (Limits::maps): each serves the file, or part of one,
/// that it is for.
class HOTSTITCH_EXPORT Maps final : public KnownParts {
public:
    /// The same text under the same name counts once. `sure`: it is for whatever file it is handed in with.
    void add(SharedMap map, bool sure = false);
    bool empty() const noexcept { return entries_.empty() && codec_.empty(); }

    /// Those that are for this file as a whole. Throws Error(io).
    std::vector<SharedMap> for_file(const Identity& identity, const ByteSource& file) const;

    /// For a part of the file: those that name it, and what is for files of its kind. Throws Error(io, damaged, usage).
    std::shared_ptr<const KnownParts> inside(const Identity& identity, const ByteSource& file,
                                             std::string_view part) const override;
    std::unique_ptr<Container> described(const ByteSource& file, const Identity& identity,
                                         const std::function<std::unique_ptr<Container>()>& open,
                                         const Limits& limits) const override;

    /// How the file is packed, where it is a part that a map says so of; empty: no map says.
    const std::string& codec() const noexcept override { return codec_; }
    /// All, in the order in which they were added.
    std::vector<SharedMap> all() const;

private:
    struct Entry {
        SharedMap map;
        std::vector<std::string> part;  ///< what is left of the address of the part that it is for
        bool for_this = false;          ///< its `[file]` fitted the file around
    };
    std::vector<Entry> entries_;
    std::string codec_;
};

/// The maps of limits; null: none, or not Maps.
HOTSTITCH_EXPORT std::shared_ptr<const Maps> maps_in(const Limits& limits);
/// A copy of them, to add to.
HOTSTITCH_EXPORT std::shared_ptr<Maps> copied_maps(const Limits& limits);

}  // namespace hotstitch
