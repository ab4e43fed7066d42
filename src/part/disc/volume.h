// SPDX-License-Identifier: MIT
// An ISO 9660 volume, read from the user data of a track: its descriptors, its trees of names, and where each record
// stands, so that it can be changed. docs/formats/discs.md "ISO 9660".
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "hotstitch/limits.h"
#include "hotstitch/source.h"
#include "part/disc/sector.h"

namespace hotstitch::disc {

constexpr std::uint64_t system_area = 16;  ///< sectors before the first descriptor

/// Bytes that a file of this size takes in whole sectors, as sectors.
constexpr std::uint64_t sectors_for(std::uint64_t bytes) noexcept {
    return (bytes + user_size - 1) / user_size;
}

/// One directory record; a file of several extents has several.
struct Record {
    std::uint64_t place = 0;   ///< of the record in the user data, in bytes
    std::uint64_t extent = 0;  ///< first sector of the data, behind an extended attribute record
    std::uint64_t size = 0;    ///< bytes
    std::uint64_t end() const noexcept { return extent + sectors_for(size); }
};

struct Entry {
    std::string path{};      ///< with '/', without a version where that is not needed to tell it from another
    std::string own_name{};  ///< as the record has it, bytes; in the primary tree with its version
    bool directory = false, interleaved = false;
    bool cut = false;            ///< reaches past the image's end
    std::string link{};          ///< where a symbolic link leads; such an entry has no data
    unsigned unit = 0, gap = 0;  ///< of an interleaved file, in sectors
    std::size_t parent = 0;      ///< index of the folder in its tree
    std::vector<Record> records{};
    std::uint64_t size = 0;

    /// Whether its extents follow each other without a gap.
    bool in_one_piece() const noexcept;
};

enum class Names : std::uint8_t { plain, rock_ridge, joliet };

struct Tree {
    Names names = Names::plain;
    std::uint64_t descriptor = 0;  ///< sector
    std::vector<Entry> entries{};  ///< the root first, parents before what is in them
    std::size_t skip = 0;          ///< bytes of each system use area that are none of SUSP
};

struct BootEntry {
    std::uint64_t place = 0;   ///< of the sector number in the catalogue, in bytes of user data
    std::uint64_t extent = 0;  ///< sector
    unsigned platform = 0;     ///< 0: x86, 0xEF: EFI
    bool bootable = false;
};

struct Volume {
    std::uint64_t image_sectors = 0;
    std::vector<Tree> trees;           ///< the primary one, then the one with Joliet names, if there is one
    std::size_t shown = 0;             ///< the tree whose names people see
    std::uint64_t boot_record = 0;     ///< sector of El Torito's descriptor; 0: none
    std::uint64_t boot_catalogue = 0;  ///< sector; 0: none
    std::vector<BootEntry> boots;
    bool has_udf = false;               ///< the same files are described once more, as UDF
    std::vector<std::string> warnings;  ///< where it contradicts itself, for people
    std::uint64_t cut_files = 0;        ///< that reach past the image's end
    std::uint64_t used = 0;             ///< sectors up to the end of the last thing that is known

    const Tree& tree() const noexcept { return trees[shown]; }
    std::uint64_t size() const noexcept { return volume_size; }
    std::uint64_t volume_size = 0;  ///< sectors, as the primary descriptor states it
    unsigned block = user_size;     ///< bytes of a logical block
};

/// Whether a volume descriptor of ISO 9660 stands at sector 16. Throws Error(io).
bool has_volume(const ByteSource& user);
/// Whether it is a volume of UDF alone. Throws Error(io).
bool is_udf_only(const ByteSource& user);

/// What is wrong in it becomes a warning, as far as something is left to be read. REQUIRES has_volume(). Throws
/// Error(damaged) where the root cannot be read, Error(limit), Error(io).
Volume read_volume(const ByteSource& user);

/// The data of a file. REQUIRES that it is not cut and no folder. `user` has to outlive it where it is borrowed.
SharedSource source_of(const SharedSource& user, const Entry& entry);

/// A sector of user data as a copy; what lies past the end is an error. Throws Error(truncated, io).
Bytes sector_at(const ByteSource& user, std::uint64_t sector, std::uint64_t count = 1);

/// A text field: without the spaces behind it. Of a Joliet descriptor (`wide`) as UTF-8.
std::string descriptor_text(ByteView field, bool wide);

// What the parts of a directory record are.
namespace record {
constexpr std::size_t length = 0, attributes = 1, extent = 2, size = 10, date = 18, flags = 25, unit = 26, gap = 27,
                      name_length = 32, name = 33;
constexpr unsigned hidden = 1, directory = 2, associated = 4, more_extents = 0x80;

/// Where the system use area begins: behind the name and what makes it even.
std::size_t system_use(ByteView record) noexcept;
}  // namespace record

/// An entry of the system use area, by SUSP.
struct SystemUse {
    std::array<char, 2> signature{};
    std::uint64_t place = 0;  ///< of the entry in the user data
    Bytes bytes;              ///< all of it
    bool is(std::string_view name) const noexcept { return std::string_view(signature.data(), 2) == name; }
};
/// All of them, those in continuation areas too. `skip`: bytes before the first one. What does not hold together ends
/// the list.
std::vector<SystemUse> system_use_of(const ByteSource& user, ByteView record, std::uint64_t place, std::size_t skip);

/// Visits every record of a directory, "." and ".." too: its bytes and its place in the user data. What does not hold
/// together ends the sector; returns false then.
template <class Visit>
bool each_record(const ByteSource& user, std::uint64_t extent, std::uint64_t size, Visit&& visit) {
    bool whole = true;
    for (std::uint64_t sector = 0; sector < sectors_for(size); ++sector) {
        if ((extent + sector + 1) * user_size > user.size()) return false;
        const Bytes bytes = sector_at(user, extent + sector);
        for (std::size_t at = 0; at + record::name < bytes.size();) {
            const auto length = std::to_integer<std::size_t>(bytes[at]);
            if (length == 0) break;
            const std::size_t name = at + record::name + std::to_integer<std::size_t>(bytes[at + record::name_length]);
            if (length <= record::name || at + length > bytes.size() || name > at + length) {
                whole = false;
                break;
            }
            visit(ByteView(bytes).subspan(at, length), (extent + sector) * user_size + at);
            at += length;
        }
    }
    return whole;
}

}  // namespace hotstitch::disc
