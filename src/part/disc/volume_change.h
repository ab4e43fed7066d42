// SPDX-License-Identifier: MIT
// Changes of an ISO 9660 volume: a file with other content, one more file, one less. Each is a list of splices of the
// user data, with all records, tables and descriptors that depend on it. docs/formats/discs.md "Putting a file in".
#pragma once

#include <functional>
#include <map>
#include <string>

#include "hotstitch/part.h"
#include "part/disc/volume.h"

namespace hotstitch::disc {

/// All below throw Error(unsupported) where something depends on the change that is not understood, Error(usage) where
/// it does not fit as asked, Error(io).

/// REQUIRES that `entry` is a file of the tree that is shown.
PutResult put_file(const SharedSource& user, const Volume& volume, const Entry& entry, const SharedSource& content,
                   Room room);

struct OtherContent {
    const Entry* entry;
    SharedSource content;
};
/// Several files, as one change of the volume, in which none is moved but those that no longer fit: these go behind all
/// others, one after the other. Returns how each went. REQUIRES at least one, each entry once, and `room` not to be
/// `rebuild`.
std::vector<PutResult> put_files(const SharedSource& user, const Volume& volume, const std::vector<OtherContent>& files,
                                 Room room, ChangeList& change);

struct NewFile {
    std::string path;
    SharedSource content;
};
/// Files more, in folders that are there, as one change of the volume: a folder that has no room for their names gets
/// it once. Returns how each went. Throws Error(usage) for a name that no disc takes or a folder that is not there,
/// Error(unsupported).
std::vector<PutResult> add_files(const SharedSource& user, const Volume& volume, const std::vector<NewFile>& files,
                                 Room room, ChangeList& change);
PutResult remove_file(const SharedSource& user, const Volume& volume, const Entry& entry, Room room);

// What these are made of.

/// Single bytes of sectors, changed in memory, and told as one change.
class SectorEdits {
public:
    explicit SectorEdits(const ByteSource& user) : user_(user) {}
    std::byte get(std::uint64_t place);
    void set(std::uint64_t place, std::byte value);
    void set_bytes(std::uint64_t place, ByteView bytes);
    void set_little(std::uint64_t place, std::uint64_t value);  ///< 32 bits, as both below
    void set_big(std::uint64_t place, std::uint64_t value);
    void set_both(std::uint64_t place, std::uint64_t value);
    /// How many bytes differ by now.
    std::uint64_t differing() const noexcept { return differing_; }
    /// Into a change of the same source.
    void tell(ChangeList& list) const;

private:
    struct Sector {
        Bytes before, now;
    };
    Sector& sector(std::uint64_t number);
    const ByteSource& user_;
    std::map<std::uint64_t, Sector> sectors_;
    std::uint64_t differing_ = 0;
};

/// A number of a sector that stands somewhere in the volume.
struct Reference {
    enum class Form { little, big, both } form = Form::both;
    std::uint64_t place = 0;       ///< of the number in the user data
    std::uint64_t sector = 0;      ///< what it says
    bool folder = false;           ///< of a folder's first sector
    std::uint64_t size_place = 0;  ///< of the size beside it, in both byte orders; 0: there is none
};
/// All of them, of all trees.
void each_reference(const ByteSource& user, const Volume& volume, const std::function<void(const Reference&)>& visit);
void set_reference(SectorEdits& edits, const Reference& reference, std::uint64_t sector);

/// Everything from sector `at` on moved by so many sectors, back where `count` is negative.
ChangeList move_sectors(const SharedSource& user, const Volume& volume, std::uint64_t at, std::int64_t count);

/// Where what is added may stand: behind all that is used. Throws Error(unsupported) for a cut image.
std::uint64_t free_place(const ByteSource& user, const Volume& volume);

/// The volume's size in its descriptors, where it would end before `end`.
void reach(SectorEdits& edits, const ByteSource& user, const Volume& volume, std::uint64_t end);

/// `content` from sector `at` on, zeros behind it up to the next sector. What stands there may be overwritten; what is
/// added behind the end comes in the order of its sectors.
void put_sectors(ChangeList& list, const ByteSource& user, std::uint64_t at, const SharedSource& content);

/// Of the same file or folder in each other tree. Throws Error(unsupported) where that cannot be told.
std::vector<const Entry*> twins_of(const Volume& volume, const Entry& entry);

/// Refuses what cannot be kept right.
void check_changeable(const Volume& volume, const Entry& entry);

}  // namespace hotstitch::disc
